import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, type Project } from '../api/client'

export const projects = ref<Project[]>([])

export async function loadProjects() {
  projects.value = await api.projects()
}

/** The project that the address names. */
export function useProject() {
  const route = useRoute()
  const id = computed(() => String(route.params.project ?? ''))
  const project = computed(() => projects.value.find((p) => p.id === id.value))
  return { id, project }
}
