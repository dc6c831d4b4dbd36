<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { api, type StepKind, type ViewContent, type Workpiece } from '../../api/client'
import FieldInput from '../../components/FieldInput.vue'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { fieldsOf, valuesOf, type Schema, type Target } from '../../model/form'

const { kind, values, content, hidden, project, workpieces, submit } = defineProps<{
  kind: StepKind
  values: Record<string, unknown>
  content: ViewContent | undefined
  hidden: Set<string>
  project: string
  workpieces: Workpiece[]
  submit: (params: Record<string, unknown>) => Promise<void>
}>()
const emit = defineEmits<{ close: [] }>()
const fields = computed(() => fieldsOf(kind.parameters as Schema))
const parts = computed(() => content?.facts.parts.map((p) => p.name) ?? [])
const fresh = !Object.keys(values).length
// A new step about parts begins with those that are shown, when some are hidden.
const shown = fresh && hidden.size ? { parts: parts.value.filter((name) => !hidden.has(name)) } : {}
const form = reactive(valuesOf(fields.value, { ...shown, ...values }))
const error = ref<unknown>(null)
const running = ref(false)
const entries = ref<string[]>([])
const choices = computed((): Record<Target, string[]> => ({
  part: parts.value,
  material: content?.facts.materials ?? [],
  texture: content?.facts.textures ?? [],
  clip: content?.facts.clips ?? [],
  variant: content?.facts.variants ?? [],
  joint: [],
  entry: entries.value,
  workpiece: workpieces.map((w) => w.id),
}))

async function search(words: string, among: Target) {
  if (among !== 'entry') return
  const found = await api.entries(project, { search: words, kind: 'model' }, 0, 30).catch(() => undefined)
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
</script>

<template>
  <Sheet open :title="kind.title" @close="emit('close')">
    <form class="space-y-4" @submit.prevent="run">
      <p class="text-faint">{{ kind.about }}</p>
      <Problem v-if="error" :error="error" @close="error = null" />
      <div v-for="field in fields" :key="field.name">
        <label class="mb-1 block text-[13px] font-semibold" :for="`p-${field.name}`">
          {{ field.title }} <span class="font-normal text-faint">{{ field.about }}</span>
        </label>
        <FieldInput
          v-model="form[field.name]"
          :field="field"
          :choices="choices"
          :path="`p-${field.name}`"
          @search="search"
        />
      </div>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button class="button button-main" :disabled="running" data-test="step-done">Run the step</button>
      </div>
    </form>
  </Sheet>
</template>
