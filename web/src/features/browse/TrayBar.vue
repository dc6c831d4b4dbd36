<script setup lang="ts">
import { useExtracts } from '../../composables/useJobs'
import { api } from '../../api/client'
import { bytes, count } from '../../model/words'

defineProps<{ number: number; size: number; models: number; found: number }>()
const emit = defineEmits<{ open: []; deliver: []; extract: []; clear: [] }>()
const extracts = useExtracts()
</script>

<template>
  <div class="border-t border-line bg-sheet text-[13px]">
    <div v-for="job in extracts" :key="job.id" class="flex items-center gap-3 border-b border-line px-4 py-1.5" data-test="extract-job" :data-status="job.status">
      <span class="truncate font-medium">{{ job.title }}</span>
      <div class="h-1.5 w-40 overflow-hidden rounded-full bg-sunk"><div class="h-full bg-sea" :style="{ width: `${job.fraction * 100}%` }" /></div>
      <span class="num min-w-0 flex-1 truncate text-[12px] text-faint">{{ job.status === 'done' ? `done, in ${job.payload.folder}` : job.status === 'paused' ? 'paused' : job.status === 'failed' ? job.fault?.message : job.message }}</span>
      <button v-if="job.status === 'running' || job.status === 'queued'" class="button py-0.5" data-test="pause" @click="api.pause(job.id)">Pause</button>
      <button v-if="['paused', 'failed', 'cancelled'].includes(job.status)" class="button py-0.5" data-test="resume" @click="api.resume(job.id)">Resume</button>
      <button v-if="job.status === 'running' || job.status === 'queued'" class="button py-0.5" data-test="cancel-extract" @click="api.cancel(job.id)">Cancel</button>
    </div>
    <div class="flex items-center gap-2 px-4 py-2">
      <span class="font-semibold">Tray</span>
      <span class="text-faint" data-test="tray"><template v-if="number"><span class="num">{{ count(number) }}</span> {{ number === 1 ? 'entry' : 'entries' }}, <span class="num">{{ bytes(size) }}</span></template><template v-else>empty; <kbd class="num">t</kbd> puts the chosen entry on it</template></span>
      <span class="flex-1" />
      <button v-if="number" class="button py-1" @click="emit('clear')">Empty</button>
      <button v-if="models" class="button py-1" data-test="tray-bench" @click="emit('open')">Open {{ models === 1 ? 'the model' : `${models} models` }} on the Bench</button>
      <button v-if="models" class="button py-1" data-test="tray-deliver" title="Every model by itself, in the formats you choose" @click="emit('deliver')">Deliver each…</button>
      <button class="button py-1" :class="{ 'button-main': number }" :disabled="!number && !found" data-test="extract" @click="emit('extract')">Extract {{ number ? 'the tray' : 'what is found' }}…</button>
    </div>
  </div>
</template>
