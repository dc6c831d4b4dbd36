<script setup lang="ts">
import { onMounted, shallowRef } from 'vue'
import { api, type Format } from '../../api/client'

const chosen = defineModel<string[]>({ required: true })
const emit = defineEmits<{ error: [problem: unknown] }>()
const formats = shallowRef<Format[]>([])
const words: Record<string, string> = { skins: 'skeletons', clips: 'clips', tree: 'the node tree' }
const missing = (format: Format) => ['skins', 'clips', 'tree'].filter((c) => !format.carries.includes(c))
onMounted(async () => {
  try {
    formats.value = await api.formats()
  } catch (problem) {
    emit('error', problem)
  }
})
</script>

<template>
  <fieldset>
    <legend class="heading mb-1">Formats</legend>
    <label
      v-for="format in formats"
      :key="format.name"
      class="flex cursor-pointer items-start gap-2.5 rounded-md px-2 py-1.5 hover:bg-sunk"
    >
      <input
        v-model="chosen"
        type="checkbox"
        :value="format.name"
        class="mt-0.5 size-4 accent-(--sea)"
        :data-test="`format-${format.name}`"
      />
      <span>
        <span class="font-medium">{{ format.title }}</span>
        <span v-if="missing(format).length" class="block text-[12.5px] text-faint">
          does not carry
          {{
            missing(format)
              .map((c) => words[c])
              .join(', ')
          }}
        </span>
      </span>
    </label>
  </fieldset>
</template>
