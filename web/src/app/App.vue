<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ApiError } from '../api/client'
import MoreMenu from '../components/MoreMenu.vue'
import NameForm from '../components/NameForm.vue'
import Problem from '../components/Problem.vue'
import Question from '../components/Question.vue'
import { away } from '../composables/useConnection'
import { useDrops } from '../composables/useDrops'
import { useEvents } from '../composables/useEvents'
import { useJobs } from '../composables/useJobs'
import { useKeys } from '../composables/useKeys'
import { loadProjects, projects, useProject } from '../composables/useProject'
import { night, toggleNight } from '../composables/useTheme'
import { keptList } from '../model/address'
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
const failed = ref<unknown>(null)
const asking = ref<'name' | 'remove' | null>(null)
const keyList = ref<InstanceType<typeof KeyList>>()
const over = useDrops(() => id.value)
// Views that belong to a stage without being its first.
const STAGE_OF: Record<string, string> = { catalogue: 'browse', bytes: 'browse', batches: 'bench' }
const at = computed(() => stages.findIndex((s) => s.name === (STAGE_OF[String(route.name)] ?? route.name)))
const named = computed(() => route.params.workpiece)
const workpiece = computed(() => {
  const given = typeof named.value === 'string' ? named.value : ''
  return given || sessionStorage.getItem(`pruxel.workpiece.${id.value}`) || ''
})

function go(name: (typeof stages)[number]['name']) {
  const params: Record<string, string> = { project: id.value }
  if ((name === 'bench' || name === 'deliver') && workpiece.value) params.workpiece = workpiece.value
  // The list of entries is come back to as it was left.
  void router.push({ name, params, query: name === 'browse' ? keptList(id.value) : {} })
}
function choose(event: Event) {
  const box = event.target as HTMLSelectElement
  box.blur()
  void router.push({ name: 'sources', params: { project: box.value } })
}
async function attempt(work: () => Promise<unknown>) {
  asking.value = null
  try {
    failed.value = null
    await work()
  } catch (problem) {
    failed.value = problem
  }
}
const rename = (name: string) => attempt(() => api.renameProject(id.value, name).then(loadProjects))
const remove = () =>
  attempt(async () => {
    await api.removeProject(id.value)
    await loadProjects()
    const next = projects.value[0]
    await router.replace(next ? { name: 'sources', params: { project: next.id } } : '/')
  })
const acts = [
  { words: 'Rename this project…', run: () => (asking.value = 'name'), test: 'rename-project' },
  { words: 'Remove this project…', run: () => (asking.value = 'remove'), grave: true, test: 'remove-project' },
]

onMounted(async () => {
  try {
    await loadProjects()
    await router.isReady()
    const first = projects.value[0]
    if (id.value || !first) return
    await router.replace({ name: first.name === 'Brinepost' ? 'browse' : 'sources', params: { project: first.id } })
  } catch (error) {
    refused.value = error instanceof ApiError ? error.problem.detail : String(error)
  }
})
watch(id, () => jobs.load(), { immediate: true })
watch(named, (value) => {
  if (typeof value === 'string' && value) sessionStorage.setItem(`pruxel.workpiece.${id.value}`, value)
})
useEvents((event) => event.changed === 'projects' && loadProjects())
useKeys(
  'Everywhere',
  stages.map((s) => [s.key, `Go to ${s.title}`, () => go(s.name)]),
)
</script>

<template>
  <div class="flex h-full flex-col">
    <header class="flex h-13 shrink-0 items-center gap-4 border-b border-line bg-sheet px-4">
      <div class="flex items-center gap-2.5">
        <img src="/favicon.svg" alt="" class="size-7" />
        <span class="text-[17px] font-semibold tracking-tight">Pruxel</span>
      </div>
      <div v-if="projects.length" class="flex items-center gap-2 border-l border-line pl-4 text-[13px]">
        <label class="flex items-center gap-2">
          <span class="text-faint">Project</span>
          <select class="field max-w-44 py-1 font-medium" :value="id" data-test="project" @change="choose">
            <option v-for="p in projects" :key="p.id" :value="p.id">{{ p.name }}</option>
          </select>
        </label>
        <MoreMenu v-if="project" label="More about this project" :acts="acts" />
      </div>
      <nav v-if="project" class="mx-auto flex items-center" aria-label="Stages">
        <template v-for="(stage, i) in stages" :key="stage.name">
          <span v-if="i" class="h-px w-5" :class="i <= at ? 'bg-sea' : 'bg-line'" />
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
        <JobTray v-if="project" :project="id" />
        <button class="button" :aria-pressed="night" @click="toggleNight">{{ night ? 'Day' : 'Night' }}</button>
        <button class="button" title="What the keyboard does" @click="keyList?.show()">
          <span class="max-[1120px]:sr-only">Keyboard</span> <kbd class="num text-faint">?</kbd>
        </button>
      </div>
    </header>
    <p
      v-if="away"
      role="status"
      class="border-b border-brick/40 bg-brick-soft px-4 py-1.5 text-center text-[13px]"
      data-test="away"
    >
      <span class="font-semibold text-brick">
        {{ away === 'database' ? 'The database is away.' : 'The server does not answer.' }}
      </span>
      {{ away === 'database' ? 'It is being started again; nothing that was done is lost.' : 'Trying again…' }}
    </p>
    <main class="relative min-h-0 flex-1">
      <div v-if="refused" class="mx-auto mt-24 max-w-md rounded-xl border border-line bg-sheet p-6">
        <h1 class="mb-1 text-[18px] font-semibold">This page has no access yet</h1>
        <p>{{ refused }}</p>
      </div>
      <RouterView v-else :key="`${id}-${String(route.name)}`" />
      <Problem v-if="failed" :error="failed" class="absolute inset-x-24 top-4 z-40" @close="failed = null" />
      <div
        v-if="over"
        :class="[
          'pointer-events-none absolute inset-3 z-50 flex items-center justify-center',
          'rounded-xl border-2 border-dashed border-sea bg-sea-soft/85 text-[17px] font-semibold text-sea',
        ]"
      >
        Drop files or folders here to mount them
      </div>
    </main>
    <KeyList ref="keyList" />
    <NameForm
      v-if="asking === 'name' && project"
      title="Rename this project"
      :name="project.name"
      @close="asking = null"
      @named="rename"
    />
    <Question
      v-if="asking === 'remove'"
      :title="`Remove the project ${project?.name}?`"
      act="Remove it"
      @close="asking = null"
      @yes="remove"
    >
      Its sources, workpieces, aliases and keys are forgotten. Game files and what was delivered stay on disk.
    </Question>
  </div>
</template>
