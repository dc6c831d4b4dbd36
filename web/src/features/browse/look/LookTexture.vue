<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Look } from '../../../api/client'
import { moved, WHOLE, zoomedAt, type Frame } from '../../../model/zoom'

const { entry, texture } = defineProps<{ entry: number; texture: NonNullable<Look['texture']> }>()
const channel = ref('rgba')
const level = ref(0)
const tiled = ref(false)
const frame = ref<Frame>(WHOLE)
const box = ref<HTMLElement>()
const channels = [
  ['rgba', 'All'],
  ['rgb', 'No alpha'],
  ['r', 'R'],
  ['g', 'G'],
  ['b', 'B'],
  ['a', 'A'],
] as const
const url = computed(() => `/api/entries/${entry}/texture?channel=${channel.value}&level=${level.value}`)
const shown = computed(() => channels.filter(([name]) => texture.has_alpha || !['rgb', 'a'].includes(name)))
const look = computed(() => ({
  transform: `translate(${frame.value.x}px, ${frame.value.y}px) scale(${frame.value.zoom})`,
  transformOrigin: '0 0',
  imageRendering: (frame.value.zoom > 2 ? 'pixelated' : 'auto') as 'pixelated' | 'auto',
}))
watch(
  () => entry,
  () => {
    level.value = 0
    frame.value = WHOLE
    if (!shown.value.some(([name]) => name === channel.value)) channel.value = 'rgba'
  },
)
function wheel(event: WheelEvent) {
  const place = box.value!.getBoundingClientRect()
  const factor = event.deltaY < 0 ? 1.25 : 0.8
  frame.value = zoomedAt(frame.value, factor, event.clientX - place.left, event.clientY - place.top)
}
function drag(event: PointerEvent) {
  if (event.buttons & 1) frame.value = moved(frame.value, event.movementX, event.movementY)
}
const STEP = 40
function byKey(event: KeyboardEvent) {
  const middle = box.value!.clientWidth / 2
  const acts: Record<string, () => Frame> = {
    '+': () => zoomedAt(frame.value, 1.25, middle, middle),
    '-': () => zoomedAt(frame.value, 0.8, middle, middle),
    '0': () => WHOLE,
    ArrowLeft: () => moved(frame.value, STEP, 0),
    ArrowRight: () => moved(frame.value, -STEP, 0),
    ArrowUp: () => moved(frame.value, 0, STEP),
    ArrowDown: () => moved(frame.value, 0, -STEP),
  }
  const act = acts[event.key]
  if (!act) return
  event.preventDefault()
  event.stopPropagation()
  frame.value = act()
}
const mip = (n: number) => `${Math.max(texture.width >> n, 1)} × ${Math.max(texture.height >> n, 1)}`
</script>

<template>
  <div>
    <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- it has keys of its own -->
    <div
      ref="box"
      :class="[
        'hatched relative aspect-square cursor-grab',
        'touch-none overflow-hidden active:cursor-grabbing focus-visible:outline-offset-[-3px]',
      ]"
      role="application"
      tabindex="0"
      aria-label="Texture: plus and minus enlarge, arrows move, 0 shows all"
      @wheel.prevent="wheel"
      @pointermove="drag"
      @dblclick="frame = WHOLE"
      @keydown="byKey"
    >
      <div
        v-if="tiled"
        class="size-full"
        :style="{ ...look, backgroundImage: `url(${url})`, backgroundSize: '50% 50%' }"
        data-test="tiled"
      />
      <img
        v-else
        :src="url"
        alt=""
        draggable="false"
        class="block size-full object-contain"
        :style="look"
        data-test="texture"
        :data-zoom="frame.zoom.toFixed(2)"
      />
    </div>
    <div class="space-y-2 border-t border-line px-4 py-2.5 text-[12.5px]">
      <div class="flex flex-wrap items-center gap-1.5">
        <div class="flex overflow-hidden rounded-md border border-line" role="group" aria-label="Channels">
          <button
            v-for="[name, title] in shown"
            :key="name"
            class="choice"
            :aria-pressed="channel === name"
            @click="channel = name"
          >
            {{ title }}
          </button>
        </div>
        <button class="choice rounded-md border border-line" :aria-pressed="tiled" @click="tiled = !tiled">
          2 × 2
        </button>
        <label v-if="texture.mips > 1" class="ml-auto flex items-center gap-1.5 text-faint">
          Mip
          <select v-model.number="level" class="field px-1.5 py-0.5">
            <option v-for="n in texture.mips" :key="n" :value="n - 1">{{ mip(n - 1) }}</option>
          </select>
        </label>
      </div>
      <p v-if="texture.role" class="font-medium" data-test="role">{{ texture.role }}</p>
      <p>
        <span class="num">{{ texture.width }} × {{ texture.height }}</span> texels, {{ texture.encoding }},
        {{ texture.mips }}
        {{ texture.mips === 1 ? 'mip' : 'mips' }}
        <span class="text-faint">· {{ frame.zoom === 1 ? 'wheel and drag' : `${frame.zoom.toFixed(1)}×` }}</span>
      </p>
      <table class="num w-full text-[12px]">
        <caption class="sr-only">
          Least, most and mean of each channel
        </caption>
        <tbody>
          <tr v-for="c in texture.channels" :key="c.name">
            <th scope="row" class="w-5 text-left font-semibold">{{ c.name }}</th>
            <td class="w-20 whitespace-nowrap text-faint">{{ c.least }} to {{ c.most }}</td>
            <td>
              <div class="relative h-1.5 rounded-full bg-sunk">
                <div
                  class="absolute h-full rounded-full bg-faint/45"
                  :style="{
                    left: `${(c.least / 255) * 100}%`,
                    width: `${Math.max(((c.most - c.least) / 255) * 100, 1)}%`,
                  }"
                />
                <div class="absolute -top-0.5 h-2.5 w-0.5 bg-ink" :style="{ left: `${(c.mean / 255) * 100}%` }" />
              </div>
            </td>
            <td class="w-14 text-right">{{ c.mean }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>
