<script setup lang="ts">
import { computed } from 'vue'
import type { Entry } from '../../api/client'
import { folderOf, last } from '../../model/words'

const { entry, selected } = defineProps<{ entry: Entry; selected: boolean }>()
const drawn = computed(() => entry.kind === 'model' || entry.kind === 'texture')
</script>

<template>
  <button
    class="group overflow-hidden rounded-lg border bg-sheet text-left"
    :class="selected ? 'border-sea ring-2 ring-sea' : 'border-line hover:border-faint'"
    role="option"
    :aria-selected="selected"
    :title="entry.path"
    data-test="entry"
    :data-path="entry.path"
  >
    <div class="flex aspect-[4/3] items-center justify-center bg-gradient-to-b from-paper to-sunk">
      <img v-if="entry.picture" :src="`/api/blobs/${entry.picture}`" alt="" class="size-full" :class="entry.kind === 'texture' ? 'object-cover' : 'object-contain'" loading="lazy" />
      <span v-else-if="drawn" class="text-[12px] text-faint">picture follows</span>
      <span v-else class="font-mono text-[13px] text-faint">.{{ last(entry.path).split('.').at(-1) }}</span>
    </div>
    <div class="border-t border-line px-2.5 py-1.5">
      <p class="truncate text-[13px] font-medium">{{ last(entry.path) }}</p>
      <p class="truncate text-[12px] text-faint">{{ folderOf(entry.path) || 'top folder' }}</p>
    </div>
  </button>
</template>
