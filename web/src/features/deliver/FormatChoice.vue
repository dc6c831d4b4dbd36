<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Format } from '../../api/client'
import FieldInput from '../../components/FieldInput.vue'
import { fieldsOf, valuesOf, type Field, type Schema, type Target } from '../../model/form'

// `losses` are what of the workpiece each format leaves out, in words.
const { losses, formats: given } = defineProps<{ losses: Record<string, string[]>; formats: Format[] }>()
const chosen = defineModel<string[]>({ required: true })
const options = defineModel<Record<string, Record<string, unknown>>>('options', { required: true })
const open = ref<string[]>([])
const NONE = {} as Record<Target, string[]>
// What carries most comes first.
const formats = computed(() => [...given].sort((a, b) => b.carries.length - a.carries.length))
const fields = computed<Record<string, Field[]>>(() =>
  Object.fromEntries(given.map((f) => [f.name, fieldsOf((f.options ?? {}) as Schema)])),
)

const starting = (format: string) => valuesOf(fields.value[format] ?? [], {})
const valueOf = (format: string, field: Field) => options.value[format]?.[field.name] ?? starting(format)[field.name]
function put(format: string, field: Field, value: unknown) {
  const own = { ...options.value[format], [field.name]: value }
  if (value === starting(format)[field.name]) delete own[field.name]
  options.value = { ...options.value, [format]: own }
}
const changed = (format: string) =>
  (fields.value[format] ?? [])
    .filter((field) => field.name in (options.value[format] ?? {}))
    .map((field) => `${field.title.toLowerCase()} ${String(valueOf(format, field))}`)
const turn = (format: string) =>
  (open.value = open.value.includes(format) ? open.value.filter((f) => f !== format) : [...open.value, format])
</script>

<template>
  <fieldset class="-mx-2 min-w-0">
    <legend class="heading mb-1 px-2">Formats</legend>
    <div
      v-for="format in formats"
      :key="format.name"
      class="rounded-md"
      :class="chosen.includes(format.name) && 'bg-sunk'"
    >
      <label class="flex cursor-pointer items-start gap-2.5 rounded-md px-2 py-1.5 hover:bg-sunk">
        <input
          v-model="chosen"
          type="checkbox"
          :value="format.name"
          class="mt-0.5 size-4 accent-(--sea)"
          :data-test="`format-${format.name}`"
        />
        <span class="font-medium">{{ format.title }}</span>
      </label>
      <div
        v-if="chosen.includes(format.name) && (losses[format.name]?.length || fields[format.name]?.length)"
        class="space-y-1.5 pr-2 pb-2 pl-8.5"
      >
        <p v-if="losses[format.name]?.length" class="text-[12.5px] text-faint" :data-test="`loses-${format.name}`">
          Leaves out {{ losses[format.name]!.join('; ') }}.
        </p>
        <button
          v-if="fields[format.name]?.length"
          type="button"
          class="text-[12.5px] text-sea underline-offset-2 hover:underline"
          :aria-expanded="open.includes(format.name)"
          :data-test="`options-${format.name}`"
          @click="turn(format.name)"
        >
          {{ open.includes(format.name) ? 'Fold the options' : 'Options' }}
          <span v-if="changed(format.name).length" class="num">· {{ changed(format.name).join(' · ') }}</span>
        </button>
        <div v-if="open.includes(format.name)" class="space-y-2 pt-1">
          <div
            v-for="field in fields[format.name]"
            :key="field.name"
            class="grid items-center gap-x-3 gap-y-1"
            :class="field.kind === 'number' ? 'grid-cols-1' : 'grid-cols-[minmax(0,1fr)_auto]'"
          >
            <label class="text-[13px]" :for="`o-${format.name}-${field.name}`">
              {{ field.title }}
              <span class="block text-[12px] leading-tight text-faint">{{ field.about }}</span>
            </label>
            <FieldInput
              :field="field"
              :choices="NONE"
              :path="`o-${format.name}-${field.name}`"
              :model-value="valueOf(format.name, field)"
              @update:model-value="put(format.name, field, $event)"
            />
          </div>
        </div>
      </div>
    </div>
  </fieldset>
</template>
