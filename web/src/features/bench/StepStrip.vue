<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { RuleName, StepKind, StepUse, ViewContent, Workpiece } from '../../api/client'
import MoreMenu from '../../components/MoreMenu.vue'
import { ruleWords } from '../../model/rules'
import GiveSteps from './GiveSteps.vue'
import KeepRecipe from './KeepRecipe.vue'
import StepCard from './StepCard.vue'
import StepForm from './StepForm.vue'
import StepPicker from './StepPicker.vue'
import type { Proposal } from '../../model/steps'

const { workpiece, content, kinds, project, apply } = defineProps<{
  workpiece: Workpiece | undefined
  content: ViewContent | undefined
  kinds: StepKind[]
  rules: RuleName[]
  hidden: Set<string>
  project: string
  workpieces: Workpiece[]
  deliverable: boolean
  // The parts that were pointed at last.
  picked: string[]
  chosen: string[]
  // Replaces the steps; a refusal stays with the caller, so that a form can show it.
  apply: (steps: StepUse[]) => Promise<void>
}>()
const emit = defineEmits<{
  set: [steps: StepUse[]]
  undo: []
  redo: []
  deliver: []
  batches: []
  try: [steps: StepUse[] | null]
  point: [step: number | null]
}>()
const picking = ref(false)
const adding = ref<StepKind>()
const editing = ref<number>()
const steps = () => workpiece?.steps ?? []
const kindOf = (name: string) => kinds.find((k) => k.name === name)
const title = (name: string) => kindOf(name)?.title ?? name
const changed = (i: number, use: Partial<StepUse>) => steps().map((s, n) => (n === i ? { ...s, ...use } : s))
const on = () => steps().filter((s) => s.on).length

function moveTo(i: number, place: number) {
  const list = [...steps()]
  const [taken] = list.splice(i, 1)
  list.splice(place, 0, taken!)
  if (place !== i) emit('set', list)
}
// A card that is dragged goes where it is let fall: before the card it is over, or behind it, coming from the left.
const dragged = ref<number>()
const over = ref<number>()
function drop(place: number) {
  if (dragged.value !== undefined) moveTo(dragged.value, place)
  dragged.value = over.value = undefined
}

const sheet = ref<'keep' | 'recipe' | 'copy' | null>(null)
const told = ref('')
const few = () => !steps().length
const row = ref<HTMLElement>()
watch(
  () => workpiece?.steps,
  (now, before) => {
    told.value = ''
    // A step that was added is brought into sight.
    if (now && before && now.length > before.length)
      void nextTick(() => row.value?.scrollTo({ left: row.value.scrollWidth }))
  },
)
const acts = () => [
  ...(few() || !fits() ? [] : [{ words: 'Keep as a recipe…', run: () => (sheet.value = 'keep'), test: 'keep-recipe' }]),
  { words: 'Add a recipe…', run: () => (sheet.value = 'recipe'), test: 'add-recipe' },
  ...(few() ? [] : [{ words: 'Copy to others…', run: () => (sheet.value = 'copy'), test: 'copy-steps' }]),
  { words: 'Recipes and batches', run: () => emit('batches'), test: 'to-batches' },
]
function add(more: StepUse[]) {
  sheet.value = null
  emit('set', [...steps(), ...more])
}
function say(words: string) {
  sheet.value = null
  told.value = words
}

function withStep(params: Record<string, unknown>): StepUse[] {
  const made = { step: adding.value!.name, params, on: true }
  return editing.value === undefined ? [...steps(), made] : changed(editing.value, { params, because: '' })
}
// The steps behind the one that is edited are left out: it is what one looks at.
function preview(params: Record<string, unknown>) {
  emit('try', withStep(params).slice(0, editing.value === undefined ? undefined : editing.value + 1))
}

// What the step works on: all that came before it, or for a new one what there is.
const before = () =>
  (editing.value === undefined ? content?.scene : content?.steps[editing.value]?.before_scene) ?? content?.scene ?? ''

function pick(kind: StepKind) {
  picking.value = false
  editing.value = undefined
  adding.value = kind
}
function propose({ step, params, rule }: Proposal) {
  picking.value = false
  emit('set', [...steps(), { step, params, on: true, because: rule }])
}
function edit(i: number) {
  editing.value = i
  adding.value = kindOf(steps()[i]!.step)
}
function close() {
  adding.value = editing.value = undefined
  emit('try', null)
}
// Opens the form of a step at once.
function begin(name: string) {
  const kind = kindOf(name)
  if (kind) pick(kind)
}
defineExpose({ add: () => (picking.value = true), begin, forming: computed(() => adding.value !== undefined) })
// What is shown of a step is what was worked out for these very steps: after a change no card shows another's numbers.
const fits = () =>
  content !== undefined &&
  content.steps.length === steps().length &&
  content.steps.every((run, i) => run.step === steps()[i]!.step)
const picture = (i: number) => (content?.pictures[i] && fits() ? `/api/blobs/${content.pictures[i]}` : undefined)
const first = () => (content?.pictures[0] ? `/api/blobs/${content.pictures[0]}` : undefined)
</script>

<template>
  <footer class="flex h-[172px] items-stretch gap-3 border-t border-line bg-sunk px-4 py-3">
    <div class="flex w-32 shrink-0 flex-col justify-between">
      <div>
        <h2 class="heading">Steps</h2>
        <p class="text-[12px] text-faint" aria-live="polite">
          {{ told || (steps().length ? `${on()} of ${steps().length} on` : 'none yet') }}
        </p>
      </div>
      <MoreMenu label="Recipes, copies" words="Recipe" :acts="acts()" upwards wide />
      <div class="flex gap-1">
        <button
          class="button flex-1 px-1.5"
          :disabled="!workpiece?.can_undo"
          title="Undo (Ctrl+Z)"
          data-test="undo"
          @click="emit('undo')"
        >
          Undo
        </button>
        <button
          class="button flex-1 px-1.5"
          :disabled="!workpiece?.can_redo"
          title="Redo (Ctrl+Shift+Z or Ctrl+Y)"
          @click="emit('redo')"
        >
          Redo
        </button>
      </div>
    </div>
    <div ref="row" class="flex min-w-0 flex-1 items-stretch gap-2 overflow-x-auto">
      <figure class="flex w-36 shrink-0 flex-col overflow-hidden rounded-lg border border-line bg-sheet">
        <div class="flex min-h-0 flex-1 items-center justify-center">
          <img v-if="first()" :src="first()" alt="As it came" class="h-full object-contain" />
        </div>
        <figcaption class="border-t border-line px-2 py-1 text-[12.5px]">As it came</figcaption>
      </figure>
      <StepCard
        v-for="(use, i) in steps()"
        :key="i"
        :use="use"
        :title="title(use.step)"
        :run="fits() ? content?.steps[i] : undefined"
        :before="picture(i)"
        :after="picture(i + 1)"
        :rule="ruleWords(use.rule, rules)"
        :first="i === 0"
        :last="i === steps().length - 1"
        :class="{ 'opacity-50': dragged === i, 'ring-2 ring-sea': over === i && dragged !== i }"
        draggable="true"
        @pointerenter="emit('point', i)"
        @pointerleave="emit('point', null)"
        @focusin="emit('point', i)"
        @focusout="emit('point', null)"
        @dragstart="dragged = i"
        @dragend="dragged = over = undefined"
        @dragover.prevent="over = i"
        @drop.prevent="drop(i)"
        @change="edit(i)"
        @toggle="emit('set', changed(i, { on: !use.on }))"
        @move="moveTo(i, i + $event)"
        @remove="
          emit(
            'set',
            steps().filter((_, n) => n !== i),
          )
        "
      />
      <button
        :class="[
          'flex w-28 shrink-0 items-center justify-center rounded-lg',
          'border border-dashed border-faint text-[13px] font-medium hover:bg-sheet',
        ]"
        data-test="add-step"
        title="Add a step (a)"
        @click="picking = true"
      >
        Add a step
      </button>
    </div>
    <button
      class="button button-main w-32 shrink-0 flex-col gap-0 text-[15px]"
      :disabled="!deliverable"
      data-test="go-deliver"
      @click="emit('deliver')"
    >
      Deliver…<span class="text-[12px] font-normal">write and prove</span>
    </button>
    <StepPicker
      v-if="picking"
      :kinds="kinds"
      :content="content"
      :hidden="hidden"
      @close="picking = false"
      @pick="pick"
      @propose="propose"
    />
    <KeepRecipe
      v-if="sheet === 'keep' && workpiece && content"
      :name="workpiece.name"
      :steps="steps()"
      :kinds="kinds"
      :runs="content.steps"
      :project="project"
      @close="sheet = null"
      @kept="say(`“${$event}” is kept.`)"
    />
    <GiveSteps
      v-if="(sheet === 'recipe' || sheet === 'copy') && workpiece"
      :take="sheet"
      :project="project"
      :workpiece="workpiece"
      :others="workpieces"
      @close="sheet = null"
      @add="add"
      @told="say"
    />
    <StepForm
      v-if="adding"
      :kind="adding"
      :values="editing === undefined ? {} : (steps()[editing]?.params ?? {})"
      :content="content"
      :hidden="hidden"
      :project="project"
      :workpieces="workpieces"
      :picked="picked"
      :chosen="chosen"
      :before="before()"
      :submit="(params) => apply(withStep(params))"
      @preview="preview"
      @close="close"
    />
  </footer>
</template>
