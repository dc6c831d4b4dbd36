<script setup lang="ts">
import Sheet from '../../components/Sheet.vue'
import VirtualGrid from '../../components/VirtualGrid.vue'
import type { Pick } from '../../composables/useTray'
import { bytes, count, folderOf, last } from '../../model/words'

// Everything on the tray, each of it to be taken off again.
defineProps<{ picks: Pick[] }>()
const emit = defineEmits<{ close: []; drop: [pick: Pick]; clear: [] }>()
</script>

<template>
  <Sheet open title="On the tray" wide @close="emit('close')">
    <VirtualGrid
      v-if="picks.length"
      class="h-80 rounded-md border border-line bg-paper"
      label="On the tray"
      :count="picks.length"
      :cell-height="34"
      :cell-width="null"
      :gap="0"
      :inset="6"
      :selected="-1"
    >
      <template #default="{ index }">
        <div v-if="picks[index]" class="flex items-center gap-3 px-2 text-[13px]" data-test="tray-line">
          <span class="truncate font-medium">{{ last(picks[index].path) }}</span>
          <span class="min-w-0 flex-1 truncate font-mono text-[12px] text-faint">{{
            folderOf(picks[index].path)
          }}</span>
          <span class="text-faint">{{ picks[index].kind }}</span>
          <span class="num w-16 text-right text-faint">{{ picks[index].size ? bytes(picks[index].size) : '' }}</span>
          <button
            class="button px-2 py-0.5"
            :aria-label="`Take ${last(picks[index].path)} off`"
            @click="emit('drop', picks[index])"
          >
            Take off
          </button>
        </div>
      </template>
    </VirtualGrid>
    <p v-else class="hatched rounded-md p-8 text-center text-[13px]">The tray is empty.</p>
    <div class="mt-4 flex items-center justify-end gap-2 text-[13px]">
      <span class="mr-auto text-faint"
        ><span class="num">{{ count(picks.length) }}</span> in all</span
      >
      <button class="button" :disabled="!picks.length" @click="emit('clear')">Empty the tray</button>
      <button class="button" @click="emit('close')">Close</button>
    </div>
  </Sheet>
</template>
