<script setup lang="ts">
import type { Look } from '../../../api/client'
import { last } from '../../../model/words'

defineProps<{ material: NonNullable<Look['material']> }>()
const emit = defineEmits<{ go: [path: string] }>()
</script>

<template>
  <div class="px-4 py-3 text-[12.5px]">
    <dl class="grid grid-cols-[96px_1fr] gap-y-1">
      <template v-for="[name, value] in material.values" :key="name">
        <dt class="text-faint">{{ name }}</dt>
        <dd class="num">{{ value }}</dd>
      </template>
    </dl>
    <h3 class="heading mt-3 mb-1">Textures</h3>
    <ul class="space-y-1">
      <li v-for="slot in material.slots" :key="slot.name">
        <button
          v-if="slot.path"
          class="truncate text-left underline decoration-line underline-offset-2"
          :title="slot.path"
          @click="emit('go', slot.path)"
        >
          {{ last(slot.path) }}
        </button>
        <span v-else class="hatched rounded px-1 break-all"
          >{{ slot.name }} <span class="text-brick">leads nowhere</span></span
        >
      </li>
      <li v-if="!material.slots.length" class="text-faint">It names none.</li>
    </ul>
  </div>
</template>
