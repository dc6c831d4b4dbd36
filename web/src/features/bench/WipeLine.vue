<script setup lang="ts">
import { ref } from 'vue'

// The line between two states in the viewport; dragged, or moved by arrows.
const at = defineModel<number>({ required: true })
const line = ref<HTMLElement>()
const within = (value: number) => Math.min(Math.max(value, 0), 1)

function dragged(event: PointerEvent) {
  const home = line.value?.parentElement?.getBoundingClientRect()
  if (home && event.buttons) at.value = within((event.clientX - home.left) / home.width)
}
const KEYS: Record<string, (now: number) => number> = {
  ArrowLeft: (now) => now - 0.02,
  ArrowRight: (now) => now + 0.02,
  PageDown: (now) => now - 0.1,
  PageUp: (now) => now + 0.1,
  Home: () => 0,
  End: () => 1,
}
function pressed(event: KeyboardEvent) {
  const move = KEYS[event.key]
  if (!move) return
  event.preventDefault()
  event.stopPropagation()
  at.value = within(move(at.value))
}
</script>

<template>
  <div
    ref="line"
    class="absolute inset-y-0 flex w-6 -translate-x-1/2 cursor-ew-resize touch-none justify-center"
    :style="{ left: `${at * 100}%` }"
    role="slider"
    tabindex="0"
    aria-label="Line between before and now"
    aria-valuemin="0"
    aria-valuemax="100"
    :aria-valuenow="Math.round(at * 100)"
    data-test="wipe-line"
    @pointerdown="line?.setPointerCapture($event.pointerId)"
    @pointermove="dragged"
    @keydown="pressed"
  >
    <span class="h-full w-0.5 bg-sea" />
    <span class="absolute top-1/2 flex h-9 w-5 -translate-y-1/2 items-center justify-center rounded-md bg-sea">
      <span class="h-4 w-0.5 bg-sheet" />
    </span>
  </div>
</template>
