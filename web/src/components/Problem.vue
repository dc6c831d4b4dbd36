<script setup lang="ts">
import { computed } from 'vue'
import { ApiError } from '../api/client'
import Fault, { type FaultWords } from './Fault.vue'
import { told } from '../model/words'

const { error } = defineProps<{ error: unknown }>()
const emit = defineEmits<{ close: [] }>()
const words = computed((): FaultWords => {
  if (!(error instanceof ApiError)) return { message: told(error) }
  const { title, detail, file, offset, field, expected, found, hint } = error.problem
  const placed = [file, offset, field, expected, found].some((part) => part !== null && part !== undefined)
  // Without a place of its own the whole of it stands in the detail.
  return { message: title, file, offset, field, expected, found, hint: placed ? hint : (hint ?? detail) }
})
</script>

<template>
  <div role="alert" class="flex items-start gap-3 rounded-md border border-brick/40 bg-brick-soft px-3 py-2">
    <Fault :fault="words" class="min-w-0 flex-1" />
    <button class="button" @click="emit('close')">Dismiss</button>
  </div>
</template>
