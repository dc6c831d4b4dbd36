<script setup lang="ts">
import { computed } from 'vue'
import type { Strip } from '../../api/client'
import { bytes } from '../../model/words'

// The whole file in one line: how disordered each piece is, how much of it is zero, and where one is.
const { strip, spans, seen } = defineProps<{
  strip: Strip
  spans: { name: string; first: number; end: number }[]
  seen: [number, number]
}>()
const emit = defineEmits<{ go: [offset: number] }>()
const bars = computed(() => {
  const wide = 1000 / strip.entropy.length
  return strip.entropy.map((entropy, n) => ({
    x: n * wide,
    width: Math.max(wide, 0.6),
    height: Math.max(1.5, (entropy / 8) * 34),
    zeros: (strip.zeros[n] ?? 0) > 0.95,
  }))
})
const share = (offset: number) => (offset / Math.max(strip.size, 1)) * 1000
function go(event: MouseEvent) {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  emit('go', Math.floor(((event.clientX - box.left) / box.width) * strip.size))
}
function byKey(event: KeyboardEvent) {
  const step = Math.ceil(strip.size / 64)
  const by = { ArrowLeft: -step, ArrowRight: step, Home: -strip.size, End: strip.size }[event.key]
  if (by === undefined) return
  event.preventDefault()
  emit('go', Math.min(Math.max(0, seen[0] + by), Math.max(0, strip.size - 1)))
}
</script>

<template>
  <div
    class="relative h-[46px] cursor-pointer bg-sheet"
    role="slider"
    tabindex="0"
    aria-label="The whole file; high where bytes are without order"
    aria-valuemin="0"
    :aria-valuemax="strip.size"
    :aria-valuenow="seen[0]"
    data-test="strip"
    @click="go"
    @keydown="byKey"
  >
    <svg viewBox="0 0 1000 46" preserveAspectRatio="none" class="size-full" aria-hidden="true">
      <rect
        v-for="span in spans"
        :key="`${span.name}${span.first}`"
        :x="share(span.first)"
        y="0"
        :width="Math.max(2, share(span.end - span.first))"
        height="46"
        class="fill-sea-soft"
      />
      <rect
        v-for="bar in bars"
        :key="bar.x"
        :x="bar.x"
        :y="40 - bar.height"
        :width="bar.width"
        :height="bar.height"
        :class="bar.zeros ? 'fill-line' : 'fill-faint/70'"
      />
      <rect x="0" y="41" width="1000" height="1" class="fill-line" />
      <rect :x="share(seen[0])" y="42" :width="Math.max(4, share(seen[1] - seen[0]))" height="4" class="fill-sea" />
    </svg>
    <span
      v-for="span in spans"
      :key="`${span.first}${span.name}`"
      class="pointer-events-none absolute top-0 max-w-40 truncate px-1 text-[11px] font-medium text-sea"
      :style="{ left: `min(${(span.first / Math.max(strip.size, 1)) * 100}%, calc(100% - 5rem))` }"
      :title="`${span.name}, ${bytes(span.end - span.first)}`"
      >{{ span.name }}</span
    >
  </div>
</template>
