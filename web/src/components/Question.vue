<script setup lang="ts">
import Sheet from './Sheet.vue'

// Asks before something goes that cannot be had back.
defineProps<{ title: string; act: string }>()
const emit = defineEmits<{ close: []; yes: [] }>()
</script>

<template>
  <Sheet open :title="title" @close="emit('close')">
    <div class="mb-4 text-[13px]"><slot /></div>
    <div class="flex justify-end gap-2">
      <button class="button" @click="emit('close')">Keep it</button>
      <button class="button border-brick text-brick" data-test="yes" @click="emit('yes')">{{ act }}</button>
    </div>
  </Sheet>
</template>
