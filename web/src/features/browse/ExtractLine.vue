<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Job } from '../../api/client'
import Question from '../../components/Question.vue'
import { count } from '../../model/words'

// How one extraction stands, and what can be done about it.
const { job } = defineProps<{ job: Job }>()
const emit = defineEmits<{ error: [problem: unknown] }>()
const asking = ref(false)
const active = computed(() => job.status === 'running' || job.status === 'queued')
const left = computed(() => Number(job.payload.done ?? 0))
const words = computed(() => {
  const files = `${count(left.value)} ${left.value === 1 ? 'file' : 'files'}`
  if (job.status === 'done') return `done, in ${String(job.payload.folder)}`
  if (job.status === 'paused') return `paused; ${files} written so far`
  if (job.status === 'cancelled')
    return left.value ? `stopped; ${files} left in ${String(job.payload.folder)}` : 'stopped'
  return job.status === 'failed' ? String(job.fault?.message) : job.message
})
// What could not be written, and why; the others are there.
const failed = computed(() => Number(job.payload.failed ?? 0))
const reasons = ref<string[]>()
const tell = () =>
  reasons.value
    ? (reasons.value = undefined)
    : act(api.results(job.id).then((found) => (reasons.value = found.not_written ?? [])))
const act = (work: Promise<unknown>) => void work.catch((problem: unknown) => emit('error', problem))
</script>

<template>
  <div
    class="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-4 py-1.5"
    data-test="extract-job"
    :data-status="job.status"
  >
    <span class="truncate font-medium">{{ job.title }}</span>
    <div v-if="active" class="h-1.5 w-32 overflow-hidden rounded-full bg-sunk">
      <div class="h-full bg-sea" :style="{ width: `${job.fraction * 100}%` }" />
    </div>
    <span class="num min-w-0 flex-1 truncate text-[12px] text-faint" :title="words">{{ words }}</span>
    <button
      v-if="failed"
      class="text-[12px] text-brick underline underline-offset-2"
      :aria-expanded="!!reasons"
      data-test="not-written"
      @click="tell"
    >
      {{ count(failed) }} not written
    </button>
    <button v-if="active" class="button py-0.5" data-test="pause" @click="act(api.pause(job.id))">Pause</button>
    <button v-else-if="job.status !== 'done'" class="button py-0.5" data-test="resume" @click="act(api.resume(job.id))">
      Resume
    </button>
    <button v-if="active" class="button py-0.5" data-test="cancel-extract" @click="act(api.cancel(job.id))">
      Stop
    </button>
    <template v-else>
      <button
        v-if="left"
        class="button py-0.5"
        data-test="remove-extracted"
        title="Delete the folder that this extraction wrote"
        @click="asking = true"
      >
        Delete its files
      </button>
      <button class="button py-0.5" data-test="extract-away" @click="act(api.putAway(job.id))">Put away</button>
    </template>
    <ul v-if="reasons" class="max-h-40 w-full overflow-auto text-[12px]" data-test="reasons">
      <li v-for="line in reasons" :key="line" class="py-0.5 [overflow-wrap:anywhere]">{{ line }}</li>
      <li v-if="reasons.length < failed" class="py-0.5 text-faint">
        and {{ count(failed - reasons.length) }} more of the kind
      </li>
    </ul>
    <Question
      v-if="asking"
      title="Delete what this extraction wrote?"
      act="Delete its files"
      @close="asking = false"
      @yes="(act(api.removeExtracted(job.id)), (asking = false))"
    >
      <p>{{ count(left) }} {{ left === 1 ? 'file goes' : 'files go' }} with the folder:</p>
      <p class="mt-1 font-mono text-[12px] [overflow-wrap:anywhere]">{{ job.payload.folder }}</p>
    </Question>
  </div>
</template>
