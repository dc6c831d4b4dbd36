<script setup lang="ts">
import type { Glance } from '../../../api/client'
import { count } from '../../../model/words'

type Clip = NonNullable<Glance['facts']>['clips'][number]
const { clips, active, running, time, still } = defineProps<{
  clips: Clip[]
  active: number
  running: boolean
  time: number
  still: boolean
}>()
const emit = defineEmits<{ play: [number: number]; hold: [number: number, seconds: number] }>()
const seconds = (value: number) => `${value.toFixed(2)} s`
const press = (number: number) => (active === number && running ? emit('hold', number, time) : emit('play', number))
</script>

<template>
  <ul class="max-h-52 divide-y divide-line overflow-auto border-b border-line" data-test="clips">
    <li v-for="(clip, number) in clips" :key="number" class="px-4 py-1.5" :class="active === number && 'bg-sea-soft'">
      <div class="flex items-center gap-2.5">
        <button
          v-if="!still"
          class="button flex size-7 shrink-0 items-center justify-center p-0!"
          :aria-label="`${active === number && running ? 'Hold' : 'Play'} ${clip.name}`"
          :data-test="`play-${clip.name}`"
          @click="press(number)"
        >
          <svg viewBox="0 0 12 12" class="size-3 shrink-0 fill-current" aria-hidden="true">
            <path v-if="active === number && running" d="M2 1h3v10H2zM7 1h3v10H7z" />
            <path v-else d="M2.5 1v10l8-5z" />
          </svg>
        </button>
        <span class="min-w-0 flex-1 truncate font-medium">{{ clip.name }}</span>
        <span class="num text-faint">{{ seconds(clip.seconds) }}, {{ count(clip.frames) }} frames</span>
      </div>
      <label v-if="active === number && !still" class="mt-1 flex items-center gap-2">
        <input
          type="range"
          class="min-w-0 flex-1 accent-(--sea)"
          min="0"
          :max="clip.seconds"
          step="0.01"
          :value="time"
          :aria-label="`Time in ${clip.name}`"
          data-test="clip-time"
          @input="emit('hold', number, Number(($event.target as HTMLInputElement).value))"
        />
        <span class="num w-12 text-right text-faint">{{ seconds(time) }}</span>
      </label>
    </li>
  </ul>
</template>
