<script setup lang="ts">
import { computed } from 'vue'
import { drawnFlat, nearestDot, type Resting } from '../../model/pairs'

// One skeleton as it rests, flat: what is clicked is the joint nearest the pointer.
const { joints, turn, chosen, near } = defineProps<{
  title: string
  joints: Resting[]
  looks: Map<string, string>
  chosen: string
  near: string
  turn: number
}>()
const emit = defineEmits<{ choose: [name: string]; over: [name: string] }>()
const SIZE = { width: 230, height: 300 }
const dots = computed(() => drawnFlat(joints, SIZE, turn))

function at(event: MouseEvent, last: string): string {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const x = ((event.clientX - box.left) / box.width) * SIZE.width
  const y = ((event.clientY - box.top) / box.height) * SIZE.height
  return nearestDot(dots.value, x, y, last)
}
function choose(event: MouseEvent) {
  const name = at(event, chosen)
  if (name) emit('choose', name)
}
// Arrows go from joint to joint, Enter chooses the one that they have come to.
function onKey(event: KeyboardEvent) {
  const step = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key]
  const here = joints.findIndex(({ name }) => name === (near || chosen))
  if (step !== undefined) emit('over', joints[Math.min(Math.max(here + step, 0), joints.length - 1)]?.name ?? '')
  else if (event.key === 'Enter' && near) emit('choose', near)
  else return
  event.preventDefault()
}
</script>

<template>
  <figure>
    <figcaption class="mb-1 text-[12px] font-semibold">{{ title }}</figcaption>
    <svg
      :viewBox="`0 0 ${SIZE.width} ${SIZE.height}`"
      class="w-full cursor-pointer rounded-md border border-line bg-paper"
      role="listbox"
      tabindex="0"
      :aria-label="`${title}, ${joints.length} joints`"
      @click="choose"
      @keydown="onKey"
      @mousemove="emit('over', at($event, ''))"
      @mouseleave="emit('over', '')"
      @blur="emit('over', '')"
    >
      <line
        v-for="dot in dots"
        :key="`l-${dot.name}`"
        :x1="dot.from.x"
        :y1="dot.from.y"
        :x2="dot.x"
        :y2="dot.y"
        class="bone"
      />
      <circle
        v-for="dot in dots"
        :key="dot.name"
        role="option"
        :aria-selected="dot.name === chosen"
        :aria-label="dot.name"
        :cx="dot.x"
        :cy="dot.y"
        :r="dot.name === chosen ? 6.5 : dot.name === near ? 5.5 : 3.6"
        :class="[`joint-${looks.get(dot.name)}`, { chosen: dot.name === chosen }]"
        :data-joint="dot.name"
      >
        <title>{{ dot.name }}</title>
      </circle>
    </svg>
    <p class="mt-1 h-4 truncate text-center font-mono text-[11.5px] text-faint">{{ near || chosen }}</p>
  </figure>
</template>

<style scoped>
.bone {
  stroke: var(--color-faint);
  stroke-opacity: 0.45;
  stroke-width: 3;
  stroke-linecap: round;
}
circle {
  stroke: var(--color-paper);
  stroke-width: 1;
}
.joint-sure {
  fill: var(--color-sea);
}
.joint-unsure {
  fill: var(--color-marigold);
}
.joint-said {
  fill: var(--color-ink);
}
.joint-alone {
  fill: var(--color-paper);
  stroke: var(--color-faint);
}
.chosen {
  stroke: var(--color-brick);
  stroke-width: 2.5;
}
</style>
