<script setup lang="ts">
import type { Entry } from '../../api/client'
import { bytes, folderOf, last } from '../../model/words'

defineProps<{ entry: Entry | undefined }>()
const emit = defineEmits<{ open: [] }>()
</script>

<template>
  <aside class="flex flex-col overflow-auto border-l border-line bg-sheet">
    <template v-if="entry">
      <div class="flex aspect-[4/3] shrink-0 items-center justify-center bg-gradient-to-b from-paper to-sunk">
        <img v-if="entry.picture" :src="`/api/blobs/${entry.picture}`" :alt="`Picture of ${last(entry.path)}`" class="size-full object-contain" />
        <p v-else class="px-6 text-center text-[13px] text-faint">No picture of this kind of entry</p>
      </div>
      <div class="space-y-4 border-t border-line p-4">
        <div>
          <h2 class="text-[17px] font-semibold break-words">{{ last(entry.path) }}</h2>
          <p class="font-mono text-[12px] break-all text-faint">{{ folderOf(entry.path) }}</p>
        </div>
        <div class="flex flex-col gap-2">
          <button v-if="entry.kind === 'model' || entry.kind === 'texture'" class="button button-main py-2" data-test="open-bench" @click="emit('open')">Open on the Bench</button>
          <a class="button" :href="`/api/entries/${entry.id}/raw`">Save the raw file</a>
        </div>
        <dl class="grid grid-cols-[88px_1fr] gap-y-1.5 text-[13px]">
          <dt class="text-faint">Kind</dt>
          <dd>{{ entry.kind }}</dd>
          <dt class="text-faint">Size</dt>
          <dd class="num">{{ bytes(entry.size) }}</dd>
          <dt class="text-faint">From</dt>
          <dd class="break-all">{{ entry.source }}</dd>
          <template v-if="entry.shadowed.length">
            <dt class="text-faint">Shadows</dt>
            <dd class="break-all">{{ entry.shadowed.join(', ') }}</dd>
          </template>
        </dl>
      </div>
    </template>
    <p v-else class="m-auto p-8 text-center text-[13px] text-faint">Choose an entry to see it here.</p>
  </aside>
</template>
