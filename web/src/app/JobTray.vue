<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { ref } from 'vue'
import { api, type Job } from '../api/client'
import Fault from '../components/Fault.vue'
import ProgressLine from '../components/ProgressLine.vue'
import { endedJobs, failedJobs, runningJobs } from '../composables/useJobs'

const { project } = defineProps<{ project: string }>()
const history = ref(false)
const WORDS: Record<Job['status'], string> = {
  done: 'done',
  cancelled: 'stopped',
  paused: 'paused',
  failed: 'failed',
  queued: 'waiting',
  running: 'running',
}
const at = (job: Job) => new Date(job.ended ?? job.created).toLocaleTimeString('en-GB', { timeStyle: 'short' })
</script>

<template>
  <Popover v-slot="{ open }" class="relative">
    <PopoverButton class="button" data-test="jobs">
      <span v-if="runningJobs.length" class="size-2 animate-pulse rounded-full bg-sea" aria-hidden="true" />
      <span v-if="runningJobs.length">Working on {{ runningJobs.length }}</span>
      <span v-else-if="!failedJobs.length">All quiet</span>
      <span v-if="failedJobs.length" class="font-semibold text-brick" data-test="failed-count">
        {{ failedJobs.length }} failed
      </span>
    </PopoverButton>
    <PopoverPanel
      v-if="open"
      :class="[
        'absolute right-0 z-30 mt-2 max-h-[70vh] w-[26rem] space-y-3',
        'overflow-auto rounded-lg border border-line bg-sheet p-4 shadow-lg',
      ]"
    >
      <p v-if="!runningJobs.length && !failedJobs.length" class="text-[13px] text-faint">
        Nothing is being worked on. Long work shows its progress here and never blocks the page.
      </p>
      <div v-for="job in runningJobs" :key="job.id" class="flex items-center gap-3" data-test="running-job">
        <ProgressLine :job="job" class="flex-1" />
        <button class="button" @click="api.cancel(job.id)">Cancel</button>
      </div>
      <div v-for="job in failedJobs" :key="job.id" class="rounded-md bg-brick-soft p-2.5" data-test="failed-job">
        <p class="text-[13px] font-semibold">{{ job.title }} failed</p>
        <Fault v-if="job.fault" :fault="job.fault as never" />
        <div class="mt-1.5 flex gap-2">
          <button class="button py-1" data-test="again" @click="api.again(job.id)">Try again</button>
          <button class="button py-1" data-test="away" @click="api.putAway(job.id)">Put away</button>
        </div>
      </div>
      <div v-if="endedJobs.length || failedJobs.length" class="border-t border-line pt-2 text-[12.5px]">
        <div class="flex items-center justify-between">
          <button class="underline underline-offset-2" :aria-expanded="history" @click="history = !history">
            {{ history ? 'Hide what ended' : 'What ended lately' }}
          </button>
          <button v-if="failedJobs.length" class="underline underline-offset-2" @click="api.putAllAway(project)">
            Put all away
          </button>
        </div>
        <ul v-if="history" class="mt-1 divide-y divide-line" data-test="history">
          <li v-for="job in endedJobs" :key="job.id" class="flex gap-3 py-1">
            <span class="min-w-0 flex-1 truncate">{{ job.title }}</span>
            <span class="text-faint">{{ WORDS[job.status] }}</span><span class="num text-faint">{{ at(job) }}</span>
          </li>
        </ul>
      </div>
    </PopoverPanel>
  </Popover>
</template>
