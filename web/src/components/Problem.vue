<script setup lang="ts">
import { ApiError } from '../api/client'

const { error } = defineProps<{ error: unknown }>()
const emit = defineEmits<{ close: [] }>()
const text = () => (error instanceof ApiError ? error.problem : { title: 'Something went wrong', detail: String(error), hint: undefined })
</script>

<template>
  <div role="alert" class="flex items-start gap-3 rounded-md border border-brick/40 bg-brick-soft px-3 py-2 text-[13px]">
    <div class="min-w-0 flex-1">
      <p class="font-semibold text-brick">{{ text().title }}</p>
      <p class="break-words">{{ text().detail }}</p>
    </div>
    <button class="button" @click="emit('close')">Dismiss</button>
  </div>
</template>
