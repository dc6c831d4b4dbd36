<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { typedNumber, type Field, type NumberField, type Target } from '../model/form'

const { field, choices } = defineProps<{ field: Field; choices: Record<Target, string[]>; path: string }>()
const emit = defineEmits<{ search: [words: string, to: Target, among: string] }>()
const value = defineModel<unknown>({ required: true })
const wrong = ref('')

const names = computed(() => (field.kind === 'reference' ? choices[field.to] : []))
const chosen = computed(() => (Array.isArray(value.value) ? (value.value as string[]) : []))
const shown = computed(() => [...new Set([...names.value, ...chosen.value])])

// What was typed stays as it is while it is no number in range, and the form cannot be sent.
const typed = ref(String(value.value))
watch(value, (now) => {
  if (field.kind === 'number' && typedNumber(typed.value, field) !== now) typed.value = String(now)
})
function type(event: Event) {
  const box = event.target as HTMLInputElement
  typed.value = box.value
  const found = typedNumber(box.value, field as NumberField)
  wrong.value = found === null ? range(field as NumberField) : ''
  box.setCustomValidity(wrong.value && `Give ${wrong.value}.`)
  if (found !== null) value.value = found
}
function range(of: NumberField): string {
  const what = of.whole ? 'a whole number' : 'a number'
  if (of.least !== null && of.most !== null) return `${what} from ${of.least} to ${of.most}`
  if (of.least !== null) return `${what}, ${of.least} or more`
  return of.most === null ? what : `${what}, ${of.most} or less`
}
// Where the usual value is less than a notch from the end, a slider would be of no use.
const slides = (of: NumberField) =>
  of.least !== null &&
  of.most !== null &&
  of.most - of.least <= 1000 &&
  (typeof of.start !== 'number' || !of.start || of.whole || Math.abs(of.start) >= (of.most - of.least) / 200)
function pick(name: string) {
  value.value = chosen.value.includes(name) ? chosen.value.filter((n) => n !== name) : [...chosen.value, name]
}
function put(index: number, inner: unknown) {
  const list = [...(value.value as unknown[])]
  list[index] = inner
  value.value = list
}
</script>

<template>
  <div v-if="field.kind === 'number'">
    <span class="flex items-center gap-2">
      <input
        v-if="slides(field)"
        type="range"
        class="min-w-0 flex-1 accent-(--sea)"
        :min="field.least!"
        :max="field.most!"
        :step="field.whole ? 1 : (field.most! - field.least!) / 200"
        :value="value"
        :aria-label="field.title"
        @input="type"
      />
      <input
        :id="path"
        class="field num w-32"
        inputmode="decimal"
        :value="typed"
        :aria-label="field.title"
        :aria-invalid="!!wrong"
        @input="type"
      />
      <span v-if="field.unit" class="text-[13px] text-faint">{{ field.unit }}</span>
    </span>
    <span v-if="wrong" class="text-[12.5px] text-brick" role="alert">Give {{ wrong }}.</span>
  </div>
  <input v-else-if="field.kind === 'flag'" :id="path" v-model="value" type="checkbox" class="size-4 accent-(--sea)" />
  <select v-else-if="field.kind === 'choice'" :id="path" v-model="value" class="field">
    <option v-for="option in field.options" :key="option" :value="option">{{ option }}</option>
  </select>
  <ul
    v-else-if="field.kind === 'reference' && field.many"
    :id="path"
    class="max-h-44 overflow-auto rounded-md border border-line bg-sheet"
    role="group"
    :aria-label="field.title"
  >
    <li v-for="name in shown" :key="name">
      <label class="flex items-center gap-2 px-2.5 py-1 text-[13px] hover:bg-sunk">
        <input type="checkbox" class="accent-(--sea)" :checked="chosen.includes(name)" @change="pick(name)" />
        <span class="truncate">{{ name }}</span>
      </label>
    </li>
    <li v-if="!shown.length" class="px-2.5 py-1 text-[13px] text-faint">There is none here.</li>
  </ul>
  <template v-else-if="field.kind === 'reference'">
    <input
      :id="path"
      v-model="value"
      class="field w-full"
      :list="`${path}-choices`"
      autocomplete="off"
      @focus="emit('search', ($event.target as HTMLInputElement).value, field.to, field.among)"
      @input="emit('search', ($event.target as HTMLInputElement).value, field.to, field.among)"
    />
    <datalist :id="`${path}-choices`"><option v-for="name in names" :key="name" :value="name" /></datalist>
  </template>
  <div v-else-if="field.kind === 'tuple'" :id="path" class="flex gap-2">
    <span v-for="(item, i) in field.items" :key="item.name" class="flex items-center gap-1 text-[13px] text-faint">
      {{ item.name }}
      <FieldInput
        :field="item"
        :choices="choices"
        :path="`${path}-${i}`"
        :model-value="(value as unknown[])[i]"
        @update:model-value="put(i, $event)"
        @search="(words, to, among) => emit('search', words, to, among)"
      />
    </span>
  </div>
  <div v-else-if="field.kind === 'list'" :id="path" class="space-y-1.5">
    <div v-for="(inner, i) in value as unknown[]" :key="i" class="flex items-center gap-2">
      <FieldInput
        :field="field.item"
        :choices="choices"
        :path="`${path}-${i}`"
        :model-value="inner"
        @update:model-value="put(i, $event)"
        @search="(words, to, among) => emit('search', words, to, among)"
      />
      <button type="button" class="button py-0.5" @click="value = (value as unknown[]).filter((_, n) => n !== i)">
        Remove
      </button>
    </div>
    <button type="button" class="button py-1" @click="value = [...(value as unknown[]), field.item.start]">
      Add one
    </button>
  </div>
  <div v-else-if="field.kind === 'group'" :id="path" class="space-y-2 border-l-2 border-line pl-3">
    <div v-for="inner in field.fields" :key="inner.name" class="block text-[13px]">
      <span class="mb-0.5 block">{{ inner.title }}</span>
      <FieldInput
        :field="inner"
        :choices="choices"
        :path="`${path}-${inner.name}`"
        :model-value="(value as Record<string, unknown>)[inner.name]"
        @update:model-value="value = { ...(value as object), [inner.name]: $event }"
        @search="(words, to, among) => emit('search', words, to, among)"
      />
    </div>
  </div>
  <div v-else-if="field.kind === 'optional'" class="flex items-start gap-2">
    <input
      type="checkbox"
      class="mt-2 accent-(--sea)"
      :checked="value !== null"
      :aria-label="`Give ${field.title}`"
      @change="value = value === null ? field.inner.start : null"
    />
    <FieldInput
      v-if="value !== null"
      v-model="value"
      :field="field.inner"
      :choices="choices"
      :path="path"
      @search="(words, to, among) => emit('search', words, to, among)"
    />
    <span v-else class="py-1.5 text-[13px] text-faint">left as it is</span>
  </div>
  <span v-else-if="field.kind === 'color'" class="flex items-center gap-2">
    <input
      v-model="value"
      type="color"
      class="h-8 w-12 cursor-pointer rounded border border-line bg-sheet p-0.5"
      :aria-label="`${field.title}, chosen`"
    />
    <input :id="path" v-model="value" class="field num w-28" pattern="#[0-9a-fA-F]{6}" :aria-label="field.title" />
  </span>
  <input v-else :id="path" v-model="value" class="field w-full" type="text" />
</template>
