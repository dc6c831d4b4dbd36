<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { count, last } from '../../model/words'
import { useWanted } from '../../composables/useWanted'
import WantedForm from '../deliver/WantedForm.vue'

const { project, models } = defineProps<{ project: string; models: string[] }>()
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const wanted = useWanted()
const error = ref<unknown>(null)
const starting = ref(false)
const together = ref(false)
const name = ref('')
const SHOWN = 6
const stem = (path: string) => last(path).replace(/\.[^.]*$/, '')

async function start() {
  starting.value = true
  try {
    await api.deliverEntries(project, models, together.value ? name.value.trim() : '', wanted.value)
    await router.push({ name: 'deliver', params: { project } })
  } catch (problem) {
    error.value = problem
    starting.value = false
  }
}
</script>

<template>
  <Sheet open :title="together ? 'Deliver models together' : 'Deliver each model'" @close="emit('close')">
    <form class="space-y-4 text-[13px]" @submit.prevent="start">
      <Problem v-if="error" :error="error" @close="error = null" />
      <p>
        <span class="num">{{ count(models.length) }}</span> {{ models.length === 1 ? 'model' : 'models' }},
        {{ together ? 'all into one folder and one zip' : 'each into a folder and a zip of its own' }}, each file read
        back and compared. A model that is on the Bench goes with its steps.
      </p>
      <p class="rounded-md bg-paper px-3 py-2 font-mono text-[12px] break-words text-faint">
        {{ models.slice(0, SHOWN).map(last).join(', ')
        }}<template v-if="models.length > SHOWN"> and {{ count(models.length - SHOWN) }} more</template>
      </p>
      <div v-if="models.length > 1" class="space-y-2">
        <label class="flex items-center gap-2">
          <input v-model="together" type="checkbox" class="accent-(--sea)" data-test="together" />
          One delivery of all
        </label>
        <template v-if="together">
          <label class="heading" for="batch-name">Name of the files</label>
          <input id="batch-name" v-model="name" class="field w-full" maxlength="120" required />
        </template>
      </div>
      <WantedForm
        v-model="wanted"
        :losses="{}"
        :clips="[]"
        :example="{ name: stem(models[0] ?? ''), piece: 'body', clip: 'walk' }"
        @error="error = $event"
      />
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Close</button>
        <button class="button button-main" :disabled="!wanted.formats.length || starting" data-test="start-batch">
          Write and prove {{ models.length === 1 ? 'it' : `all ${count(models.length)}` }}
        </button>
      </div>
    </form>
  </Sheet>
</template>
