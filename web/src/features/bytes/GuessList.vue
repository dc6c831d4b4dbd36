<script setup lang="ts">
import type { Guess, Guesses, Job } from '../../api/client'
import Fault from '../../components/Fault.vue'
import ProgressLine from '../../components/ProgressLine.vue'
import { count } from '../../model/words'

// What Pruxel makes of the bytes, the likeliest first; taking one writes its layout.
const { guesses, job, waiting, taken } = defineProps<{
  guesses: Guesses | undefined
  job: Job | undefined
  waiting: boolean
  taken: string
}>()
const emit = defineEmits<{ take: [guess: Guess]; look: [guess: Guess]; ask: [] }>()
const KINDS: Record<Guess['kind'], string> = {
  mesh: 'Mesh',
  picture: 'Picture',
  compressed: 'Compressed',
  texts: 'Texts',
  places: 'Offsets',
  turns: 'Rotations',
}
const percent = (n: number) => `${Math.round(n * 100)} %`
</script>

<template>
  <div class="min-h-0 flex-1 overflow-auto" data-test="guesses">
    <div v-if="!guesses && !waiting" class="px-4 py-4 text-[13px]">
      <p class="mb-2 text-faint">
        From the bytes alone: vertices and triangles, pictures, compressed parts, texts, tables of offsets.
      </p>
      <button class="button button-main" data-test="ask-guesses" @click="emit('ask')">Guess what this holds</button>
    </div>
    <div v-else-if="waiting" class="px-4 py-4" data-test="guessing">
      <ProgressLine v-if="job" :job="job" />
      <p v-else class="text-[13px] text-faint">Looking at the bytes…</p>
    </div>
    <div v-else-if="guesses?.problem" class="m-3 rounded-md bg-brick-soft px-3 py-2">
      <Fault :fault="guesses.problem" />
    </div>
    <p v-else-if="!guesses?.found.length" class="px-4 py-4 text-[13px] text-faint">
      {{
        guesses?.size
          ? 'Nothing in these bytes looks like geometry, a picture or a table. Compare it with another file of its kind, or search it for a number that you know.'
          : 'There are no bytes to guess from.'
      }}
    </p>
    <ul v-else class="divide-y divide-line">
      <li
        v-for="(guess, n) in guesses.found"
        :key="n"
        class="px-4 py-2.5 text-[12.5px]"
        :class="guess.layout && guess.layout === taken ? 'bg-sea-soft/60' : 'hover:bg-paper'"
        data-test="guess"
      >
        <div class="flex items-baseline gap-2">
          <span class="font-semibold">{{ KINDS[guess.kind] }}</span>
          <span
            class="num ml-auto text-[11.5px]"
            :class="guess.confidence >= 0.8 ? 'font-semibold text-sea' : 'text-faint'"
            title="How sure this is, by itself"
            >{{ percent(guess.confidence) }}</span
          >
        </div>
        <button
          class="text-left [overflow-wrap:anywhere] hover:underline"
          title="Show its bytes"
          @click="emit('look', guess)"
        >
          {{ guess.title }}
        </button>
        <details v-if="guess.reasons.length" class="text-faint">
          <summary class="cursor-pointer">Why</summary>
          <ul class="list-inside list-disc">
            <li v-for="reason in guess.reasons" :key="reason">{{ reason }}</li>
          </ul>
        </details>
        <div class="mt-1 flex flex-wrap gap-1.5">
          <button
            v-if="guess.layout"
            class="button py-0.5"
            :class="n === 0 && guess.layout !== taken && 'button-main'"
            data-test="take-guess"
            @click="emit('take', guess)"
          >
            {{ guess.layout === taken ? 'Taken' : 'Take as layout' }}
          </button>
          <button v-else class="button py-0.5" data-test="show-guess" @click="emit('look', guess)">
            Show its bytes
          </button>
        </div>
      </li>
    </ul>
    <p v-if="guesses && guesses.looked_at < guesses.size" class="px-4 py-2 text-[12px] text-faint">
      Only the first {{ count(guesses.looked_at) }} of {{ count(guesses.size) }} bytes were looked at.
    </p>
  </div>
</template>
