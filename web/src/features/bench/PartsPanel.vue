<script setup lang="ts">
import type { Part } from '../../api/client'
import { count } from '../../model/words'

const { parts } = defineProps<{ parts: Part[] }>()
const emit = defineEmits<{ keepShown: [] }>()
const hidden = defineModel<Set<string>>('hidden', { required: true })

function toggle(name: string) {
  const changed = new Set(hidden.value)
  if (!changed.delete(name)) changed.add(name)
  hidden.value = changed
}
const only = (name: string) => (hidden.value = new Set(parts.filter((p) => p.name !== name).map((p) => p.name)))
</script>

<template>
  <aside class="flex min-h-0 flex-col border-r border-line bg-sheet">
    <header class="flex items-baseline justify-between px-4 pt-3 pb-1">
      <h2 class="heading">Parts</h2>
      <span class="num text-[12px] text-faint">{{ parts.length - hidden.size }} of {{ parts.length }} shown</span>
    </header>
    <ul class="min-h-0 flex-1 overflow-auto pb-2">
      <li v-for="part in parts" :key="part.name" class="group flex items-center gap-2 px-4 py-[5px] hover:bg-sunk" :title="`${part.name}: ${part.materials.join(', ')}`">
        <input :id="`part-${part.name}`" type="checkbox" class="size-3.5 accent-(--sea)" :checked="!hidden.has(part.name)" :data-part="part.name" @change="toggle(part.name)" />
        <label :for="`part-${part.name}`" class="min-w-0 flex-1 truncate text-[13.5px]" :class="{ 'text-faint': hidden.has(part.name) }">{{ part.name }}</label>
        <span v-if="part.role !== 'visual'" class="rounded bg-marigold-soft px-1 text-[11px] text-marigold">{{ part.role }}</span>
        <span v-else-if="part.detail" class="rounded bg-marigold-soft px-1 text-[11px] text-marigold">level {{ part.detail }}</span>
        <button class="hidden text-[12px] text-sea underline group-hover:inline" @click="only(part.name)">only</button>
        <span class="num text-[12px] text-faint group-hover:hidden">{{ count(part.triangles) }}</span>
      </li>
    </ul>
    <footer v-if="hidden.size" class="flex gap-2 border-t border-line p-3">
      <button class="button flex-1" @click="hidden = new Set()">Show all</button>
      <button class="button flex-1" title="Adds a step that drops the hidden parts" :disabled="hidden.size === parts.length" @click="emit('keepShown')">Drop hidden</button>
    </footer>
  </aside>
</template>
