<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ApiError } from '../api/client'
import { useJobs } from '../composables/useJobs'
import { useKeys } from '../composables/useKeys'
import { loadProjects, projects, useProject } from '../composables/useProject'
import { night, toggleNight } from '../composables/useTheme'
import JobTray from './JobTray.vue'
import KeyList from './KeyList.vue'

const stages = [
  { name: 'sources', title: 'Sources', key: '1' },
  { name: 'browse', title: 'Browse', key: '2' },
  { name: 'bench', title: 'Bench', key: '3' },
  { name: 'deliver', title: 'Deliver', key: '4' },
] as const

const route = useRoute()
const router = useRouter()
const { id, project } = useProject()
const jobs = useJobs(() => id.value)
const refused = ref('')
const keyList = ref<InstanceType<typeof KeyList>>()
const at = computed(() => stages.findIndex((s) => s.name === (route.name === 'catalogue' ? 'browse' : route.name)))
const workpiece = computed(() => (typeof route.params.workpiece === 'string' && route.params.workpiece) || sessionStorage.getItem(`pruxel.workpiece.${id.value}`) || '')

function go(name: (typeof stages)[number]['name']) {
  const params: Record<string, string> = { project: id.value }
  if ((name === 'bench' || name === 'deliver') && workpiece.value) params.workpiece = workpiece.value
  void router.push({ name, params })
}

onMounted(async () => {
  try {
    await loadProjects()
    await router.isReady()
    const first = projects.value[0]
    if (!id.value && first) await router.replace({ name: first.name === 'Brinepost' ? 'browse' : 'sources', params: { project: first.id } })
  } catch (error) {
    refused.value = error instanceof ApiError ? error.problem.detail : String(error)
  }
})
watch(id, () => jobs.load(), { immediate: true })
watch(
  () => route.params.workpiece,
  (value) => typeof value === 'string' && value && sessionStorage.setItem(`pruxel.workpiece.${id.value}`, value),
)
useKeys('Everywhere', stages.map((s) => [s.key, `Go to ${s.title}`, () => go(s.name)]))
</script>

<template>
  <div class="flex h-full flex-col">
    <header class="flex h-13 shrink-0 items-center gap-5 border-b border-line bg-sheet px-4">
      <div class="flex items-center gap-2.5">
        <img src="/favicon.svg" alt="" class="size-7" />
        <span class="text-[17px] font-semibold tracking-tight">Pruxel</span>
      </div>
      <label v-if="projects.length" class="flex items-center gap-2 border-l border-line pl-4 text-[13px]">
        <span class="text-faint">Project</span>
        <select class="field py-1 font-medium" :value="id" @change="router.push({ name: 'sources', params: { project: ($event.target as HTMLSelectElement).value } })">
          <option v-for="p in projects" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select>
      </label>
      <nav v-if="project" class="mx-auto flex items-center" aria-label="Stages">
        <template v-for="(stage, i) in stages" :key="stage.name">
          <span v-if="i" class="h-px w-6" :class="i <= at ? 'bg-sea' : 'bg-line'" />
          <button
            class="flex items-center gap-2 rounded-full px-3 py-1 text-[14px]"
            :class="i === at ? 'bg-sea-soft font-semibold text-sea' : 'text-ink hover:bg-sunk'"
            :aria-current="i === at ? 'page' : undefined"
            @click="go(stage.name)"
          >
            <span class="size-2 rounded-full" :class="i <= at ? 'bg-sea' : 'border border-faint'" />{{ stage.title }}
          </button>
        </template>
      </nav>
      <div class="ml-auto flex items-center gap-2">
        <JobTray v-if="project" />
        <button class="button" :aria-pressed="night" @click="toggleNight">{{ night ? 'Day' : 'Night' }}</button>
        <button class="button" title="What the keyboard does" @click="keyList?.show()">Keys <kbd class="num text-faint">?</kbd></button>
      </div>
    </header>
    <main class="min-h-0 flex-1">
      <div v-if="refused" class="mx-auto mt-24 max-w-md rounded-xl border border-line bg-sheet p-6">
        <h1 class="mb-1 text-[18px] font-semibold">This page has no access yet</h1>
        <p>{{ refused }}</p>
      </div>
      <RouterView v-else :key="`${id}-${String(route.name)}`" />
    </main>
    <KeyList ref="keyList" />
  </div>
</template>
