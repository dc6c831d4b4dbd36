<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

defineProps<{ open: boolean; title: string; wide?: boolean }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <Dialog :open="open" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/35" aria-hidden="true" />
    <div class="fixed inset-0 flex items-start justify-center overflow-auto p-8 pt-[10vh]">
      <DialogPanel
        class="w-full rounded-xl border border-line bg-sheet p-5 shadow-xl"
        :class="wide ? 'max-w-3xl' : 'max-w-xl'"
      >
        <DialogTitle class="mb-3 text-[17px] font-semibold">{{ title }}</DialogTitle>
        <slot />
      </DialogPanel>
    </div>
  </Dialog>
</template>
