<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Folder } from '../../api/client'
import { count, last } from '../../model/words'

const { folders, chosen, total } = defineProps<{ folders: Folder[]; chosen: string | null; total: number }>()
const emit = defineEmits<{ choose: [path: string | null] }>()
const closed = ref(new Set<string>())
const depth = (path: string) => path.split('/').length - 1
const shown = computed(() => folders.filter((f) => ![...closed.value].some((c) => f.path.startsWith(`${c}/`))))
const hasInner = (path: string) => folders.some((f) => f.path.startsWith(`${path}/`))
const toggle = (path: string) => (closed.value.has(path) ? closed.value.delete(path) : closed.value.add(path))
</script>

<template>
  <h2 class="heading px-4 pb-1">Folders</h2>
  <ul class="text-[13.5px]">
    <li>
      <button class="flex w-full justify-between px-4 py-1 text-left" :class="chosen === null ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'" @click="emit('choose', null)">
        All folders <span class="num text-faint">{{ count(total) }}</span>
      </button>
    </li>
    <li v-for="folder in shown" :key="folder.path" class="flex items-center" :class="chosen === folder.path ? 'bg-sea-soft text-sea' : 'hover:bg-sunk'">
      <button class="w-5 shrink-0 text-faint" :style="{ marginLeft: `${8 + depth(folder.path) * 14}px` }" :aria-label="closed.has(folder.path) ? 'Open' : 'Close'" @click="toggle(folder.path)">
        {{ hasInner(folder.path) ? (closed.has(folder.path) ? '+' : '–') : '' }}
      </button>
      <button class="flex min-w-0 flex-1 justify-between gap-2 py-1 pr-4 text-left" :class="{ 'font-semibold': chosen === folder.path }" @click="emit('choose', folder.path)">
        <span class="truncate">{{ last(folder.path) }}</span><span class="num text-faint">{{ count(folder.entries) }}</span>
      </button>
    </li>
  </ul>
</template>
