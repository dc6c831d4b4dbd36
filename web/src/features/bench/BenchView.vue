<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type StepKind, type StepUse, type ViewContent, type Workpiece } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { useEvents } from '../../composables/useEvents'
import { jobById } from '../../composables/useJobs'
import { useKeys } from '../../composables/useKeys'
import { useProject } from '../../composables/useProject'
import { last } from '../../model/words'
import FactsPanel from './FactsPanel.vue'
import FindingsPanel from './FindingsPanel.vue'
import PartsPanel from './PartsPanel.vue'
import StepStrip from './StepStrip.vue'
import Viewport from './Viewport.vue'

const route = useRoute()
const router = useRouter()
const { id: project } = useProject()
const id = computed(() => String(route.params.workpiece ?? ''))
const workpiece = shallowRef<Workpiece>()
const others = shallowRef<Workpiece[]>([])
const content = shallowRef<ViewContent>()
const kinds = shallowRef<StepKind[]>([])
const hidden = ref(new Set<string>())
const error = ref<unknown>(null)
const key = ref('')
const jobId = ref<string | null>(null)
const viewport = ref<InstanceType<typeof Viewport>>()
const job = computed(() => jobById(jobId.value))

// News that arrives while a question is under way may be about its answer: then the question is asked again.
let asking = 0
let newsMeanwhile = false

async function look() {
  if (!id.value) return
  asking += 1
  try {
    const found = await api.view(id.value)
    key.value = found.key
    jobId.value = found.job ?? null
    if (found.content) content.value = found.content
  } catch (problem) {
    error.value = problem
  } finally {
    asking -= 1
    if (newsMeanwhile && !asking) {
      newsMeanwhile = false
      void look()
    }
  }
}

async function load() {
  content.value = undefined
  hidden.value = new Set()
  if (!project.value) return
  try {
    const around = Promise.all([api.steps(), api.workpieces(project.value)])
    if (id.value) {
      const [found] = await Promise.all([api.workpiece(id.value), look()])
      workpiece.value = found
    }
    ;[kinds.value, others.value] = await around
  } catch (problem) {
    error.value = problem
  }
}

async function change(act: () => Promise<Workpiece>) {
  try {
    error.value = null
    workpiece.value = await act()
    await look()
  } catch (problem) {
    error.value = problem
  }
}

const setSteps = (steps: StepUse[]) => change(() => api.setSteps(id.value, steps))
const addStep = (step: string, params: Record<string, unknown>) => setSteps([...(workpiece.value?.steps ?? []), { step, params, on: true }])
const keepShown = () => addStep('show_parts', { parts: [...hidden.value], action: 'drop' }).then(() => (hidden.value = new Set()))

watch(id, load, { immediate: true })
useEvents((event) => {
  const done = event.job?.kind === 'view' && event.job.status === 'done'
  if (!event.reconnected && !event.view && !done) return
  if (asking) newsMeanwhile = true
  else if (event.reconnected || event.view === key.value || event.job?.id === jobId.value) void look()
})
useKeys('Bench', [
  ['f', 'Fit the model in the frame', () => viewport.value?.fit()],
  ['t', 'Textured', () => viewport.value?.setLook('textured')],
  ['l', 'Flat-lit', () => viewport.value?.setLook('flat')],
  ['w', 'Wire', () => viewport.value?.setLook('wire')],
  ['h', 'Show all parts', () => (hidden.value = new Set())],
  ['Ctrl+Z', 'Undo', () => workpiece.value?.can_undo && change(() => api.undo(id.value))],
  ['Ctrl+Y', 'Redo', () => workpiece.value?.can_redo && change(() => api.redo(id.value))],
  ['d', 'Deliver', () => router.push({ name: 'deliver', params: { project: project.value, workpiece: id.value } })],
])
</script>

<template>
  <div v-if="!id" class="h-full overflow-auto p-10">
    <div class="hatched mx-auto max-w-xl rounded-xl border border-line p-10 text-center">
      <p class="text-[16px] font-semibold">The Bench is empty</p>
      <p class="mb-4 text-faint">Open a model from Browse. What you opened before is kept here.</p>
      <button class="button button-main" @click="router.push({ name: 'browse', params: { project } })">Browse the entries</button>
      <div class="mt-5 flex flex-wrap justify-center gap-2">
        <button v-for="other in others" :key="other.id" class="button" @click="router.push({ name: 'bench', params: { project, workpiece: other.id } })">{{ other.name }}</button>
      </div>
    </div>
  </div>
  <div v-else class="grid h-full grid-cols-[236px_1fr_304px] grid-rows-[1fr_auto]">
    <PartsPanel v-model:hidden="hidden" :parts="content?.facts.parts ?? []" @keep-shown="keepShown" />
    <div class="relative min-h-0 min-w-0">
      <Viewport ref="viewport" :scene="content?.scene" :parts="content?.facts.parts ?? []" :hidden="hidden" />
      <div class="pointer-events-none absolute top-3 left-4">
        <h1 class="text-[17px] font-semibold">{{ workpiece?.name }}</h1>
        <p class="font-mono text-[12px] text-faint">{{ workpiece?.entries.map(last).join(', ') }}</p>
      </div>
      <div v-if="!content && job?.status !== 'failed'" class="absolute inset-0 flex items-center justify-center">
        <p class="rounded-lg border border-line bg-sheet px-4 py-2 text-[13px]">Opening{{ job?.message ? `: ${job.message}` : '…' }}</p>
      </div>
      <div v-if="job?.status === 'failed'" class="absolute inset-x-8 top-16 rounded-lg border border-brick/40 bg-brick-soft p-4" role="alert">
        <p class="font-semibold text-brick">{{ job.fault?.message }}</p>
        <p class="text-[13px] break-words">{{ job.fault?.file }}<template v-if="job.fault?.offset !== undefined">, byte {{ job.fault?.offset }}</template></p>
        <p v-if="job.fault?.expected" class="text-[13px]">Expected {{ job.fault.expected }}, found {{ job.fault.found }}</p>
        <p v-if="job.fault?.hint" class="text-[13px] text-faint">{{ job.fault.hint }}</p>
      </div>
      <Problem v-if="error" :error="error" class="absolute inset-x-6 bottom-4" @close="error = null" />
    </div>
    <aside class="overflow-auto border-l border-line bg-sheet">
      <FindingsPanel :findings="content?.findings ?? null" :loading="!content || content.findings === null" @apply="addStep($event.step, $event.params)" />
      <FactsPanel v-if="content" :content="content" />
    </aside>
    <StepStrip
      class="col-span-3"
      :workpiece="workpiece"
      :content="content"
      :kinds="kinds"
      :hidden="hidden"
      @set="setSteps"
      @add="addStep"
      @undo="change(() => api.undo(id))"
      @redo="change(() => api.redo(id))"
      @deliver="router.push({ name: 'deliver', params: { project, workpiece: id } })"
    />
  </div>
</template>
