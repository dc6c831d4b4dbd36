<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api } from '../../api/client'
import FieldInput from '../../components/FieldInput.vue'
import { said, type Wanted } from '../../model/wanted'
import type { Field, Target } from '../../model/form'

const { fields, starting, clips, example } = defineProps<{
  fields: Field[]
  starting: Record<string, unknown>
  clips: string[]
  example: { name: string; piece: string; clip: string }
}>()
const wanted = defineModel<Wanted>({ required: true })
const open = ref(Object.keys(wanted.value.plan).length > 0)
const valueOf = (field: Field) => wanted.value.plan[field.name] ?? starting[field.name]
function put(field: Field, value: unknown) {
  wanted.value = { ...wanted.value, plan: said({ ...wanted.value.plan, [field.name]: value }, starting) }
}
const shown = (field: Field) => {
  const value = valueOf(field)
  return Array.isArray(value) ? `${value.length}` : String(value)
}
const changed = computed(() =>
  fields.filter((f) => f.name in wanted.value.plan).map((f) => `${f.title.toLowerCase()} ${shown(f)}`),
)
// Nothing is asked of clips where there are none; which parts stay out is chosen on the Bench.
const shownFields = computed(() => fields.filter((f) => f.kind !== 'reference' || (f.to === 'clip' && clips.length)))
const wide = (field: Field) => ['reference', 'text', 'optional', 'number', 'list'].includes(field.kind)

// What a file will be called, as the server says; nothing while the pattern is none.
const called = ref('')
let asked = 0
watch(
  () => open.value && [wanted.value.plan, example.name, example.piece, example.clip],
  async (now) => {
    if (!now) return
    const mine = ++asked
    const found = await api.nameExample(wanted.value.plan, example).catch(() => undefined)
    if (mine === asked) called.value = found?.example ?? ''
  },
  { immediate: true },
)
</script>

<template>
  <fieldset v-if="fields.length" class="min-w-0">
    <legend class="heading mb-1">Files</legend>
    <button
      type="button"
      class="text-left text-[12.5px] text-sea underline-offset-2 hover:underline"
      :aria-expanded="open"
      data-test="plan"
      @click="open = !open"
    >
      {{ open ? 'Fold what goes into which file' : 'What goes into which file' }}
      <span v-if="changed.length && !open" class="num">· {{ changed.join(' · ') }}</span>
    </button>
    <div v-if="open" class="space-y-2.5 pt-1.5">
      <div
        v-for="field in shownFields"
        :key="field.name"
        class="grid items-center gap-x-3 gap-y-1"
        :class="wide(field) ? 'grid-cols-1' : 'grid-cols-[minmax(0,1fr)_8.5rem] [&_select]:w-full'"
      >
        <label class="text-[13px]" :for="`plan-${field.name}`">
          {{ field.title }}
          <span class="block text-[12px] leading-tight text-faint">{{ field.about }}</span>
        </label>
        <FieldInput
          :field="field"
          :choices="{ clip: clips } as Record<Target, string[]>"
          :path="`plan-${field.name}`"
          :model-value="valueOf(field)"
          @update:model-value="put(field, $event)"
        />
        <p v-if="field.name === 'names'" class="num text-[12px] text-faint" data-test="example">
          {{ called || 'This is no pattern of names.' }}
        </p>
      </div>
      <label class="block text-[13px]" for="below">
        Folder
        <span class="block text-[12px] leading-tight text-faint">Below the output folder; left empty, right in it</span>
      </label>
      <input
        id="below"
        class="field w-full"
        maxlength="200"
        placeholder="props/market"
        :value="wanted.below"
        @input="wanted = { ...wanted, below: ($event.target as HTMLInputElement).value }"
      />
    </div>
  </fieldset>
</template>
