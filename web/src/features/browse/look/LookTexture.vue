<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Look } from '../../../api/client'

const { entry, texture } = defineProps<{ entry: number; texture: NonNullable<Look['texture']> }>()
const channel = ref('rgba')
const level = ref(0)
const tiled = ref(false)
const zoom = ref(1)
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
watch(
  () => entry,
  () => {
    level.value = 0
    zoom.value = 1
    if (!shown.value.some(([name]) => name === channel.value)) channel.value = 'rgba'
  },
)
function wheel(event: WheelEvent) {
  zoom.value = Math.min(16, Math.max(0.5, zoom.value * (event.deltaY < 0 ? 1.25 : 0.8)))
}
</script>

<template>
  <div>
    <div class="hatched relative aspect-square overflow-auto" @wheel.prevent="wheel">
      <div v-if="tiled" class="size-full" :style="{ backgroundImage: `url(${url})`, backgroundSize: `${50 * zoom}% ${50 * zoom}%`, imageRendering: zoom > 2 ? 'pixelated' : 'auto' }" data-test="tiled" />
      <img v-else :src="url" alt="" class="mx-auto block size-full max-w-none object-contain" :style="{ width: `${100 * zoom}%`, height: `${100 * zoom}%`, imageRendering: zoom > 2 ? 'pixelated' : 'auto' }" data-test="texture" />
    </div>
    <div class="space-y-2 border-t border-line px-4 py-2.5 text-[12.5px]">
      <div class="flex flex-wrap items-center gap-1.5">
        <div class="flex overflow-hidden rounded-md border border-line" role="group" aria-label="Channels">
          <button v-for="[name, title] in shown" :key="name" class="px-2 py-0.5" :class="channel === name ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'" :aria-pressed="channel === name" @click="channel = name">{{ title }}</button>
        </div>
        <button class="rounded-md border border-line px-2 py-0.5" :class="tiled ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'" :aria-pressed="tiled" @click="tiled = !tiled">2 × 2</button>
        <label v-if="texture.mips > 1" class="ml-auto flex items-center gap-1.5 text-faint">Mip
          <select v-model.number="level" class="field px-1.5 py-0.5">
            <option v-for="n in texture.mips" :key="n" :value="n - 1">{{ Math.max(texture.width >> (n - 1), 1) }} × {{ Math.max(texture.height >> (n - 1), 1) }}</option>
          </select>
        </label>
      </div>
      <p v-if="texture.role" class="font-medium" data-test="role">{{ texture.role }}</p>
      <p><span class="num">{{ texture.width }} × {{ texture.height }}</span> texels, {{ texture.encoding }}, {{ texture.mips }} {{ texture.mips === 1 ? 'mip' : 'mips' }}<span class="text-faint"> · wheel zooms{{ zoom === 1 ? '' : ` (${zoom.toFixed(1)}×)` }}</span></p>
      <table class="num w-full text-[11.5px]">
        <tbody>
          <tr v-for="c in texture.channels" :key="c.name">
            <td class="w-5 font-semibold">{{ c.name }}</td>
            <td class="w-20 whitespace-nowrap text-faint">{{ c.least }} to {{ c.most }}</td>
            <td><div class="relative h-1.5 rounded-full bg-sunk"><div class="absolute h-full rounded-full bg-faint/45" :style="{ left: `${(c.least / 255) * 100}%`, width: `${Math.max(((c.most - c.least) / 255) * 100, 1)}%` }" /><div class="absolute -top-0.5 h-2.5 w-0.5 bg-ink" :style="{ left: `${(c.mean / 255) * 100}%` }" /></div></td>
            <td class="w-14 text-right">{{ c.mean }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>
