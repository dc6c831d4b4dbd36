<script setup lang="ts">
import type { Entry } from '../../api/client'
import { folderOf, last } from '../../model/words'

const { entry, selected, picked } = defineProps<{ entry: Entry | undefined; selected: boolean; picked: boolean }>()
</script>

<template>
  <button v-if="entry" class="group relative flex flex-col overflow-hidden rounded-lg border bg-sheet text-left" :class="selected ? 'border-sea ring-2 ring-sea' : 'border-line hover:border-faint'" role="option" :aria-selected="selected" :title="entry.path" data-test="entry" :data-path="entry.path">
    <div class="flex min-h-0 flex-1 items-center justify-center bg-gradient-to-b from-paper to-sunk">
      <img v-if="entry.picture" :src="`/api/blobs/${entry.picture}`" alt="" class="size-full" :class="entry.kind === 'texture' ? 'object-cover' : 'object-contain'" loading="lazy" />
      <span v-else-if="entry.picture === null" class="text-[12px] text-faint">picture follows</span>
      <span v-else class="text-center"><span class="block font-mono text-[14px] text-ink/70">.{{ last(entry.path).split('.').at(-1) }}</span><span class="text-[11.5px] text-faint">{{ entry.kind }}</span></span>
    </div>
    <div class="w-full border-t border-line px-2.5 py-1.5">
      <p class="truncate text-[13px] font-medium">{{ entry.alias || last(entry.path) }}</p>
      <p class="truncate text-[11.5px] text-faint">{{ entry.alias ? last(entry.path) : entry.within || folderOf(entry.path) || 'top folder' }}</p>
    </div>
    <span class="absolute top-1.5 right-1.5 flex gap-1 text-[10.5px] font-semibold">
      <span v-if="entry.star" class="rounded bg-marigold-soft px-1.5 py-0.5 text-marigold">star</span>
      <span v-if="entry.shadowed.length" class="rounded bg-sheet/90 px-1.5 py-0.5 text-faint" :title="`Also in ${entry.shadowed.join(', ')}`">{{ entry.versions }} versions</span>
      <span v-if="picked" class="rounded bg-sea px-1.5 py-0.5 text-on-sea">tray</span>
    </span>
  </button>
  <div v-else class="rounded-lg border border-line bg-sheet/50" />
</template>
