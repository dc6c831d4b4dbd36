<script setup lang="ts">
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'
import type { Slot, StepUse } from '../../api/client'
import { standing, sureness, withFilled } from '../../model/slots'
import { last } from '../../model/words'

// What a thing is made of: each slot with what stands in it, and what else may.
const { slots, steps } = defineProps<{ slots: Slot[]; steps: StepUse[] }>()
const emit = defineEmits<{ set: [steps: StepUse[]] }>()
const title = (path: string) => last(path).replace(/\.[^.]*$/, '')
const pictureOf = (slot: Slot, path: string) => slot.variants.find((one) => one.path === path)?.picture
const fill = (slot: Slot, path: string) =>
  path !== standing(steps, slot.name) && emit('set', withFilled(steps, slot, path))
</script>

<template>
  <section class="border-b border-line pb-2" aria-label="Made of">
    <h2 class="heading px-4 pt-3 pb-1">Made of</h2>
    <div v-for="slot in slots" :key="slot.name" class="px-2">
      <Listbox :model-value="standing(steps, slot.name)" @update:model-value="fill(slot, $event)">
        <ListboxButton
          class="flex w-full items-center gap-2 rounded-md px-2 py-1 text-left hover:bg-sunk"
          :data-test="`slot-${slot.name}`"
        >
          <span class="flex size-8 shrink-0 items-center justify-center overflow-hidden rounded bg-sunk">
            <img
              v-if="pictureOf(slot, standing(steps, slot.name))"
              :src="`/api/blobs/${pictureOf(slot, standing(steps, slot.name))}`"
              alt=""
              class="size-full object-cover"
            />
          </span>
          <span class="min-w-0 flex-1">
            <span class="block text-[12px] leading-4 text-faint">{{ slot.name }}</span>
            <span class="block truncate text-[13.5px] leading-4.5" :title="standing(steps, slot.name)">
              {{ title(standing(steps, slot.name)) || 'nothing' }}
            </span>
          </span>
          <span class="num text-[12px] text-faint">{{ slot.variants.length }}</span>
        </ListboxButton>
        <ListboxOptions
          class="mx-1 mb-1 max-h-64 overflow-auto rounded-lg border border-line bg-sheet p-1 focus:outline-none"
        >
          <ListboxOption
            v-for="one in [{ path: '', picture: null, sureness: 1, why: '' }, ...slot.variants]"
            :key="one.path"
            v-slot="{ active, selected }"
            :value="one.path"
          >
            <div
              class="flex cursor-pointer items-center gap-2 rounded-md px-2 py-1"
              :class="active && 'bg-sea-soft'"
              :title="one.path ? `${one.path}: ${one.why}` : 'Take it out'"
              :data-test="`variant-${title(one.path) || 'nothing'}`"
            >
              <span class="flex size-11 shrink-0 items-center justify-center overflow-hidden rounded bg-sunk">
                <img v-if="one.picture" :src="`/api/blobs/${one.picture}`" alt="" class="size-full object-cover" />
              </span>
              <span class="min-w-0 flex-1">
                <span class="block truncate text-[13.5px]" :class="selected && 'font-semibold text-sea'">
                  {{ title(one.path) || 'nothing' }}
                </span>
                <span v-if="one.sureness < 0.9" class="block truncate text-[12px] text-faint">
                  {{ sureness(one.sureness) }}: {{ one.why }}
                </span>
              </span>
            </div>
          </ListboxOption>
        </ListboxOptions>
      </Listbox>
    </div>
  </section>
</template>
