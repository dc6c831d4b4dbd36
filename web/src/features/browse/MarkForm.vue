<script setup lang="ts">
import { ref } from 'vue'
import { api, type Entry } from '../../api/client'
import { told } from '../../model/words'

const { entry, project } = defineProps<{ entry: Entry; project: string }>()
const emit = defineEmits<{ marked: [values: Partial<Entry>] }>()
const alias = ref(entry.alias)
const note = ref(entry.note)
const name = ref('')
const error = ref('')
const nameless = entry.path.startsWith('~unnamed/')

async function say(values: { alias?: string; note?: string; star?: boolean }) {
  try {
    error.value = ''
    await api.mark(project, { path: entry.path, folder: false, ...values })
    emit('marked', values)
  } catch (problem) {
    error.value = told(problem)
  }
}
async function nameIt() {
  try {
    error.value = ''
    await api.nameByHand(project, entry.id, name.value.trim())
  } catch (problem) {
    error.value = told(problem)
  }
}
</script>

<template>
  <div class="space-y-2 border-t border-line px-4 py-3 text-[12.5px]">
    <p v-if="error" class="rounded-md bg-brick-soft px-2 py-1 break-words text-brick" data-test="mark-problem">
      {{ error }}
    </p>
    <form v-if="nameless" class="flex gap-2" @submit.prevent="nameIt">
      <input
        v-model="name"
        class="field min-w-0 flex-1 py-1 font-mono"
        placeholder="Its path, if you know it"
        aria-label="Name of this entry"
        data-test="name-by-hand"
      />
      <button class="button py-1" :disabled="!name.trim()">Try the name</button>
    </form>
    <div class="flex gap-2">
      <input
        v-model="alias"
        class="field min-w-0 flex-1 py-1"
        placeholder="A name that means something"
        aria-label="Alias"
        data-test="alias"
        @change="say({ alias })"
      />
      <button
        class="button py-1"
        :class="{ 'border-sea bg-sea-soft text-sea': entry.star }"
        :aria-pressed="entry.star"
        data-test="star"
        @click="say({ star: !entry.star })"
      >
        {{ entry.star ? 'Starred' : 'Star' }}
      </button>
    </div>
    <textarea
      v-model="note"
      class="field w-full py-1"
      rows="2"
      placeholder="A note"
      aria-label="Note"
      data-test="note"
      @change="say({ note })"
    />
  </div>
</template>
