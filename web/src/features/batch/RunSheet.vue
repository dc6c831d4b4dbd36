<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, type Batch, type BatchWhole, type Recipe, type Thing, type Wish } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { useProject } from '../../composables/useProject'
import { useWanted } from '../../composables/useWanted'
import { count, last } from '../../model/words'
import WantedForm from '../deliver/WantedForm.vue'

// Runs a recipe on models, on all that a search finds, on things of several entries each, or a batch that was dry once
// more for real.
const {
  models = [],
  things = [],
  batch,
  found,
} = defineProps<{
  models?: string[]
  things?: Thing[]
  batch?: BatchWhole
  found?: { wish: Wish; number: number }
}>()
const emit = defineEmits<{ close: []; started: [batch: Batch] }>()
const { id: project } = useProject()
const number = computed(() => models.length + things.length + (found?.number ?? 0))
const recipes = shallowRef<Recipe[]>()
const chosen = ref('')
const dry = ref(!batch)
const delivers = ref(false)
const wanted = useWanted()
const error = ref<unknown>(null)
const starting = ref(false)
const recipe = computed(() => recipes.value?.find((one) => one.id === chosen.value))
const ready = computed(() => (batch ?? recipe.value) && (dry.value || !delivers.value || wanted.value.formats.length))

onMounted(async () => {
  try {
    if (!batch) recipes.value = await api.recipes(project.value)
    chosen.value = recipes.value?.[0]?.id ?? ''
  } catch (problem) {
    error.value = problem
  }
})
async function start() {
  starting.value = true
  const how = { dry: dry.value, wanted: !dry.value && delivers.value ? wanted.value : null }
  try {
    if (batch) emit('started', await api.runBatchAgain(batch.id, how))
    else if (recipe.value) {
      const { name, steps } = recipe.value
      emit(
        'started',
        await api.runBatch(project.value, {
          name,
          steps,
          entries: models,
          things,
          query: found && { ...found.wish },
          ...how,
        }),
      )
    }
  } catch (problem) {
    error.value = problem
    starting.value = false
  }
}
</script>

<template>
  <Sheet open :title="batch ? `Run ${batch.name} for real` : 'Run a recipe'" @close="emit('close')">
    <form class="space-y-4 text-[13px]" @submit.prevent="start">
      <Problem v-if="error" :error="error" @close="error = null" />
      <template v-if="!batch">
        <p>
          On <span class="num">{{ count(number) }}</span> {{ number === 1 ? 'model' : 'models'
          }}{{ found ? (number === 1 ? ' that is found' : ' that are found') : '' }}, each by itself. One that fails
          does not stop the others.
        </p>
        <p v-if="recipes && !recipes.length" class="hatched rounded-md p-4 text-center">
          There is no recipe yet. Open one of the models on the Bench, mend it, and keep its steps as a recipe.
        </p>
        <div v-else>
          <label class="mb-1 block font-semibold" for="run-recipe">Recipe</label>
          <select id="run-recipe" v-model="chosen" class="field w-full" data-test="run-recipe">
            <option v-for="one in recipes" :key="one.id" :value="one.id">
              {{ one.name }} ({{ one.steps.length }} {{ one.steps.length === 1 ? 'step' : 'steps' }})
            </option>
          </select>
        </div>
        <fieldset class="space-y-1">
          <legend class="sr-only">How</legend>
          <label class="flex items-start gap-2">
            <input v-model="dry" type="radio" :value="true" class="mt-0.5 accent-(--sea)" />
            <span
              ><b>Dry run.</b>
              <span class="text-faint">Tells what each step would do to each model, and what is left.</span></span
            >
          </label>
          <label class="flex items-start gap-2">
            <input v-model="dry" type="radio" :value="false" class="mt-0.5 accent-(--sea)" data-test="real" />
            <span
              ><b>For real.</b>
              <span class="text-faint">The steps go onto the models’ workpieces, behind those they have.</span></span
            >
          </label>
        </fieldset>
      </template>
      <p v-else>
        The steps go onto the workpieces of <span class="num">{{ count(batch.items.length) }}</span>
        {{ batch.items.length === 1 ? 'model' : 'models' }}; each can be undone by itself.
      </p>
      <template v-if="!dry">
        <label class="flex items-center gap-2">
          <input v-model="delivers" type="checkbox" class="accent-(--sea)" data-test="delivers" />
          Deliver each as well
        </label>
        <WantedForm
          v-if="delivers"
          v-model="wanted"
          :losses="{}"
          :clips="[]"
          :example="{
            name: last(models[0] ?? things[0]?.name ?? 'name').replace(/\.[^.]*$/, ''),
            piece: 'body',
            clip: 'walk',
          }"
          @error="error = $event"
        />
      </template>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button class="button button-main" :disabled="!ready || starting" data-test="run">
          {{ dry ? 'Run it dry' : delivers ? 'Run and deliver' : 'Run for real' }}
        </button>
      </div>
    </form>
  </Sheet>
</template>
