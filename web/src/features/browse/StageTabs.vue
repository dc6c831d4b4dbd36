<script setup lang="ts">
import { useRouter } from 'vue-router'

// Files or catalogue: two ways to look through the same game.
const { at, project } = defineProps<{ at: 'browse' | 'catalogue'; project: string }>()
const router = useRouter()
const places = [
  ['browse', 'Files', 'to-files'],
  ['catalogue', 'Catalogue', 'to-catalogue'],
] as const
</script>

<template>
  <nav class="flex gap-1 border-b border-line p-2 text-[13px]" aria-label="Ways to look">
    <button
      v-for="[name, title, mark] in places"
      :key="name"
      class="min-h-6 flex-1 rounded-md px-2 py-1"
      :class="at === name ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
      :aria-current="at === name ? 'page' : undefined"
      :data-test="mark"
      @click="at === name || router.push({ name, params: { project } })"
    >
      {{ title }}
    </button>
  </nav>
</template>
