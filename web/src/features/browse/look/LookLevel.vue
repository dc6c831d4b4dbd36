<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Look } from '../../../api/client'
import { count, last } from '../../../model/words'

const { level } = defineProps<{ level: NonNullable<Look['level']> }>()
const emit = defineEmits<{ go: [path: string] }>()
const hot = ref<number | null>(null)
const frame = computed(() => {
  const pad = 2
  let [x0, x1, z0, z1] = level.points.length ? [Infinity, -Infinity, Infinity, -Infinity] : [0, 0, 0, 0]
  for (const [, x, z] of level.points)
    [x0, x1, z0, z1] = [Math.min(x0, x), Math.max(x1, x), Math.min(z0, z), Math.max(z1, z)]
  ;[x0, x1, z0, z1] = [x0 - pad, x1 + pad, z0 - pad, z1 + pad]
  return {
    box: `${x0} ${z0} ${x1 - x0} ${z1 - z0}`,
    unit: Math.max(x1 - x0, z1 - z0) / 100,
    width: x1 - x0,
    depth: z1 - z0,
  }
})
// Of very many only some are drawn; all are counted.
const placed = computed(() => level.counts.reduce((sum, n) => sum + n, 0))
const order = computed(() =>
  level.models.map((path, n) => ({ path, n, number: level.counts[n] ?? 0 })).sort((a, b) => b.number - a.number),
)
</script>

<template>
  <div>
    <div class="bg-sunk p-2">
      <svg
        :viewBox="frame.box"
        class="block aspect-square w-full"
        role="img"
        aria-label="Plan of the level, seen from above"
        data-test="plan"
      >
        <circle
          v-for="(p, i) in level.points"
          :key="i"
          :cx="p[1]"
          :cy="p[2]"
          :r="frame.unit * (hot === p[0] ? 1.7 : 1.1)"
          :class="hot === null ? 'fill-sea/70' : hot === p[0] ? 'fill-sea' : 'fill-faint/25'"
        />
      </svg>
    </div>
    <div class="border-t border-line px-4 py-2.5 text-[12.5px]">
      <p class="mb-1.5">
        <span class="num">{{ count(placed) }}</span> {{ placed === 1 ? 'thing' : 'things' }} on
        <span class="num">{{ frame.width.toFixed(0) }} × {{ frame.depth.toFixed(0) }} m</span>
      </p>
      <ul>
        <li v-for="m in order" :key="m.n" class="flex justify-between gap-2 rounded px-1 py-0.5 hover:bg-sunk">
          <button
            class="truncate text-left underline decoration-line underline-offset-2"
            :title="m.path"
            @mouseenter="hot = m.n"
            @mouseleave="hot = null"
            @focus="hot = m.n"
            @blur="hot = null"
            @click="emit('go', m.path)"
          >
            {{ last(m.path) }}</button><span class="num text-faint">{{ count(m.number) }}</span>
        </li>
      </ul>
    </div>
  </div>
</template>
