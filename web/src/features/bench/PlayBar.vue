<script setup lang="ts">
import { computed, ref } from 'vue'
import type { ClipFacts } from '../../api/client'
import { useKeys } from '../../composables/useKeys'
import type { Playing } from '../../composables/usePlaying'
import { frameAt, ROUNDS, SPEEDS, type Rounds } from '../../model/clock'
import MoreMenu from '../../components/MoreMenu.vue'
import ClipPicker from './ClipPicker.vue'

const { clips, playing, bones, keep, scene } = defineProps<{
  clips: ClipFacts[]
  scene: string
  playing: Playing
  bones: boolean
  keep: string
}>()
const emit = defineEmits<{ bones: []; pose: []; step: [step: string, params: Record<string, unknown>]; bring: [] }>()
const { number, clip, clock, speed, rounds, other, share, length, rate } = playing
const fading = ref(Boolean(other.value))
const frames = computed(() => frameAt(length.value, rate.value))
const frame = computed(() => frameAt(clock.value.seconds, rate.value))
const others = computed(() => clips.filter((one) => one.name !== clip.value?.name))

function next(by: number) {
  if (!clips.length) return
  const wanted = number.value < 0 ? (by > 0 ? 0 : clips.length - 1) : number.value + by
  playing.choose((wanted + clips.length) % clips.length)
}
function faster(by: number) {
  const at = SPEEDS.indexOf(speed.value) + by
  speed.value = SPEEDS[Math.min(Math.max(at, 0), SPEEDS.length - 1)]!
}
function fade() {
  fading.value = !fading.value
  if (fading.value) playing.fade(others.value[0]?.name ?? '', 0.5)
  else playing.fade('')
}
// A list gives the keyboard back, so that a letter is a key of the Bench again.
const taken = (event: Event) => {
  const list = event.target as HTMLSelectElement
  list.blur()
  return list.value
}
// What is done to the clip that plays, at the moment where it stands, is a step like any other.
const named = computed(() => ({ clips: [clip.value?.name ?? ''] }))
const moment = computed(() => Number(clock.value.seconds.toFixed(4)))
const take = (step: string, params: Record<string, unknown>) => () => emit('step', step, params)
const acts = computed(() => [
  { words: 'Bring more clips in…', run: () => emit('bring'), test: 'bring-more' },
  ...(others.value.length
    ? [{ words: fading.value ? 'End the fade' : 'Fade into another clip', run: fade, test: 'fade' }]
    : []),
  {
    words: 'Freeze this pose',
    run: take('freeze_pose', { clip: named.value.clips[0], at: moment.value }),
    test: 'freeze',
  },
  {
    words: 'Cut what comes before',
    run: take('trim_clips', { ...named.value, start: moment.value }),
    test: 'cut-before',
  },
  { words: 'Cut what comes after', run: take('trim_clips', { ...named.value, end: moment.value }), test: 'cut-after' },
  { words: 'Close its loop', run: take('close_loop', named.value), test: 'close-loop' },
  { words: 'Cut to its best loop', run: take('cut_to_loop', named.value), test: 'cut-to-loop' },
  { words: 'Turn it round', run: take('reverse_clips', named.value), test: 'reverse' },
  { words: 'Mirror left and right', run: take('mirror_clips', named.value), test: 'mirror-clip' },
  { words: 'Keep only this clip', run: take('keep_clips', named.value), test: 'keep-clip' },
  {
    words: 'Drop this clip',
    run: take('keep_clips', { ...named.value, action: 'drop' }),
    grave: true,
    test: 'drop-clip',
  },
])
useKeys('Play', [
  ['p', 'Play or hold', playing.toggle],
  ['ArrowLeft', 'One frame back', () => playing.step(-1)],
  ['ArrowRight', 'One frame on', () => playing.step(1)],
  ['Shift+ArrowLeft', 'Ten frames back', () => playing.step(-10)],
  ['Shift+ArrowRight', 'Ten frames on', () => playing.step(10)],
  ['Home', 'To the start of the clip', () => playing.hold(0)],
  ['End', 'To the end of the clip', () => playing.hold(length.value)],
  ['[', 'The clip before', () => next(-1)],
  [']', 'The next clip', () => next(1)],
  ['-', 'Slower', () => faster(-1)],
  ['+', 'Faster', () => faster(1)],
  ['r', 'As it rests, without a clip', () => playing.choose(-1)],
])
const icons = {
  back: 'M9.5 1v10l-6-5zM2 1h1.6v10H2z',
  on: 'M2.5 1v10l6-5zM8.4 1H10v10H8.4z',
  play: 'M2.5 1v10l8-5z',
  hold: 'M2 1h3v10H2zM7 1h3v10H7z',
}
</script>

<template>
  <section class="border-t border-line bg-sheet px-3 py-1.5 text-[12.5px]" aria-label="Clips" data-test="play-bar">
    <div v-if="!clips.length" class="flex items-center gap-3">
      <span class="flex-1 text-faint">No clips yet: this model has joints that could move.</span>
      <button class="button py-1" title="Turn and pull its joints by hand (k)" data-test="pose" @click="emit('pose')">
        Pose
      </button>
      <button class="button py-1" data-test="bring" @click="emit('bring')">Bring clips in…</button>
      <button
        class="button py-1"
        :class="{ 'bg-sea-soft font-semibold text-sea': bones }"
        :aria-pressed="bones"
        title="Joints over the model (s)"
        data-test="bones"
        @click="emit('bones')"
      >
        Joints
      </button>
    </div>
    <template v-else>
      <input
        type="range"
        class="block h-6 w-full accent-(--sea)"
        min="0"
        :max="length || 1"
        step="any"
        :value="clock.seconds"
        :disabled="!clip"
        aria-label="Time in the clip"
        :aria-valuetext="`${clock.seconds.toFixed(2)} seconds`"
        data-test="clip-time"
        @input="playing.hold(Number(($event.target as HTMLInputElement).value))"
        @keydown.left.prevent.stop="playing.step($event.shiftKey ? -10 : -1)"
        @keydown.right.prevent.stop="playing.step($event.shiftKey ? 10 : 1)"
      />
      <div class="flex flex-wrap items-center gap-x-1.5 gap-y-1">
        <ClipPicker :clips="clips" :playing="playing" :keep="keep" :scene="scene" />
        <div class="flex items-center gap-1" role="group" aria-label="Play">
          <button
            class="button flex size-7 items-center justify-center p-0!"
            aria-label="One frame back"
            title="One frame back (←)"
            :disabled="!clip"
            @click="playing.step(-1)"
          >
            <svg viewBox="0 0 12 12" class="size-3 fill-current" aria-hidden="true"><path :d="icons.back" /></svg>
          </button>
          <button
            class="button flex size-8 items-center justify-center p-0!"
            :aria-label="clock.running ? 'Hold' : 'Play'"
            :title="clock.running ? 'Hold (p)' : 'Play (p)'"
            data-test="play"
            @click="playing.toggle()"
          >
            <svg viewBox="0 0 12 12" class="size-3.5 fill-current" aria-hidden="true">
              <path :d="clock.running ? icons.hold : icons.play" />
            </svg>
          </button>
          <button
            class="button flex size-7 items-center justify-center p-0!"
            aria-label="One frame on"
            title="One frame on (→)"
            :disabled="!clip"
            @click="playing.step(1)"
          >
            <svg viewBox="0 0 12 12" class="size-3 fill-current" aria-hidden="true"><path :d="icons.on" /></svg>
          </button>
        </div>
        <span class="num mr-auto w-26 shrink-0 text-faint" data-test="clip-place">
          <template v-if="clip">
            {{ clock.seconds.toFixed(2) }} s
            <span :title="rate ? '' : 'Keys stand at no even rate; 30 a second are counted'"
              >· {{ frame }}/{{ frames }}</span
            >
          </template>
        </span>
        <select
          v-model.number="speed"
          class="field py-0.5"
          aria-label="Speed"
          title="Speed (− +)"
          data-test="speed"
          @change="taken"
        >
          <option v-for="one in SPEEDS" :key="one" :value="one">{{ one }}×</option>
        </select>
        <select
          class="field py-0.5"
          :value="rounds"
          aria-label="At its end"
          data-test="rounds"
          @change="rounds = taken($event) as Rounds"
        >
          <option v-for="[one, title] in ROUNDS" :key="one" :value="one">{{ title }}</option>
        </select>
        <button
          class="button px-2 py-1"
          :class="{ 'bg-sea-soft font-semibold text-sea': bones }"
          :aria-pressed="bones"
          title="Joints over the model (s)"
          data-test="bones"
          @click="emit('bones')"
        >
          Joints
        </button>
        <button
          class="button px-2 py-1"
          title="Turn and pull its joints by hand (k)"
          data-test="pose"
          @click="emit('pose')"
        >
          Pose
        </button>
        <MoreMenu v-if="clip" upwards="above" label="More about this clip" :acts="acts" />
      </div>
      <div v-if="fading && clip" class="mt-1.5 flex items-center gap-2" data-test="fading">
        <span class="text-faint">{{ clip.name }}</span>
        <input
          v-model.number="share"
          type="range"
          class="h-6 min-w-16 flex-1 accent-(--sea)"
          min="0"
          max="1"
          step="0.01"
          aria-label="How far it has faded into the other clip"
          data-test="fade-share"
        />
        <select
          class="field max-w-56 py-0.5"
          :value="other"
          aria-label="The clip that it fades into"
          @change="playing.fade(taken($event))"
        >
          <option v-for="one in others" :key="one.name" :value="one.name">{{ one.name }}</option>
        </select>
        <span class="num w-10 text-right text-faint">{{ Math.round(share * 100) }} %</span>
      </div>
    </template>
  </section>
</template>
