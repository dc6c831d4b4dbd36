<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue'
import { api, type StepKind, type ViewContent, type Workpiece } from '../../api/client'
import FieldInput from '../../components/FieldInput.vue'
import FacesField from './FacesField.vue'
import KeepScheme from './KeepScheme.vue'
import PairsField from './PairsField.vue'
import Problem from '../../components/Problem.vue'
import { useFaces } from '../../composables/useFaces'
import { useKeys } from '../../composables/useKeys'
import type { FaceSet } from '../../model/faces'
import { toggled } from '../../model/parts'
import { fieldsOf, valuesOf, type Schema, type Target } from '../../model/form'

// Stands beside the model, which shows what the values come to; nothing is done before the step is run.
const { kind, values, content, hidden, project, workpieces, submit, picked, chosen, before } = defineProps<{
  kind: StepKind
  values: Record<string, unknown>
  content: ViewContent | undefined
  hidden: Set<string>
  project: string
  workpieces: Workpiece[]
  // The parts that were pointed at last: a new list each time, for the same may be pointed at twice.
  picked: string[]
  // The parts that were chosen before the form was opened.
  chosen: string[]
  // The scene that the step works on.
  before: string
  submit: (params: Record<string, unknown>) => Promise<void>
}>()
const emit = defineEmits<{ close: []; preview: [params: Record<string, unknown>] }>()
const fields = computed(() => fieldsOf(kind.parameters as Schema))
const parts = computed(() => content?.facts.parts.map((p) => p.name) ?? [])
const fresh = !Object.keys(values).length
// A new step about parts begins with those that are chosen, or those that are shown when some are hidden.
const shown = hidden.size ? parts.value.filter((name) => !hidden.has(name)) : []
const begun = !fresh ? [] : chosen.length ? chosen : shown
const form = reactive(valuesOf(fields.value, { ...(begun.length ? { parts: [...begun] } : {}), ...values }))
const error = ref<unknown>(null)
const running = ref(false)
const keeping = ref(false)
const kept = ref('')
const entries = ref<string[]>([])
const { active: choosing } = useFaces()
const home = ref<HTMLElement>()
const choices = computed((): Record<Target, string[]> => ({
  part: parts.value,
  material: content?.facts.materials ?? [],
  texture: content?.facts.textures ?? [],
  clip: content?.facts.clips.map((clip) => clip.name) ?? [],
  variant: content?.facts.variants ?? [],
  joint: content?.facts.points ?? [],
  entry: entries.value,
  workpiece: workpieces.map((w) => w.id),
}))
const takesParts = computed(() => fields.value.some((f) => f.kind === 'reference' && f.many && f.name === 'parts'))

async function search(words: string, to: Target, among: string) {
  if (to !== 'entry') return
  const found = await api.entries(project, { search: words, kind: among }, 0, 30).catch(() => undefined)
  entries.value = found?.entries.map((e) => e.path) ?? []
}

async function run() {
  running.value = true
  error.value = null
  try {
    await submit({ ...form })
    emit('close')
  } catch (problem) {
    error.value = problem
  } finally {
    running.value = false
  }
}

// What is clicked on the model is chosen, or chosen no longer.
watch(
  () => picked,
  (now) => {
    if (now.length && takesParts.value && !choosing.value) form.parts = toggled(form.parts as string[], now)
  },
)
// What must be given and is not yet can be tried no more than it can be done.
const empty = (value: unknown) => value === '' || (Array.isArray(value) && !value.length)
const lacking = () => ((kind.parameters as Schema).required ?? []).some((name) => empty(form[name]))
const PAUSE = 350
let waiting: ReturnType<typeof setTimeout> | undefined
function tryOut() {
  clearTimeout(waiting)
  if (lacking()) return
  waiting = setTimeout(() => emit('preview', JSON.parse(JSON.stringify(form)) as Record<string, unknown>), PAUSE)
}
watch(form, tryOut, { deep: true })

const beneath = document.activeElement
onMounted(() => {
  home.value?.querySelector<HTMLElement>('input, select, textarea, button')?.focus()
  tryOut()
})
onBeforeUnmount(() => {
  clearTimeout(waiting)
  if (beneath instanceof HTMLElement) beneath.focus()
})
useKeys('Bench', [['Escape', 'Leave the step as it was', () => emit('close')]])
</script>

<template>
  <Teleport to="body">
    <aside
      ref="home"
      role="dialog"
      :aria-label="kind.title"
      class="fixed top-13 right-0 bottom-[172px] z-30 flex w-[304px] flex-col border-l border-line bg-sheet shadow-xl"
    >
      <form class="flex min-h-0 flex-1 flex-col" @submit.prevent="run">
        <div class="min-h-0 flex-1 space-y-4 overflow-auto p-4">
          <h2 class="text-[17px] font-semibold">{{ kind.title }}</h2>
          <p class="text-[13px] text-faint">{{ kind.about }}</p>
          <Problem v-if="error" :error="error" @close="error = null" />
          <div v-for="field in fields" :key="field.name">
            <label class="mb-1 block text-[13px] font-semibold" :for="`p-${field.name}`">
              {{ field.title }} <span class="font-normal text-faint">{{ field.about }}</span>
            </label>
            <FacesField
              v-if="field.kind === 'faces'"
              v-model="form[field.name] as FaceSet[]"
              :scene="before"
              :parts="content?.facts.parts ?? []"
              :path="`p-${field.name}`"
            />
            <PairsField
              v-else-if="field.kind === 'pairs'"
              v-model="form[field.name] as string[]"
              :scene="before"
              :project="project"
              :entry="String(form.entry ?? '')"
              :workpiece="String(form.workpiece ?? '')"
              :path="`p-${field.name}`"
            />
            <FieldInput
              v-else
              v-model="form[field.name]"
              :field="field"
              :choices="choices"
              :path="`p-${field.name}`"
              @search="search"
            />
          </div>
        </div>
        <p v-if="kept" class="border-t border-line px-4 py-2 text-[12.5px]" role="status">
          “{{ kept }}” is kept in the profile.
        </p>
        <p v-if="takesParts && !choosing" class="border-t border-line px-4 pt-2 text-[12px] leading-tight text-faint">
          A click on the model chooses a part, a drag with Shift those in a frame.
        </p>
        <div class="flex items-center gap-2 p-3" :class="{ 'border-t border-line': !takesParts || choosing }">
          <button
            v-if="(kind.parameters as Schema).keeps === 'scheme'"
            type="button"
            class="button"
            title="Keep what the channels mean in the game's profile"
            data-test="keep-scheme"
            @click="keeping = true"
          >
            Keep…
          </button>
          <button type="button" class="button ml-auto" @click="emit('close')">Cancel</button>
          <button class="button button-main shrink-0" :disabled="running" data-test="step-done">Run the step</button>
        </div>
      </form>
    </aside>
    <KeepScheme
      v-if="keeping"
      :project="project"
      :links="content?.links ?? []"
      :form="form"
      @close="keeping = false"
      @kept="((kept = $event), (keeping = false))"
    />
  </Teleport>
</template>
