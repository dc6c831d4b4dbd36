<script setup lang="ts">
import type { Entry } from '../../api/client'
import { folderOf, last } from '../../model/words'

const { entry, selected, picked } = defineProps<{ entry: Entry | undefined; selected: boolean; picked: boolean }>()
// What may be see-through lies on hatching, so that one sees that it is.
const plain = (one: Entry) => one.kind !== 'texture' || !one.picture
</script>

<template>
  <div
    v-if="entry"
    class="group relative flex cursor-default flex-col overflow-hidden rounded-lg border bg-sheet text-left select-none"
    :class="selected ? 'border-sea ring-2 ring-sea' : 'border-line hover:border-faint'"
    role="option"
    :aria-selected="selected"
    :title="entry.path"
    data-test="entry"
    :data-path="entry.path"
  >
    <div
      class="flex min-h-0 flex-1 items-center justify-center"
      :class="plain(entry) ? 'bg-gradient-to-b from-paper to-sunk' : 'hatched'"
    >
      <img
        v-if="entry.picture"
        :src="`/api/blobs/${entry.picture}`"
        alt=""
        class="size-full object-contain"
        loading="lazy"
      />
      <span v-else-if="entry.picture === null" class="text-[12px] text-faint">picture follows</span>
      <span v-else class="text-center">
        <span class="block font-mono text-[14px]">.{{ last(entry.path).split('.').at(-1) }}</span>
        <span class="text-[12px] text-faint">{{ entry.kind }}</span>
      </span>
    </div>
    <div class="w-full border-t border-line px-2.5 py-1.5">
      <p class="truncate text-[13px] font-medium">{{ entry.alias || last(entry.path) }}</p>
      <p class="truncate text-[12px] text-faint">
        {{ entry.alias ? last(entry.path) : entry.within || folderOf(entry.path) || 'top folder' }}
      </p>
    </div>
    <span class="absolute top-1.5 right-1.5 flex gap-1 text-[11px] font-semibold">
      <span v-if="entry.star" class="rounded bg-marigold-soft px-1.5 py-0.5 text-marigold">star</span>
      <span
        v-if="entry.shadowed.length"
        class="rounded bg-sheet px-1.5 py-0.5 text-faint"
        :title="`Also in ${entry.shadowed.join(', ')}`"
      >
        {{ entry.versions }} versions
      </span>
      <span v-if="picked" class="rounded bg-sea px-1.5 py-0.5 text-on-sea">tray</span>
    </span>
  </div>
  <div
    v-else
    class="rounded-lg border border-line bg-sheet/50"
    role="option"
    aria-selected="false"
    aria-label="on its way"
  />
</template>
