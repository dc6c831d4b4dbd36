<script setup lang="ts">
import type { Folder } from '../../api/client'
import { count, last } from '../../model/words'

const { folder, depth, open, chosen } = defineProps<{ folder: Folder; depth: number; open: boolean; chosen: boolean }>()
const emit = defineEmits<{ choose: [path: string]; toggle: [folder: Folder] }>()
</script>

<template>
  <div
    class="flex items-center pr-4"
    :class="chosen ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
    :style="{ paddingLeft: `${10 + depth * 13}px` }"
    data-test="folder"
    :data-folder="folder.path"
  >
    <button
      v-if="folder.deeper"
      class="w-6 shrink-0 py-1 text-faint"
      :aria-label="`${open ? 'Close' : 'Open'} ${last(folder.path)}`"
      :aria-expanded="open"
      @click="emit('toggle', folder)"
    >
      {{ open ? '−' : '+' }}
    </button>
    <span v-else class="w-6 shrink-0" />
    <button
      class="flex min-w-0 flex-1 items-baseline gap-2 py-1 text-left"
      :title="folder.purpose ? `${folder.path}: ${folder.purpose}` : folder.path"
      @click="emit('choose', folder.path)"
      @dblclick="folder.deeper && emit('toggle', folder)"
    >
      <span class="min-w-0 flex-1 truncate"
        >{{ folder.alias || last(folder.path)
        }}<span v-if="folder.alias || folder.purpose" class="ml-1.5 text-[12px] font-normal text-faint">{{
          folder.alias ? last(folder.path) : folder.purpose
        }}</span></span
      >
      <span class="num text-[11.5px] text-faint">{{ count(folder.entries) }}</span>
    </button>
  </div>
</template>
