<script setup lang="ts">
import type { Entry } from '../../api/client'
import { bytes, count, folderOf, last } from '../../model/words'

defineProps<{ entry: Entry | undefined; selected: boolean; picked: boolean }>()
</script>

<template>
  <div
    v-if="entry"
    class="grid cursor-default items-center gap-3 rounded-md px-2.5 text-left text-[13px] select-none"
    :class="[
      'grid-cols-[minmax(0,1fr)_72px_72px_minmax(0,110px)_36px]',
      selected ? 'bg-sea-soft text-sea' : 'hover:bg-sheet',
    ]"
    role="option"
    :aria-selected="selected"
    :title="entry.path"
    data-test="entry"
    :data-path="entry.path"
  >
    <span class="flex min-w-0 items-baseline gap-2">
      <span class="truncate font-medium">{{ entry.alias || last(entry.path) }}</span>
      <span class="min-w-0 flex-1 truncate text-[12px] text-faint">
        {{ entry.alias ? entry.path : folderOf(entry.path)
        }}<template v-if="entry.within"> · {{ entry.within }}</template>
      </span>
      <span v-if="entry.star" class="text-[11px] text-marigold">star</span>
      <span v-if="picked" class="rounded bg-sea px-1 text-[11px] text-on-sea">tray</span>
    </span>
    <span class="text-[12.5px] text-faint">{{ entry.kind }}</span>
    <span class="num text-right">{{ bytes(entry.size) }}</span>
    <span class="truncate text-[12.5px] text-faint">
      {{ entry.source }}<template v-if="entry.shadowed.length"> +{{ entry.shadowed.length }}</template>
    </span>
    <span class="num text-right text-[12px] text-faint">{{ entry.used ? count(entry.used) : '' }}</span>
  </div>
  <div v-else class="mx-2.5 my-2 rounded bg-sheet/70" role="option" aria-selected="false" aria-label="on its way" />
</template>
