<script setup lang="ts">
import type { Workpiece } from '../../api/client'

// What the model is held against, and how: left of a line, or side by side.
const { words, there } = defineProps<{ words: string; there: boolean; others: Workpiece[] }>()
const other = defineModel<string>('other', { required: true })
const apart = defineModel<boolean>('apart', { required: true })
const emit = defineEmits<{ end: [] }>()
</script>

<template>
  <div
    class="flex items-center gap-3 rounded-full border border-line bg-sheet px-4 py-1 text-[12.5px]"
    role="group"
    aria-label="Compare"
    data-test="wiping"
  >
    <label v-if="others.length" class="flex items-center gap-2">
      <span class="sr-only">With</span>
      <select v-model="other" class="field max-w-44 px-1.5 py-0.5 text-[12.5px]" data-test="compare-with">
        <option value="">As it was</option>
        <option v-for="one in others" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
    </label>
    <span v-if="there" role="status">{{ words }} <span class="text-faint">on the left</span></span>
    <span v-else role="status">{{ other ? 'Opening…' : 'There is no step to compare with.' }}</span>
    <label class="flex items-center gap-1.5">
      <input v-model="apart" type="checkbox" class="accent-(--sea)" data-test="side-by-side" /> Side by side
    </label>
    <button class="words" title="c" @click="emit('end')">end</button>
  </div>
</template>
