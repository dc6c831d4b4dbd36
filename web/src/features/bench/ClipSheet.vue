<script setup lang="ts">
import { computed, ref } from 'vue'
import type { ClipFacts } from '../../api/client'
import Sheet from '../../components/Sheet.vue'
import { clipWords, listed, ORDERS, type ClipOrder } from '../../model/clips'

// All clips as small moving pictures, which the server draws for those that are in sight.
const { clips, scene, stars, playing } = defineProps<{
  clips: ClipFacts[]
  scene: string
  stars: Set<string>
  playing: number
}>()
const emit = defineEmits<{ choose: [number: number]; star: [name: string]; close: [] }>()
const words = ref('')
const order = ref<ClipOrder>('as they come')
const shown = computed(() => listed(clips, words.value, order.value, stars))
const failed = ref(new Set<number>())
// As fast as it is, but for what would only flicker, or never move.
const pace = ({ seconds }: ClipFacts) => `${Math.min(Math.max(seconds, 0.6), 6)}s`
</script>

<template>
  <Sheet open wide :title="`${clips.length} clips`" @close="emit('close')">
    <div class="mb-3 flex gap-2">
      <input
        v-model="words"
        class="field min-w-0 flex-1 py-1"
        placeholder="Search clips"
        aria-label="Search clips"
        autocomplete="off"
        data-test="search-sheet"
      />
      <select v-model="order" class="field py-1" aria-label="Sort clips">
        <option v-for="one in ORDERS" :key="one" :value="one">{{ one }}</option>
      </select>
    </div>
    <ul class="grid max-h-[58vh] grid-cols-5 gap-2 overflow-auto" data-test="clip-sheet">
      <li v-for="{ clip, number, star } in shown" :key="number" class="relative">
        <button
          type="button"
          class="block w-full rounded-md border bg-paper text-left hover:border-sea"
          :class="number === playing ? 'border-sea ring-1 ring-sea' : 'border-line'"
          :title="clipWords(clip)"
          :data-test="`film-${clip.name}`"
          @click="emit('choose', number)"
        >
          <span class="film block">
            <span v-if="failed.has(number)" class="grid h-full place-items-center text-[12px] text-faint">
              no picture
            </span>
            <img
              v-else
              :src="`/api/scenes/${scene}/clips/${number}/film`"
              :style="{ animationDuration: pace(clip) }"
              alt=""
              loading="lazy"
              @error="failed = new Set([...failed, number])"
            />
          </span>
          <span class="block truncate px-2 pt-1 text-[13px] font-medium">{{ clip.name }}</span>
          <span class="num block px-2 pb-1.5 text-[12px] text-faint">{{ clip.seconds.toFixed(2) }} s</span>
        </button>
        <button
          type="button"
          class="absolute top-0.5 right-0.5 size-7 text-[15px]"
          :class="star ? 'text-marigold' : 'text-faint/60 hover:text-faint'"
          :aria-label="`${star ? 'Take the star from' : 'Give a star to'} ${clip.name}`"
          :aria-pressed="star"
          @click="emit('star', clip.name)"
        >
          {{ star ? '★' : '☆' }}
        </button>
      </li>
    </ul>
    <p v-if="!shown.length" class="text-faint">No clip is called so.</p>
  </Sheet>
</template>

<style scoped>
.film {
  aspect-ratio: 1;
  overflow: hidden;
}
.film img {
  width: 800%;
  max-width: none;
  height: 100%;
  /* The fourth picture stands for the clip where nothing shall move. */
  transform: translateX(-37.5%);
  animation: film 2s steps(8) infinite;
}
@keyframes film {
  from {
    transform: translateX(0);
  }
  to {
    transform: translateX(-100%);
  }
}
@media (prefers-reduced-motion: reduce) {
  .film img {
    animation: none;
  }
}
</style>
