<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'

// What else can be done with a thing: a menu whose active line is marked.
interface Act {
  words: string
  run: () => void
  grave?: boolean
  test?: string
}
defineProps<{ label: string; acts: Act[]; upwards?: boolean | 'above'; words?: string; wide?: boolean }>()
</script>

<template>
  <Menu as="div" class="relative">
    <MenuButton
      class="button px-2 py-1"
      :class="{ 'w-full': wide }"
      :aria-label="words ? undefined : label"
      data-test="more"
    >
      {{ words ?? 'More' }}
    </MenuButton>
    <MenuItems
      class="z-30 w-48 rounded-lg border border-line bg-sheet p-1 shadow-lg focus:outline-none"
      :class="
        upwards === 'above'
          ? 'absolute right-0 bottom-full mb-1'
          : upwards
            ? 'fixed bottom-14 -ml-24'
            : 'absolute right-0 mt-1'
      "
    >
      <MenuItem v-for="act in acts" :key="act.words" v-slot="{ active }">
        <button
          class="block w-full rounded-md px-3 py-1.5 text-left text-[13px]"
          :class="[active && 'bg-sea-soft', act.grave && 'text-brick']"
          :data-test="act.test"
          @click="act.run()"
        >
          {{ act.words }}
        </button>
      </MenuItem>
    </MenuItems>
  </Menu>
</template>
