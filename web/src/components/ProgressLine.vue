<script setup lang="ts">
import type { Job } from '../api/client'

defineProps<{ job: Job }>()
</script>

<template>
  <div class="min-w-0">
    <div class="flex items-baseline justify-between gap-3 text-[13px]">
      <span class="truncate">{{ job.title }}</span>
      <span class="num text-faint">{{
        job.status === 'queued' ? 'waiting' : `${Math.round(job.fraction * 100)} %`
      }}</span>
    </div>
    <div
      class="mt-1 h-1.5 overflow-hidden rounded-full bg-sunk"
      role="progressbar"
      :aria-label="job.title"
      :aria-valuenow="Math.round(job.fraction * 100)"
    >
      <div
        class="h-full rounded-full bg-sea transition-[width] duration-200"
        :style="{ width: `${Math.max(job.fraction, 0.02) * 100}%` }"
      />
    </div>
    <p v-if="job.message" class="mt-0.5 truncate text-[12px] text-faint">{{ job.message }}</p>
  </div>
</template>
