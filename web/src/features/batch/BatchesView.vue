<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ApiError, type Batch, type BatchWhole, type Recipe, type RuleName, type StepKind } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { useEvents } from '../../composables/useEvents'
import { useProject } from '../../composables/useProject'
import { standing } from '../../model/rules'
import BatchHead from './BatchHead.vue'
import BatchRows from './BatchRows.vue'
import RecipeList from './RecipeList.vue'

const route = useRoute()
const router = useRouter()
const { id: project } = useProject()
const id = computed(() => String(route.params.batch ?? ''))
const batches = shallowRef<Batch[]>([])
const recipes = shallowRef<Recipe[]>([])
const kinds = shallowRef<StepKind[]>([])
const rules = shallowRef<RuleName[]>([])
const whole = shallowRef<BatchWhole>()
const error = ref<unknown>(null)
const go = (batch: string) => router.push({ name: 'batches', params: { project: project.value, batch } })

async function attempt(work: () => Promise<unknown>) {
  try {
    await work()
  } catch (problem) {
    error.value = problem
  }
}
const loadRecipes = () => attempt(async () => (recipes.value = await api.recipes(project.value)))
const loadBatches = () => attempt(async () => (batches.value = await api.batches(project.value)))
async function loadOne() {
  const wanted = id.value
  if (!wanted) return (whole.value = undefined)
  try {
    const found = await api.batch(wanted)
    if (wanted === id.value) whole.value = found
  } catch (problem) {
    if (wanted !== id.value) return
    // Somebody removed it: the latest of the others is the next thing to look at.
    if (problem instanceof ApiError && problem.problem.status === 404) await toLatest(wanted)
    else error.value = problem
  }
}
async function toLatest(but = '') {
  await loadBatches()
  // Who has gone on meanwhile is not fetched back.
  if (route.name !== 'batches') return
  const latest = batches.value.find((batch) => batch.id !== but)?.id ?? ''
  await router.replace({ name: 'batches', params: { project: project.value, batch: latest } })
  // Two may hear of it at once: the second comes to an address that is there already.
  await loadOne()
}
async function load() {
  if (!project.value) return
  await Promise.all([loadRecipes(), loadBatches()])
  await attempt(async () => ([kinds.value, rules.value] = await Promise.all([api.steps(), api.rules()])))
  // Without one in the address, the latest is what one came for.
  if (!id.value && batches.value.length) await toLatest()
}

watch(project, load, { immediate: true })
watch(id, loadOne, { immediate: true })
// A batch tells of each item: while an answer is under way, one more question after it is enough.
let under = false
let again = false
async function news() {
  if (under) return void (again = true)
  under = true
  await Promise.all([loadBatches(), loadOne()])
  under = false
  if (again) {
    again = false
    void news()
  }
}
useEvents((event) => {
  const about = event.project_id ?? event.job?.project_id
  if (about !== project.value && !event.reconnected) return
  const told = event.changed === 'batches' || event.changed === 'deliveries'
  // Whether anybody works on it is told by its jobs.
  const job = event.job?.kind === 'batch' && event.job.status !== 'running'
  if (event.reconnected || told || job) void news()
})
const day = (moment: string) => new Date(moment).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })
</script>

<template>
  <div class="grid h-full grid-cols-[300px_1fr]">
    <aside class="min-h-0 overflow-auto border-r border-line bg-sheet p-4 text-[13px]" aria-label="Recipes and batches">
      <RecipeList
        :project="project"
        :recipes="recipes"
        :kinds="kinds"
        :rules="rules"
        @changed="loadRecipes"
        @error="error = $event"
      />
      <h2 class="heading mt-6 mb-2">Batches</h2>
      <p v-if="!batches.length" class="text-faint">
        None yet. In Browse, find models or put them on the tray, then “Run a recipe…”.
      </p>
      <button
        v-for="batch in batches"
        :key="batch.id"
        class="mb-1 block w-full rounded-md px-2.5 py-1.5 text-left"
        :class="batch.id === id ? 'bg-sea-soft' : 'hover:bg-sunk'"
        :aria-current="batch.id === id ? 'true' : undefined"
        data-test="batch"
        @click="go(batch.id)"
      >
        <span class="flex items-baseline gap-2">
          <span class="truncate font-semibold">{{ batch.name }}</span>
          <span class="ml-auto shrink-0 text-[12px]" :class="batch.dry ? 'text-faint' : 'text-sea'">
            {{ batch.dry ? 'dry run' : 'for real' }}
          </span>
        </span>
        <span class="flex justify-between gap-2 text-[12px] text-faint">
          <span class="truncate">{{ standing(batch) }}</span>
          <span class="num shrink-0">{{ day(batch.created) }}</span>
        </span>
      </button>
    </aside>
    <section class="relative flex min-h-0 min-w-0 flex-col">
      <template v-if="whole">
        <BatchHead :batch="whole" :kinds="kinds" :rules="rules" @error="error = $event" @go="go" @gone="toLatest(id)" />
        <BatchRows :project="project" :items="whole.items" :working="whole.working" @error="error = $event" />
      </template>
      <div v-else class="hatched m-6 rounded-xl border border-line p-10 text-center">
        <p class="text-[16px] font-semibold">One recipe, many models</p>
        <p class="mx-auto mt-1 max-w-lg text-faint">
          On the Bench, keep the steps of a model as a recipe. In Browse, find others like it, by a search, in a folder
          or one by one on the tray, and run the recipe on all of them: first dry, to see what each step would do, then
          for real, straight on to deliveries.
        </p>
        <button class="button button-main mt-4" @click="router.push({ name: 'browse', params: { project } })">
          Choose models in Browse
        </button>
      </div>
      <Problem v-if="error" :error="error" class="absolute inset-x-6 bottom-6 z-20" @close="error = null" />
    </section>
  </div>
</template>
