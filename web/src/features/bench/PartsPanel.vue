<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import type { Part } from '../../api/client'
import { count } from '../../model/words'

const { parts, chosen } = defineProps<{ parts: Part[]; chosen: string | null }>()
const emit = defineEmits<{ keepShown: [] }>()
const hidden = defineModel<Set<string>>('hidden', { required: true })
const list = ref<HTMLElement>()

function toggle(name: string) {
  const changed = new Set(hidden.value)
  if (!changed.delete(name)) changed.add(name)
  hidden.value = changed
}
const only = (name: string) => (hidden.value = new Set(parts.filter((p) => p.name !== name).map((p) => p.name)))
watch(
  () => chosen,
  () => void nextTick(() => list.value?.querySelector('[data-chosen]')?.scrollIntoView({ block: 'nearest' })),
)
</script>

<template>
  <aside class="flex min-h-0 flex-col border-r border-line bg-sheet" aria-label="Parts">
    <header class="flex items-baseline justify-between px-4 pt-3 pb-1">
      <h2 class="heading">Parts</h2>
      <span v-if="parts.length" class="num text-[12px] text-faint">
        {{ parts.length - hidden.size }} of {{ parts.length }} shown
      </span>
    </header>
    <ul ref="list" class="min-h-0 flex-1 overflow-auto pb-2">
      <li
        v-for="part in parts"
        :key="part.name"
        class="group flex min-h-7 items-center gap-2 px-4"
        :class="part.name === chosen ? 'bg-sea-soft' : 'hover:bg-sunk'"
        :data-chosen="part.name === chosen || undefined"
        :title="`${part.name}: ${part.materials.join(', ')}`"
      >
        <input
          :id="`part-${part.name}`"
          type="checkbox"
          class="size-4 accent-(--sea)"
          :checked="!hidden.has(part.name)"
          :data-part="part.name"
          @change="toggle(part.name)"
        />
        <label
          :for="`part-${part.name}`"
          class="min-w-0 flex-1 truncate py-1 text-[13.5px]"
          :class="hidden.has(part.name) ? 'text-faint' : part.name === chosen ? 'font-semibold' : ''"
        >
          {{ part.name }}
        </label>
        <span v-if="part.role !== 'visual'" class="rounded bg-marigold-soft px-1 text-[11.5px] text-marigold">
          {{ part.role }}
        </span>
        <span v-else-if="part.detail" class="rounded bg-marigold-soft px-1 text-[11.5px] text-marigold">
          level {{ part.detail }}
        </span>
        <button
          class="sr-only text-[12px] text-sea underline group-hover:not-sr-only focus:not-sr-only"
          :aria-label="`Show only ${part.name}`"
          @click="only(part.name)"
        >
          only
        </button>
        <span class="num text-[12px] text-faint group-hover:hidden group-focus-within:hidden">
          {{ count(part.triangles) }}
        </span>
      </li>
    </ul>
    <footer v-if="hidden.size" class="flex gap-2 border-t border-line p-3">
      <button class="button flex-1" @click="hidden = new Set()">Show all</button>
      <button
        class="button flex-1"
        title="Adds a step that drops the hidden parts"
        :disabled="hidden.size === parts.length"
        @click="emit('keepShown')"
      >
        Drop hidden
      </button>
    </footer>
  </aside>
</template>
