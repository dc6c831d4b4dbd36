<script setup lang="ts">
import type { Viewing } from '../../model/viewing'
import { length } from '../../model/words'
import { BANDS, SIDES } from '../../viewer/channels'

// What colours and lines in the viewport mean, just now.
const viewing = defineModel<Viewing>({ required: true })
defineProps<{ joints: string[]; square: number; measuring: boolean; distance: number | null }>()
const emit = defineEmits<{ end: [] }>()
const upTo = (most: number, i: number) => (Number.isFinite(most) ? String(most) : `more than ${BANDS[i - 1]![0]}`)
</script>

<template>
  <div class="flex max-w-[46%] flex-col items-start gap-1.5 text-[12px]" data-test="legend">
    <p v-if="measuring" class="flex items-center gap-2 rounded-md border border-line bg-sheet px-2 py-1" role="status">
      <span v-if="distance !== null" class="num font-semibold" data-test="distance">{{ length(distance) }}</span>
      <span v-else>Click two points of the model.</span>
      <button class="words" @click="emit('end')">Done</button>
    </p>
    <p v-if="viewing.grid" class="rounded bg-sheet/85 px-2 py-1 text-faint">
      one square: <span class="num">{{ length(square) }}</span>
    </p>
    <p v-if="viewing.look === 'density'" class="flex flex-wrap gap-x-2 rounded bg-sheet/85 px-2 py-1 text-faint">
      <span v-for="([most, color], i) in BANDS" :key="color" class="flex items-center gap-1">
        <span class="inline-block size-3 rounded-sm" :style="{ background: color }" />
        <span class="num">{{ upTo(most, i) }}</span>
      </span>
      texels a metre
    </p>
    <p v-else-if="viewing.look === 'sides'" class="flex gap-3 rounded bg-sheet/85 px-2 py-1 text-faint">
      <span
        ><span
          class="mr-1 inline-block size-3 rounded-sm align-[-2px]"
          :style="{ background: SIDES.front }"
        />front</span
      >
      <span
        ><span class="mr-1 inline-block size-3 rounded-sm align-[-2px]" :style="{ background: SIDES.back }" />from
        behind</span
      >
    </p>
    <label
      v-else-if="viewing.look === 'weights'"
      class="flex items-center gap-2 rounded bg-sheet/85 px-2 py-1 text-faint"
    >
      <template v-if="joints.length">
        Joint
        <select
          class="field max-w-52 py-0.5"
          :value="viewing.joint"
          data-test="joint"
          @change="viewing = { ...viewing, joint: ($event.target as HTMLSelectElement).value }"
        >
          <option v-for="joint in joints" :key="joint">{{ joint }}</option>
        </select>
      </template>
      <span v-else>No joints hold this model.</span>
    </label>
    <p
      v-else-if="viewing.backs === 'hatched' && viewing.look !== 'wire'"
      class="rounded bg-sheet/85 px-2 py-1 text-faint"
    >
      <span class="hatch mr-1.5 inline-block size-3 rounded-sm align-[-2px]" />seen from behind
    </p>
  </div>
</template>

<style scoped>
.hatch {
  background: repeating-linear-gradient(-45deg, #c9775b 0 3px, #f0d9c8 3px 6px);
}
</style>
