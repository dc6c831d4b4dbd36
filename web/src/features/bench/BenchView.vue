<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import {
  api,
  type Finding,
  type RuleName,
  type Slot,
  type StepKind,
  type StepUse,
  type ViewContent,
  type Workpiece,
} from '../../api/client'
import Fault from '../../components/Fault.vue'
import MoreMenu from '../../components/MoreMenu.vue'
import NameForm from '../../components/NameForm.vue'
import Problem from '../../components/Problem.vue'
import Question from '../../components/Question.vue'
import { useCompare } from '../../composables/useCompare'
import { useEvents } from '../../composables/useEvents'
import { jobById, lookUp } from '../../composables/useJobs'
import { useFaces } from '../../composables/useFaces'
import { useKeys } from '../../composables/useKeys'
import { usePreview } from '../../composables/usePreview'
import { useProject } from '../../composables/useProject'
import { pictured } from '../../model/slots'
import { toggled } from '../../model/parts'
import { last } from '../../model/words'
import CompareBar from './CompareBar.vue'
import FactsPanel from './FactsPanel.vue'
import FindingsPanel from './FindingsPanel.vue'
import LinksPanel from './LinksPanel.vue'
import PartsPanel from './PartsPanel.vue'
import SlotsPanel from './SlotsPanel.vue'
import StepStrip from './StepStrip.vue'
import Viewport from './Viewport.vue'
import WorkpieceList from './WorkpieceList.vue'

const route = useRoute()
const router = useRouter()
const { id: project } = useProject()
const id = computed(() => String(route.params.workpiece ?? ''))
const workpiece = shallowRef<Workpiece>()
const others = shallowRef<Workpiece[]>([])
const content = shallowRef<ViewContent>()
const kinds = shallowRef<StepKind[]>([])
const rules = shallowRef<RuleName[]>([])
const slots = shallowRef<Slot[]>([])
const hidden = ref(new Set<string>())
const chosen = ref<string[]>([])
const error = ref<unknown>(null)
const key = ref('')
const jobId = ref<string | null>(null)
const asking = ref<'name' | 'remove' | null>(null)
const viewport = ref<InstanceType<typeof Viewport>>()
const strip = ref<InstanceType<typeof StepStrip>>()
const job = computed(() => jobById(jobId.value))
const failed = computed(() => job.value?.status === 'failed' || job.value?.status === 'cancelled')
const parts = computed(() => content.value?.facts.parts ?? [])
const place = () => `pruxel.hidden.${id.value}`

// News that arrives while a question is under way may be about its answer: then the question is asked again.
let under = 0
let newsMeanwhile = false

async function look() {
  const wanted = id.value
  if (!wanted) return
  under += 1
  try {
    const found = await api.view(wanted)
    if (wanted !== id.value) return // somebody went on to another workpiece meanwhile
    key.value = found.key
    jobId.value = found.job ?? null
    if (found.job && !jobById(found.job)) await lookUp(found.job)
    if (found.content && wanted === id.value) content.value = found.content
  } catch (problem) {
    if (wanted === id.value) error.value = problem
  } finally {
    under -= 1
    if (newsMeanwhile && !under) {
      newsMeanwhile = false
      void look()
    }
  }
}

async function load() {
  const wanted = id.value
  error.value = null
  content.value = undefined
  workpiece.value = undefined
  chosen.value = []
  compare.other.value = ''
  slots.value = []
  hidden.value = new Set(JSON.parse(sessionStorage.getItem(place()) ?? '[]') as string[])
  if (!project.value) return
  try {
    const around = Promise.all([api.steps(), api.workpieces(project.value), api.rules()])
    if (wanted) {
      const [found] = await Promise.all([api.workpiece(wanted), look()])
      if (wanted === id.value) workpiece.value = found
      void lookForSlots(wanted)
    }
    ;[kinds.value, others.value, rules.value] = await around
  } catch (problem) {
    if (wanted === id.value) error.value = problem
  }
}

// A thing that is made of nothing has none; that they cannot be told is no reason to stop.
async function lookForSlots(wanted: string) {
  const found = await api.slots(wanted).catch(() => [])
  if (wanted === id.value) slots.value = found
}

async function changed(act: Promise<Workpiece>) {
  workpiece.value = await act
  await look()
}
async function change(act: () => Promise<Workpiece>) {
  try {
    error.value = null
    await changed(act())
  } catch (problem) {
    error.value = problem
  }
}

const setSteps = (steps: StepUse[]) => change(() => api.setSteps(id.value, steps))
const apply = (steps: StepUse[]) => changed(api.setSteps(id.value, steps))
const addSteps = (steps: StepUse[]) => setSteps([...(workpiece.value?.steps ?? []), ...steps])
const addStep = (step: string, params: Record<string, unknown>, because = '') =>
  addSteps([{ step, params, on: true, because }])
const follow = ({ suggestion, rule }: Finding) => suggestion && addStep(suggestion.step, suggestion.params, rule)
const keepShown = () =>
  addStep('show_parts', { parts: [...hidden.value], action: 'drop' }).then(() => (hidden.value = new Set()))
const undo = () => workpiece.value?.can_undo && change(() => api.undo(id.value))
const redo = () => workpiece.value?.can_redo && change(() => api.redo(id.value))
const deliver = () => router.push({ name: 'deliver', params: { project: project.value, workpiece: id.value } })
const preview = usePreview(id)
// A click chooses the part; while a step is filled in, it chooses for the step.
const picked = shallowRef<string[]>([])
const forming = computed(() => strip.value?.forming ?? false)
function pick(parts: string[], more: boolean) {
  if (forming.value) picked.value = [...parts]
  else chosen.value = more ? toggled(chosen.value, parts) : parts
}
const faces = useFaces()
const compare = useCompare(content, preview, faces.active)
const { looked, beside } = compare
const scene = computed(
  () => faces.shownScene.value || looked.value?.scene || preview.content.value?.scene || content.value?.scene,
)
const besides = computed(() => others.value.filter((one) => one.id !== id.value))
const browse = () => router.push({ name: 'browse', params: { project: project.value } })

function isolate() {
  const others = parts.value.map((part) => part.name).filter((name) => !chosen.value.includes(name))
  const alone = others.every((name) => hidden.value.has(name)) && !chosen.value.some((name) => hidden.value.has(name))
  if (chosen.value.length) hidden.value = new Set(alone ? [] : others)
}

function putAway() {
  hidden.value = new Set([...hidden.value, ...chosen.value])
  chosen.value = []
}

async function rename(name: string) {
  asking.value = null
  await change(() => api.renameWorkpiece(id.value, name))
}
async function remove() {
  const gone = id.value
  asking.value = null
  try {
    await api.removeWorkpiece(gone)
    sessionStorage.removeItem(`pruxel.workpiece.${project.value}`)
    // Who went on to another place meanwhile is not fetched back.
    const { name, params } = router.currentRoute.value
    if (name !== 'bench' || params.workpiece !== gone) return
    await router.replace({ name: 'bench', params: { project: project.value } })
  } catch (problem) {
    error.value = problem
  }
}
async function duplicate() {
  try {
    const made = await api.copyWorkpiece(id.value)
    await router.push({ name: 'bench', params: { project: project.value, workpiece: made.id } })
  } catch (problem) {
    error.value = problem
  }
}
// The stage comes back to the workpiece it was at; this is the way to the others.
function all() {
  sessionStorage.removeItem(`pruxel.workpiece.${project.value}`)
  return router.push({ name: 'bench', params: { project: project.value } })
}
const acts = [
  { words: 'All workpieces', run: all, test: 'all-workpieces' },
  { words: 'Duplicate', run: duplicate, test: 'duplicate' },
  { words: 'Rename…', run: () => (asking.value = 'name'), test: 'rename' },
  { words: 'Remove…', run: () => (asking.value = 'remove'), grave: true, test: 'remove' },
]

watch(id, load, { immediate: true })
watch(besides, (left) => {
  if (!left.some((one) => one.id === compare.other.value)) compare.other.value = ''
})
watch(hidden, (now) => sessionStorage.setItem(place(), JSON.stringify([...now])))
useEvents((event) => {
  const done = event.job?.kind === 'view' && event.job.status === 'done'
  if (event.picture) {
    const drawn = event.picture
    slots.value = slots.value.map((slot) => ({ ...slot, variants: pictured(slot.variants, drawn) }))
  }
  if (event.changed === 'workpieces') void api.workpieces(project.value).then((found) => (others.value = found))
  if (!event.reconnected && !event.view && !done) return
  if (under) newsMeanwhile = true
  else if (event.reconnected || event.view === key.value || event.job?.id === jobId.value) void look()
})
useKeys('Bench', [
  ['f', 'Fit the model in the frame', () => viewport.value?.fit()],
  ['t', 'Textured', () => viewport.value?.setLook('textured')],
  ['l', 'Flat-lit', () => viewport.value?.setLook('flat')],
  ['w', 'Wire', () => viewport.value?.setLook('wire')],
  ['g', 'Grid on the ground', () => viewport.value?.toggle('grid')],
  ['m', 'Measure between two points', () => viewport.value?.measure()],
  [', .', 'Turn the light', (press) => viewport.value?.turnLight(press.key === ',' ? -0.4 : 0.4)],
  ['i', 'Show the chosen parts alone, or all', isolate],
  ['o', 'Put the chosen parts out of sight', putAway],
  ['Escape', 'Choose nothing', () => (chosen.value = [])],
  ['c', 'Compare with before the last step: a line to move', () => (compare.on.value = !compare.on.value)],
  ['b', 'Held: before the last step, or the one pointed at', () => undefined],
  ['a', 'Add a step', () => strip.value?.add()],
  ['h', 'Show all parts', () => (hidden.value = new Set())],
  ['Ctrl+Z', 'Undo', () => void undo()],
  ['Ctrl+Shift+Z Ctrl+Y', 'Redo', () => void redo()],
  ['d', 'Deliver', () => void deliver()],
])
</script>

<template>
  <WorkpieceList v-if="!id" :workpieces="others" :project="project" @browse="browse" />
  <div v-else class="grid h-full grid-cols-[236px_minmax(0,1fr)_304px] grid-rows-[minmax(0,1fr)_auto]">
    <div class="flex min-h-0 flex-col border-r border-line bg-sheet">
      <SlotsPanel
        v-if="slots.length && workpiece"
        class="max-h-[62%] shrink-0 overflow-y-auto"
        :slots="slots"
        :steps="workpiece.steps"
        @set="setSteps"
      />
      <PartsPanel
        v-model:hidden="hidden"
        class="min-h-0 flex-1"
        :parts="parts"
        :chosen="chosen"
        @choose="pick"
        @isolate="isolate"
        @put-away="putAway"
        @keep-shown="keepShown"
      />
    </div>
    <div class="relative min-h-0 min-w-0">
      <Viewport
        ref="viewport"
        :key="id"
        :scene="scene"
        :clips="content?.facts.clips ?? []"
        :jointed="content?.facts.joints ?? 0"
        :beside="beside.scene"
        :hidden="hidden"
        :chosen="forming ? [] : chosen"
        :keep="id"
        :name="workpiece?.name ?? 'model'"
        :wiping="compare.on.value"
        :apart="compare.apart.value"
        @pick="pick"
        @step="addStep"
        @bring="strip?.begin('fit_clips')"
        @wipe="compare.on.value = !compare.on.value"
      />
      <div class="absolute top-3 left-4 flex max-w-[80%] items-start gap-3">
        <div class="min-w-0">
          <h1 class="truncate text-[17px] font-semibold">{{ workpiece?.name }}</h1>
          <p class="truncate font-mono text-[12px] text-faint">{{ workpiece?.entries.map(last).join(', ') }}</p>
        </div>
        <MoreMenu v-if="workpiece" label="More about this workpiece" :acts="acts" />
      </div>
      <p
        v-if="preview.on.value && !faces.active.value"
        class="absolute top-14 left-1/2 max-w-[60%] -translate-x-1/2 truncate rounded-full border px-4 py-1 text-[13px]"
        :class="
          preview.bad.value ? 'border-brick bg-brick-soft text-brick' : 'border-marigold bg-marigold-soft text-marigold'
        "
        role="status"
        data-test="preview"
        :title="preview.words.value"
      >
        <b>Preview</b> {{ preview.words.value }}
      </p>
      <p
        v-else-if="looked?.scene"
        class="absolute top-14 left-1/2 -translate-x-1/2 rounded-full border border-sea bg-sea-soft px-4 py-1 text-[13px] text-sea"
        role="status"
        data-test="before"
      >
        Before step {{ looked.number + 1 }}
      </p>
      <CompareBar
        v-if="compare.on.value && !faces.active.value"
        v-model:other="compare.other.value"
        v-model:apart="compare.apart.value"
        class="absolute left-1/2 -translate-x-1/2"
        :class="preview.on.value ? 'top-24' : 'top-14'"
        :words="beside.words"
        :there="Boolean(beside.scene)"
        :others="besides"
        @end="compare.on.value = false"
      />
      <div v-if="!content && !failed" class="pointer-events-none absolute inset-0 flex items-center justify-center">
        <p class="rounded-lg border border-line bg-sheet px-4 py-2 text-[13px]" role="status">
          Opening{{ job?.message ? `: ${job.message}` : '…' }}
        </p>
      </div>
      <div
        v-if="failed"
        class="absolute inset-x-8 top-20 rounded-lg border border-brick/40 bg-brick-soft p-4"
        role="alert"
        data-test="opening-failed"
      >
        <Fault v-if="job?.fault" :fault="job.fault as never" />
        <p v-else class="font-semibold text-brick">Opening was stopped.</p>
        <div class="mt-3 flex flex-wrap gap-2">
          <button class="button" data-test="open-again" @click="job && api.again(job.id)">Try again</button>
          <button class="button" @click="browse">Back to Browse</button>
          <button class="button" @click="router.push({ name: 'sources', params: { project } })">
            Describe its format in the profile
          </button>
        </div>
      </div>
      <Problem v-if="error" :error="error" class="absolute inset-x-6 bottom-14" @close="error = null" />
    </div>
    <aside class="overflow-auto border-l border-line bg-sheet" aria-label="Findings and facts">
      <FindingsPanel
        v-if="content || !failed"
        :findings="content?.findings ?? null"
        :loading="!content || content.findings === null"
        :settled="workpiece?.settled ?? []"
        @apply="follow"
        @mend="addSteps"
        @settle="(keys) => change(() => api.settle(id, keys))"
      />
      <p v-else class="p-4 text-[13px] text-faint">There is nothing to look at: it could not be opened.</p>
      <LinksPanel v-if="content" :links="content.links ?? []" @link="(step) => addSteps([step])" />
      <FactsPanel v-if="content" :content="content" />
    </aside>
    <StepStrip
      ref="strip"
      class="col-span-3"
      :workpiece="workpiece"
      :content="content"
      :kinds="kinds"
      :rules="rules"
      :hidden="hidden"
      :project="project"
      :workpieces="others"
      :deliverable="parts.length > 0"
      :apply="apply"
      :picked="picked"
      :chosen="chosen"
      @try="preview.tryOut"
      @point="compare.pointed.value = $event"
      @set="setSteps"
      @undo="undo"
      @redo="redo"
      @deliver="deliver"
      @batches="router.push({ name: 'batches', params: { project } })"
    />
    <NameForm
      v-if="asking === 'name' && workpiece"
      title="Rename this workpiece"
      :name="workpiece.name"
      @close="asking = null"
      @named="rename"
    />
    <Question
      v-if="asking === 'remove'"
      :title="`Remove ${workpiece?.name}?`"
      act="Remove it"
      @close="asking = null"
      @yes="remove"
    >
      The workpiece and its steps go. Game files and what was delivered from it stay.
    </Question>
  </div>
</template>
