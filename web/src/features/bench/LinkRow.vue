<script setup lang="ts">
import type { Link } from '../../api/client'
import { called, lacking, unsure } from '../../model/links'

defineProps<{ link: Link; title: string; open: boolean }>()
const emit = defineEmits<{ change: [] }>()
</script>

<template>
  <div class="flex min-h-7 items-baseline gap-2 text-[12.5px]">
    <p class="min-w-0 flex-1 leading-snug" :title="link.entry || link.why">
      <span class="text-faint">{{ title }}, </span>
      <span v-if="lacking(link)" class="text-brick">not there</span>
      <span v-else-if="unsure(link)" class="text-marigold">likely: {{ link.found }}</span>
      <span v-else class="text-faint">{{ link.found || 'in the same file' }}</span>
      <span class="block truncate font-medium">{{ called(link) }}</span>
    </p>
    <button
      class="words shrink-0"
      :aria-expanded="open"
      :aria-label="`Another ${title} than ${link.name}`"
      data-test="relink"
      @click="emit('change')"
    >
      {{ open ? 'close' : 'change' }}
    </button>
  </div>
</template>
