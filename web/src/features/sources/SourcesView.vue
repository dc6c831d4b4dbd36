<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Source } from '../../api/client'
import Problem from '../../components/Problem.vue'
import ProgressLine from '../../components/ProgressLine.vue'
import { useEvents } from '../../composables/useEvents'
import { runningJobs } from '../../composables/useJobs'
import { useKeys } from '../../composables/useKeys'
import { loadProjects, useProject } from '../../composables/useProject'
import { bytes, count } from '../../model/words'
import PlacePicker from './PlacePicker.vue'

const router = useRouter()
const { id, project } = useProject()
const sources = ref<Source[]>([])
const loaded = ref(false)
const error = ref<unknown>(null)
const picking = ref(false)
const path = ref('')
const newName = ref('')
const scans = computed(() => runningJobs.value.filter((j) => j.kind === 'scan'))
const places = computed(() => {
  const found = new Map<string, Source[]>()
  for (const source of sources.value) found.set(source.mount, [...(found.get(source.mount) ?? []), source])
  return [...found]
})

async function load() {
  if (!id.value) return
  try {
    sources.value = await api.sources(id.value)
    loaded.value = true
  } catch (found) {
    error.value = found
  }
}

async function mount(place: string) {
  picking.value = false
  if (!place.trim()) return
  try {
    error.value = null
    await api.mount(id.value, place.trim())
    path.value = ''
  } catch (found) {
    error.value = found
  }
}

async function unmount(place: string) {
  if (confirm(`Take ${place} out of the project? Nothing on disk is touched.`)) await api.unmount(id.value, place)
}

async function create() {
  if (!newName.value.trim()) return
  const made = await api.createProject(newName.value.trim())
  newName.value = ''
  await loadProjects()
  await router.push({ name: 'sources', params: { project: made.id } })
}

watch(id, load, { immediate: true })
useEvents((event) => (event.reconnected || event.changed === 'sources') && load())
useKeys('Sources', [['a', 'Add a source', () => (picking.value = true)]])
const kindWords: Record<string, string> = { folder: 'loose files', zip: 'ZIP', file: 'single file' }
</script>

<template>
  <div class="h-full overflow-auto">
    <div class="mx-auto max-w-4xl space-y-5 p-8">
      <div class="flex items-end justify-between gap-6">
        <div>
          <h1 class="text-[24px] font-semibold tracking-tight">Where the files come from</h1>
          <p class="max-w-prose text-faint">{{ project?.about || 'Mount folders and packs. Where two hold the same path, the higher one wins and the lower is kept as shadowed.' }}</p>
        </div>
        <button v-if="sources.length" class="button button-main" @click="router.push({ name: 'browse', params: { project: id } })">Browse the entries</button>
      </div>

      <Problem v-if="error" :error="error" @close="error = null" />

      <form class="flex gap-2 rounded-xl border border-line bg-sheet p-4" @submit.prevent="mount(path)">
        <input v-model="path" class="field min-w-0 flex-1 font-mono" placeholder="Path of a folder, pack or model on this machine" aria-label="Path to mount" data-test="mount-path" />
        <button type="button" class="button" @click="picking = true">Choose…</button>
        <button type="submit" class="button button-main" :disabled="!path.trim()" data-test="mount">Mount</button>
      </form>

      <div v-for="job in scans" :key="job.id" class="flex items-center gap-4 rounded-xl border border-line bg-sheet p-4">
        <ProgressLine :job="job" class="flex-1" />
        <button class="button" @click="api.cancel(job.id)">Cancel</button>
      </div>

      <section v-for="[place, list] in places" :key="place" class="overflow-hidden rounded-xl border border-line bg-sheet">
        <header class="flex items-center justify-between gap-4 border-b border-line px-4 py-2.5">
          <p class="min-w-0 truncate font-mono text-[12.5px]" :title="place">{{ place }}</p>
          <div class="flex gap-2">
            <button class="button" title="Look at the files again" @click="mount(place)">Read again</button>
            <button class="button" @click="unmount(place)">Unmount</button>
          </div>
        </header>
        <table class="w-full text-[13.5px]">
          <thead class="text-left text-[12px] text-faint">
            <tr>
              <th class="w-16 px-4 py-1.5 font-medium" title="Where two hold the same path, the upper one wins">Order</th>
              <th class="py-1.5 font-medium">Source</th>
              <th class="py-1.5 font-medium">Kind</th>
              <th class="py-1.5 text-right font-medium">Entries</th>
              <th class="px-4 py-1.5 text-right font-medium">Unpacked</th>
            </tr>
          </thead>
          <tbody>
            <template v-for="(source, i) in list" :key="source.id">
              <tr class="border-t border-line" data-test="source">
                <td class="num px-4 py-2 text-faint">{{ i + 1 }}</td>
                <td class="py-2 font-medium">{{ source.label }}</td>
                <td class="py-2">{{ kindWords[source.kind] ?? `pack, by layout ${source.kind}` }}</td>
                <td class="num py-2 text-right">{{ count(source.entries) }}</td>
                <td class="num px-4 py-2 text-right">{{ bytes(source.size) }}</td>
              </tr>
              <tr v-for="(found, n) in source.problems.slice(0, 20)" :key="n" class="bg-brick-soft">
                <td></td>
                <td colspan="4" class="py-1.5 pr-4 text-[13px] break-words"><span class="font-semibold text-brick">Problem</span> {{ found.line }}</td>
              </tr>
            </template>
          </tbody>
        </table>
      </section>

      <div v-if="loaded && !sources.length && !scans.length" class="hatched rounded-xl border border-line p-10 text-center">
        <p class="text-[16px] font-semibold">Nothing is mounted yet</p>
        <p class="mx-auto mb-4 max-w-md text-faint">Choose a folder with game files, one pack, or a single model. Packs inside a folder are opened too. The project “Brinepost” shows how it looks.</p>
        <button class="button button-main" @click="picking = true">Choose a folder or file</button>
      </div>

      <form class="flex items-center gap-2 border-t border-line pt-4 text-[13px]" @submit.prevent="create">
        <span class="text-faint">Other files, other work:</span>
        <input v-model="newName" class="field w-56" placeholder="Name of a new project" aria-label="Name of a new project" data-test="project-name" />
        <button class="button" :disabled="!newName.trim()" data-test="create-project">Start a project</button>
      </form>
    </div>
    <PlacePicker v-if="picking" @close="picking = false" @pick="mount" />
  </div>
</template>
