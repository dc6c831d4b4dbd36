<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { api } from '../api/client'
import ProgressLine from '../components/ProgressLine.vue'
import { failedJobs, forgetJob, runningJobs } from '../composables/useJobs'
</script>

<template>
  <Popover v-slot="{ open }" class="relative">
    <PopoverButton class="button" :class="{ 'border-brick text-brick': failedJobs.length }" data-test="jobs">
      <span v-if="runningJobs.length" class="size-2 animate-pulse rounded-full bg-sea" />
      <span v-if="failedJobs.length">{{ failedJobs.length }} failed</span>
      <span v-else>{{ runningJobs.length ? `Working on ${runningJobs.length}` : 'All quiet' }}</span>
    </PopoverButton>
    <PopoverPanel v-if="open" class="absolute right-0 z-30 mt-2 w-96 space-y-3 rounded-lg border border-line bg-sheet p-4 shadow-lg">
      <p v-if="!runningJobs.length && !failedJobs.length" class="text-[13px] text-faint">Nothing is being worked on. Long work shows its progress here and never blocks the page.</p>
      <div v-for="job in runningJobs" :key="job.id" class="flex items-center gap-3">
        <ProgressLine :job="job" class="flex-1" />
        <button class="button" @click="api.cancel(job.id)">Cancel</button>
      </div>
      <div v-for="job in failedJobs" :key="job.id" class="rounded-md bg-brick-soft p-2 text-[13px]">
        <p class="font-semibold text-brick">{{ job.title }} failed</p>
        <p class="break-words">{{ job.fault?.file }} {{ job.fault?.message }}</p>
        <p v-if="job.fault?.expected" class="text-faint">Expected {{ job.fault.expected }}<template v-if="job.fault.found">, found {{ job.fault.found }}</template></p>
        <p v-if="job.fault?.hint" class="text-faint">{{ job.fault.hint }}</p>
        <button class="button mt-1" @click="forgetJob(job.id)">Dismiss</button>
      </div>
    </PopoverPanel>
  </Popover>
</template>
