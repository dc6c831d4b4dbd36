<script setup lang="ts">
import { computed } from 'vue'
import type { Described } from '../../api/client'

// The constants of a layout: where something begins, how large it is, of what type; turned, and seen at once.
const { constants } = defineProps<{ constants: NonNullable<Described['constants']> }>()
const emit = defineEmits<{ set: [name: string, value: string | number] }>()
const TYPES =
  'f32x2 f32x3 f32x4 f16x2 f16x3 f16x4 snorm16x2 snorm16x3 snorm16x4 unorm16x2 unorm16x3 unorm16x4 i16x3 i16x4 u16x2 u16x4 ' +
  'snorm8x3 snorm8x4 unorm8x3 unorm8x4 u8x4 snorm10_10_10_2 unorm10_10_10_2 u8 u16 u32'
const BLOCKS = 'BC1 BC2 BC3 BC4 BC5 BC7'
const list = computed(() => Object.entries(constants))
const choices = (name: string, value: unknown) => {
  const known = (name.startsWith('compression') ? BLOCKS : TYPES).split(' ')
  return known.includes(String(value)) ? known : [String(value), ...known]
}
function put(name: string, words: string) {
  const value = Number(words)
  if (words.trim() && Number.isFinite(value)) emit('set', name, value)
}
</script>

<template>
  <ul class="min-h-0 flex-1 divide-y divide-line/60 overflow-auto text-[12.5px]" data-test="numbers">
    <li v-for="[name, value] in list" :key="name" class="flex items-center gap-2 px-3 py-1">
      <label class="min-w-0 flex-1 truncate font-mono text-[12px]" :for="`constant-${name}`">{{ name }}</label>
      <template v-if="typeof value === 'number'">
        <button
          class="button px-2 py-0.5"
          :aria-label="`${name} less 1`"
          :data-test="`less-${name}`"
          @click="emit('set', name, value - 1)"
        >
          −
        </button>
        <input
          :id="`constant-${name}`"
          class="field num w-24 py-0.5 text-right"
          inputmode="decimal"
          :value="value"
          @change="put(name, ($event.target as HTMLInputElement).value)"
          @keydown.up.prevent="emit('set', name, value + ($event.shiftKey ? 4 : 1))"
          @keydown.down.prevent="emit('set', name, value - ($event.shiftKey ? 4 : 1))"
        />
        <button
          class="button px-2 py-0.5"
          :aria-label="`${name} more 1`"
          :data-test="`more-${name}`"
          @click="emit('set', name, value + 1)"
        >
          +
        </button>
      </template>
      <select
        v-else
        :id="`constant-${name}`"
        class="field w-44 py-0.5"
        :value="value"
        :data-test="`type-${name}`"
        @change="emit('set', name, ($event.target as HTMLSelectElement).value)"
      >
        <option v-for="one in choices(name, value)" :key="one" :value="one">{{ one }}</option>
      </select>
    </li>
    <li v-if="!list.length" class="px-3 py-2 text-faint">
      This layout has no <code>constants</code>. What stands there can be turned here, and is seen at once.
    </li>
  </ul>
</template>
