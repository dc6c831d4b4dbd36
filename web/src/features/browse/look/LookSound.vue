<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Look } from '../../../api/client'
import { count } from '../../../model/words'

const { entry, sound } = defineProps<{ entry: number; sound: NonNullable<Look['sound']> }>()
const player = ref<HTMLAudioElement>()
const at = ref(0)
const failed = ref(false)
const HALF = 50
const wave = computed(() => {
  const tops = sound.peaks.map(([, most], n) => `${n},${HALF - (most ?? 0) * HALF}`)
  const bottoms = sound.peaks.map(([least], n) => `${n},${HALF - (least ?? 0) * HALF}`).reverse()
  return [...tops, ...bottoms].join(' ')
})
watch(
  () => entry,
  () => {
    at.value = 0
    failed.value = false
  },
)
</script>

<template>
  <div class="space-y-3 px-4 py-3 text-[12.5px]">
    <svg
      :viewBox="`0 0 ${sound.peaks.length} ${2 * HALF}`"
      preserveAspectRatio="none"
      class="block h-28 w-full rounded-md bg-paper"
      role="img"
      aria-label="The shape of this sound"
      data-test="wave"
    >
      <polygon :points="wave" class="fill-sea" />
      <rect
        :x="(at / Math.max(sound.seconds, 0.001)) * sound.peaks.length"
        y="0"
        :width="sound.peaks.length / 200"
        :height="2 * HALF"
        class="fill-brick"
      />
    </svg>
    <!-- eslint-disable-next-line vuejs-accessibility/media-has-caption -- a game's sounds have none -->
    <audio
      ref="player"
      :src="`/api/entries/${entry}/raw?play=true`"
      controls
      class="w-full"
      aria-label="Play this sound"
      data-test="player"
      @timeupdate="at = player?.currentTime ?? 0"
      @error="failed = true"
    />
    <p v-if="!sound.whole" class="text-marigold" data-test="cut">
      The file ends before the end that it tells; this is what is there.
    </p>
    <p v-if="failed" class="text-marigold">
      This browser does not play {{ sound.format }}; save it to hear it elsewhere.
    </p>
    <p>
      <span class="num">{{ sound.seconds.toFixed(2) }} s</span>, {{ sound.format }},
      {{ sound.channels === 1 ? 'one channel' : `${sound.channels} channels` }},
      <span class="num">{{ count(sound.rate) }} Hz</span>
    </p>
  </div>
</template>
