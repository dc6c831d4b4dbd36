<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { computed, ref, watch } from 'vue'
import type { ClipFacts } from '../../api/client'
import type { Playing } from '../../composables/usePlaying'
import { clipWords, listed, ORDERS, type ClipOrder } from '../../model/clips'
import { last } from '../../model/words'
import ClipSheet from './ClipSheet.vue'

const { clips, playing, keep, scene } = defineProps<{
  clips: ClipFacts[]
  playing: Playing
  keep: string
  scene: string
}>()
const pictured = ref(false)
const words = ref('')
const order = ref<ClipOrder>('as they come')
const place = `pruxel.stars.${keep}`
const stars = ref(new Set(JSON.parse(localStorage.getItem(place) ?? '[]') as string[]))
const shown = computed(() => listed(clips, words.value, order.value, stars.value))
const title = computed(() => playing.clip.value?.name ?? (playing.bound.value ? 'As it was bound' : 'As it rests'))

function star(name: string) {
  const changed = new Set(stars.value)
  if (!changed.delete(name)) changed.add(name)
  stars.value = changed
}
watch(stars, (now) => localStorage.setItem(place, JSON.stringify([...now])))
// Up and down go through the list, from the search field too.
function go(event: KeyboardEvent, by: number) {
  const panel = (event.currentTarget as HTMLElement).closest('[data-test=clip-panel]')
  const stops = [...(panel?.querySelectorAll<HTMLElement>('[data-stop]') ?? [])]
  const at = stops.indexOf(document.activeElement as HTMLElement)
  stops[Math.min(Math.max(at + by, 0), stops.length - 1)]?.focus()
}
</script>

<template>
  <Popover class="relative shrink-0">
    <PopoverButton
      class="button flex w-36 items-center justify-between gap-2 py-1"
      :aria-label="`Clip: ${title}`"
      data-test="clip"
    >
      <span class="truncate font-semibold">{{ title }}</span>
      <span class="num shrink-0 font-normal text-faint">{{ clips.length }}</span>
    </PopoverButton>
    <PopoverPanel
      v-slot="{ close }"
      focus
      class="absolute bottom-full left-0 z-30 mb-2 flex max-h-[60vh] w-104 flex-col rounded-lg border border-line bg-sheet shadow-lg"
      data-test="clip-panel"
      @keydown.down.prevent.stop="go($event, 1)"
      @keydown.up.prevent.stop="go($event, -1)"
    >
      <div class="flex gap-2 border-b border-line p-2">
        <input
          v-model="words"
          class="field min-w-0 flex-1 py-1"
          placeholder="Search clips"
          aria-label="Search clips"
          autocomplete="off"
          data-stop
          data-test="search-clips"
        />
        <button
          type="button"
          class="button shrink-0 py-1"
          title="All clips as small moving pictures"
          data-stop
          data-test="clip-pictures"
          @click="(close(), (pictured = true))"
        >
          Pictures
        </button>
        <select v-model="order" class="field py-1" aria-label="Sort clips" data-test="sort-clips">
          <option v-for="one in ORDERS" :key="one" :value="one">{{ one }}</option>
        </select>
      </div>
      <ul class="min-h-0 flex-1 overflow-auto p-1">
        <li v-if="!words" class="grid grid-cols-2 gap-1 px-1 pb-1">
          <button
            class="rounded px-2 py-1 text-left hover:bg-sunk"
            :class="playing.number.value < 0 && !playing.bound.value && 'bg-sea-soft font-semibold text-sea'"
            data-stop
            data-test="rest"
            @click="(playing.choose(-1), close())"
          >
            As it rests
          </button>
          <button
            class="rounded px-2 py-1 text-left hover:bg-sunk"
            :class="playing.bound.value && 'bg-sea-soft font-semibold text-sea'"
            title="Where its joints stood when the skin was bound to them"
            data-stop
            data-test="bind"
            @click="(playing.bind(), close())"
          >
            As it was bound
          </button>
        </li>
        <li
          v-for="{ clip, number, star: on } in shown"
          :key="number"
          class="flex items-center rounded hover:bg-sunk"
          :class="number === playing.number.value && 'bg-sea-soft'"
        >
          <button
            class="size-7 shrink-0 text-[15px]"
            :class="on ? 'text-marigold' : 'text-faint/60 hover:text-faint'"
            :aria-label="`${on ? 'Take the star from' : 'Give a star to'} ${clip.name}`"
            :aria-pressed="on"
            :data-test="`star-${clip.name}`"
            @click="star(clip.name)"
          >
            {{ on ? '★' : '☆' }}
          </button>
          <button
            class="min-w-0 flex-1 rounded px-1.5 py-1 text-left"
            data-stop
            :data-test="`clip-${clip.name}`"
            @click="(playing.choose(number), close())"
          >
            <span class="block truncate font-medium">{{ clip.name }}</span>
            <span class="num block truncate text-[12px] text-faint">
              {{ clipWords(clip) }}<template v-if="clip.entry"> · {{ last(clip.entry) }}</template>
            </span>
          </button>
        </li>
        <li v-if="!shown.length" class="px-3 py-2 text-faint">No clip is called so.</li>
      </ul>
    </PopoverPanel>
    <ClipSheet
      v-if="pictured"
      :clips="clips"
      :scene="scene"
      :stars="stars"
      :playing="playing.number.value"
      @choose="(playing.choose($event), (pictured = false))"
      @star="star"
      @close="pictured = false"
    />
  </Popover>
</template>
