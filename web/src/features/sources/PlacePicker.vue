<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { api, type Places } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { bytes } from '../../model/words'

const emit = defineEmits<{ close: []; pick: [path: string] }>()
const here = ref<Places>()
const error = ref<unknown>(null)

async function open(path: string | null) {
  try {
    here.value = await api.places(path)
  } catch (found) {
    error.value = found
  }
}
onMounted(() => open(null))
</script>

<template>
  <Sheet open title="Choose what to mount" @close="emit('close')">
    <Problem v-if="error" :error="error" class="mb-3" @close="error = null" />
    <div class="mb-2 flex items-center gap-2 text-[13px]">
      <button class="button" :disabled="!here?.path" @click="open(here?.parent ?? null)">Up</button>
      <span class="min-w-0 flex-1 truncate font-mono text-[12.5px] text-faint">{{
        here?.path ?? 'Permitted folders'
      }}</span>
    </div>
    <ul class="h-72 overflow-auto rounded-md border border-line bg-paper">
      <li
        v-for="place in here?.places"
        :key="place.path"
        class="flex items-center border-b border-line text-[13.5px] last:border-0"
      >
        <button
          v-if="place.folder"
          class="min-w-0 flex-1 truncate px-3 py-1.5 text-left font-medium hover:bg-sunk"
          @click="open(place.path)"
        >
          {{ place.name }}/
        </button>
        <span v-else class="min-w-0 flex-1 truncate px-3 py-1.5">{{ place.name }}</span>
        <span v-if="!place.folder" class="num px-3 text-faint">{{ bytes(place.size) }}</span>
        <button class="button my-1 mr-2 py-0.5" @click="emit('pick', place.path)">Mount</button>
      </li>
      <li v-if="here && !here.places.length" class="p-4 text-[13px] text-faint">This folder is empty.</li>
    </ul>
    <div class="mt-4 flex justify-end gap-2">
      <button class="button" @click="emit('close')">Close</button>
      <button v-if="here?.path" class="button button-main" @click="emit('pick', here.path)">Mount this folder</button>
    </div>
  </Sheet>
</template>
