<script setup lang="ts">
import { useExtracts } from '../../composables/useJobs'
import { bytes, count } from '../../model/words'
import ExtractLine from './ExtractLine.vue'

// `models` of the tray; `foundModels` of what is found, for which the tray need not be filled.
defineProps<{ number: number; size: number; models: number; found: number; foundModels: number }>()
const emit = defineEmits<{
  open: []
  deliver: []
  run: []
  extract: []
  list: []
  clear: []
  all: []
  error: [problem: unknown]
}>()
const extracts = useExtracts()
</script>

<template>
  <div class="shrink-0 border-t border-line bg-sheet text-[13px]">
    <ExtractLine v-for="job in extracts" :key="job.id" :job="job" @error="emit('error', $event)" />
    <div class="flex flex-wrap items-center gap-x-2 gap-y-1.5 px-4 py-2">
      <button class="words font-semibold" data-test="tray-list" title="Show what is on the tray" @click="emit('list')">
        Tray
      </button>
      <span class="text-faint" data-test="tray">
        <template v-if="number">
          <span class="num">{{ count(number) }}</span> {{ number === 1 ? 'entry' : 'entries' }},
          <span class="num">{{ bytes(size) }}</span>
        </template>
        <template v-else>empty; <kbd class="num">t</kbd> puts the chosen entry on it</template>
      </span>
      <span class="flex-1" />
      <button v-if="number" class="button py-1" @click="emit('clear')">Empty</button>
      <button
        v-else-if="found"
        class="button py-1"
        data-test="take-found"
        title="Put everything that is found on the tray"
        @click="emit('all')"
      >
        Take all {{ count(found) }}
      </button>
      <button v-if="models" class="button py-1" data-test="tray-bench" @click="emit('open')">
        Open {{ models === 1 ? 'the model' : `${models} models` }} on the Bench
      </button>
      <button
        v-if="models"
        class="button py-1"
        data-test="tray-deliver"
        title="Every model by itself, in the formats you choose"
        @click="emit('deliver')"
      >
        Deliver each…
      </button>
      <button
        v-if="models || (!number && foundModels)"
        class="button py-1"
        data-test="tray-run"
        :title="`The steps of a recipe, on every model ${number ? 'on the tray' : 'that is found'} by itself`"
        @click="emit('run')"
      >
        Run a recipe…
      </button>
      <button
        class="button py-1"
        :class="{ 'button-main': number }"
        :disabled="!number && !found"
        data-test="extract"
        @click="emit('extract')"
      >
        Extract {{ number ? 'the tray' : 'what is found' }}…
      </button>
    </div>
  </div>
</template>
