<script setup lang="ts">
import { computed } from 'vue'
import type { Graph } from '../../model/curves'

const { graph, seconds } = defineProps<{ graph: Graph; seconds: number }>()
const [WIDE, TALL] = [208, 44]
// More keys than this would be one stripe.
const MOST_DOTS = 64
const names = ['x', 'y', 'z']
const colors = ['var(--brick)', 'var(--sea)', 'var(--marigold)']
const end = computed(() => graph.times.at(-1) || 1)
const across = (time: number) => (time / end.value) * WIDE
// What hardly moves is a line in the middle, and not a magnified trembling.
const least = { m: 1e-4, '°': 0.05, '×': 1e-4 }
const span = computed(() => Math.max(graph.high - graph.low, least[graph.unit as keyof typeof least]))
const middle = computed(() => (graph.high + graph.low) / 2)
const down = (value: number) => TALL / 2 - ((value - middle.value) / span.value) * (TALL - 8)
const lines = computed(() =>
  graph.rows.map((row) => row.map((value, n) => `${across(graph.times[n]!).toFixed(1)},${down(value).toFixed(1)}`)),
)
const short = (value: number) => Number(value.toPrecision(3)).toString()
</script>

<template>
  <figure class="mt-1.5">
    <figcaption class="flex justify-between text-[11.5px] text-faint">
      <span>{{ graph.title }}</span>
      <span class="num">{{ short(graph.low) }} … {{ short(graph.high) }} {{ graph.unit }}</span>
    </figcaption>
    <svg :viewBox="`-3 0 ${WIDE + 6} ${TALL}`" class="w-full rounded bg-sunk" role="img" :aria-label="graph.title">
      <g v-for="(line, k) in lines" :key="k" :stroke="colors[k]" :fill="colors[k]">
        <title>{{ names[k] }}</title>
        <polyline :points="line.join(' ')" fill="none" stroke-width="1.4" />
        <template v-if="line.length <= MOST_DOTS">
          <circle
            v-for="(point, n) in line"
            :key="n"
            :cx="point.split(',')[0]"
            :cy="point.split(',')[1]"
            r="1.7"
            stroke="none"
          />
        </template>
      </g>
      <line :x1="across(seconds)" :x2="across(seconds)" y1="0" :y2="TALL" stroke="var(--ink)" stroke-width="1" />
    </svg>
    <p class="flex gap-2 text-[11px] text-faint">
      <span v-for="(name, k) in names" :key="name" :style="{ color: colors[k] }">{{ name }}</span>
      <span class="num ml-auto">{{ graph.times.length }} {{ graph.times.length === 1 ? 'key' : 'keys' }}</span>
    </p>
  </figure>
</template>
