<script setup lang="ts">
import { ref } from 'vue'
import Sheet from './Sheet.vue'

const { title, name } = defineProps<{ title: string; name: string; note?: string; act?: string }>()
const emit = defineEmits<{ close: []; named: [name: string] }>()
const text = ref(name)
</script>

<template>
  <Sheet open :title="title" @close="emit('close')">
    <form class="space-y-4" @submit.prevent="text.trim() && emit('named', text.trim())">
      <label class="block text-[13px]">
        <span class="mb-1 block font-semibold">Name</span>
        <input
          v-model="text"
          class="field w-full"
          maxlength="200"
          data-test="new-name"
          @focus="($event.target as HTMLInputElement).select()"
        />
      </label>
      <p v-if="note" class="text-[13px] text-faint">{{ note }}</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button class="button button-main" :disabled="!text.trim()" data-test="name-done">{{ act ?? 'Rename' }}</button>
      </div>
    </form>
  </Sheet>
</template>
