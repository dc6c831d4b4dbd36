<script setup lang="ts">
import { computed } from 'vue'
import type { Posing } from '../../composables/usePosing'
import { touched, turnOf, type Turn } from '../../model/pose'

const { posing, joint } = defineProps<{ posing: Posing; joint: string }>()
const turn = computed(() => turnOf(posing.posed.value, joint))
const pulled = computed(() => posing.posed.value.pulls.some((one) => one.joint === joint))

function set(axis: number, text: string) {
  const angle = Number(text)
  if (!text.trim() || !Number.isFinite(angle)) return
  posing.turn(turn.value.map((old, n) => (n === axis ? angle : old)) as Turn)
}
</script>

<template>
  <div data-test="joint-turn">
    <p class="mt-1 text-[11.5px] text-faint">Turned about its own axes, in degrees</p>
    <div class="mt-1 grid grid-cols-3 gap-1.5">
      <label v-for="(axis, n) in ['x', 'y', 'z']" :key="axis" class="flex items-center gap-1">
        <span class="text-faint">{{ axis }}</span>
        <input
          class="field num w-full px-1 py-0.5"
          type="number"
          step="5"
          :value="turn[n]"
          :aria-label="`Turn about ${axis}`"
          :data-test="`turn-${axis}`"
          @change="set(n, ($event.target as HTMLInputElement).value)"
        />
      </label>
    </div>
    <p v-if="pulled" class="mt-1 text-faint">It is pulled to a place too.</p>
    <button
      v-if="touched(posing.posed.value).includes(joint)"
      type="button"
      class="words mt-1"
      data-test="joint-reset"
      @click="posing.reset"
    >
      As it was
    </button>
  </div>
</template>
