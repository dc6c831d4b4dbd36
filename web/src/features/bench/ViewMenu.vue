<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { GROUNDS, type Ground, type Viewing } from '../../model/viewing'
import type { Axis, Backs } from '../../viewer/stage'

// What one may show and from where; the acts are the viewport's own.
const viewing = defineModel<Viewing>({ required: true })
const emit = defineEmits<{ from: [axis: Axis]; light: [by: number]; measure: []; picture: [] }>()
const set = (more: Partial<Viewing>) => (viewing.value = { ...viewing.value, ...more })
const flags = [
  ['wires', 'Lines over the surface'],
  ['grid', 'Grid on the ground'],
  ['person', 'A person of 1.75 m beside it'],
  ['parallel', 'Without perspective'],
] as const
const backs: [Backs, string][] = [
  ['hatched', 'hatched'],
  ['both', 'as fronts'],
  ['hidden', 'not shown'],
]
const axes: Axis[] = ['front', 'back', 'left', 'right', 'above', 'below']
const grounds = Object.entries(GROUNDS) as [Ground, string][]
</script>

<template>
  <Popover class="relative">
    <PopoverButton class="button py-1 text-[12.5px]" data-test="view-menu">View</PopoverButton>
    <PopoverPanel
      v-slot="{ close }"
      class="absolute right-0 bottom-full z-20 mb-2 w-64 space-y-3 rounded-lg border border-line bg-sheet p-3 text-[13px] shadow-lg"
      data-test="view-panel"
    >
      <div>
        <label v-for="[name, title] in flags" :key="name" class="flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            class="size-4 accent-(--sea)"
            :checked="viewing[name]"
            :data-test="`view-${name}`"
            @change="set({ [name]: !viewing[name] })"
          />
          {{ title }}
        </label>
      </div>
      <label class="flex items-center justify-between gap-2">
        Faces seen from behind
        <select
          class="field py-0.5"
          :value="viewing.backs"
          data-test="view-backs"
          @change="set({ backs: ($event.target as HTMLSelectElement).value as Backs })"
        >
          <option v-for="[name, title] in backs" :key="name" :value="name">{{ title }}</option>
        </select>
      </label>
      <div role="group" aria-label="Look from">
        <p class="mb-1">Look from</p>
        <div class="grid grid-cols-3 gap-1">
          <button
            v-for="axis in axes"
            :key="axis"
            class="button py-0.5"
            :data-test="`from-${axis}`"
            @click="emit('from', axis)"
          >
            {{ axis }}
          </button>
        </div>
      </div>
      <div class="flex items-center justify-between" role="group" aria-label="Background">
        Background
        <span class="flex gap-1">
          <button
            v-for="[name, color] in grounds"
            :key="name"
            class="size-6 rounded-full border"
            :class="viewing.ground === name ? 'border-sea ring-2 ring-sea' : 'border-line'"
            :style="{ background: color }"
            :aria-label="name"
            :title="name"
            :aria-pressed="viewing.ground === name"
            @click="set({ ground: name })"
          />
        </span>
      </div>
      <div class="flex items-center justify-between" role="group" aria-label="Light">
        <span title="Or drag with Alt held">Light</span>
        <span class="flex gap-1">
          <button class="button py-0.5" title="Turn the light to the left (,)" @click="emit('light', -0.4)">
            turn left
          </button>
          <button class="button py-0.5" title="Turn the light to the right (.)" @click="emit('light', 0.4)">
            turn right
          </button>
        </span>
      </div>
      <div class="grid grid-cols-2 gap-1 border-t border-line pt-3">
        <button
          class="button"
          data-test="measure"
          title="Measure between two points (m)"
          @click="(close(), emit('measure'))"
        >
          Measure
        </button>
        <button class="button" data-test="picture" @click="(close(), emit('picture'))">Save picture</button>
      </div>
    </PopoverPanel>
  </Popover>
</template>
