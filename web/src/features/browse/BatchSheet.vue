<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { count, last } from '../../model/words'
import FormatChoice from '../deliver/FormatChoice.vue'

const { project, models } = defineProps<{ project: string; models: string[] }>()
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const chosen = ref(['glb'])
const options = ref<Record<string, Record<string, unknown>>>({})
const error = ref<unknown>(null)
const starting = ref(false)
const SHOWN = 6

async function start() {
  starting.value = true
  try {
    await api.deliverEach(project, models, chosen.value, options.value)
    await router.push({ name: 'deliver', params: { project } })
  } catch (problem) {
    error.value = problem
    starting.value = false
  }
}
</script>

<template>
  <Sheet open title="Deliver each model" @close="emit('close')">
    <form class="space-y-4 text-[13px]" @submit.prevent="start">
      <Problem v-if="error" :error="error" @close="error = null" />
      <p>
        <span class="num">{{ count(models.length) }}</span> {{ models.length === 1 ? 'model' : 'models' }}, each into a
        folder and a zip of its own, each read back and compared. A model that is on the Bench goes with its steps.
      </p>
      <p class="rounded-md bg-paper px-3 py-2 font-mono text-[12px] break-words text-faint">
        {{ models.slice(0, SHOWN).map(last).join(', ')
        }}<template v-if="models.length > SHOWN"> and {{ count(models.length - SHOWN) }} more</template>
      </p>
      <FormatChoice v-model="chosen" v-model:options="options" :losses="{}" @error="error = $event" />
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Close</button>
        <button class="button button-main" :disabled="!chosen.length || starting" data-test="start-batch">
          Write and prove {{ models.length === 1 ? 'it' : `all ${count(models.length)}` }}
        </button>
      </div>
    </form>
  </Sheet>
</template>
