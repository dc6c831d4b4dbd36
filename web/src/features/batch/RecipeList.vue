<script setup lang="ts">
import { ref } from 'vue'
import { api, type Recipe, type RuleName, type StepKind } from '../../api/client'
import MoreMenu from '../../components/MoreMenu.vue'
import NameForm from '../../components/NameForm.vue'
import Question from '../../components/Question.vue'
import { ruleWords } from '../../model/rules'

const { project, kinds } = defineProps<{ project: string; recipes: Recipe[]; kinds: StepKind[]; rules: RuleName[] }>()
const emit = defineEmits<{ changed: []; error: [problem: unknown] }>()
const renaming = ref<Recipe>()
const removing = ref<Recipe>()
const open = ref('')
const file = ref<HTMLInputElement>()
const title = (step: string) => kinds.find((kind) => kind.name === step)?.title ?? step

async function attempt(work: () => Promise<unknown>) {
  renaming.value = removing.value = undefined
  try {
    await work()
  } catch (problem) {
    emit('error', problem)
  }
  emit('changed')
}
async function load() {
  const chosen = file.value?.files?.[0]
  if (chosen) await attempt(async () => api.loadRecipe(project, chosen.name, await chosen.text()))
  if (file.value) file.value.value = ''
}
function save(recipe: Recipe) {
  const link = document.createElement('a')
  link.href = `/api/recipes/${recipe.id}/file`
  link.click()
}
const acts = (recipe: Recipe) => [
  { words: 'Save as a file', run: () => save(recipe), test: 'save-recipe' },
  { words: 'Rename…', run: () => (renaming.value = recipe), test: 'rename-recipe' },
  { words: 'Remove…', run: () => (removing.value = recipe), grave: true, test: 'remove-recipe' },
]
</script>

<template>
  <div class="mb-2 flex items-center justify-between">
    <h2 class="heading">Recipes</h2>
    <button class="button py-0.5 text-[12.5px]" data-test="load-recipe" @click="file?.click()">Load a file…</button>
    <input
      ref="file"
      type="file"
      aria-label="A recipe's file"
      class="sr-only"
      tabindex="-1"
      accept=".yaml,.yml,.json"
      data-test="recipe-file"
      @change="load"
    />
  </div>
  <p v-if="!recipes.length" class="text-faint">
    None yet. On the Bench, under “Steps”, keep those of a model as a recipe.
  </p>
  <div v-for="recipe in recipes" :key="recipe.id" class="mb-1 rounded-md" data-test="recipe">
    <div class="flex items-center gap-1">
      <button
        class="min-w-0 flex-1 rounded-md px-2.5 py-1 text-left hover:bg-sunk"
        :aria-expanded="open === recipe.id"
        @click="open = open === recipe.id ? '' : recipe.id"
      >
        <span class="block truncate font-semibold">{{ recipe.name }}</span>
        <span class="num block text-[12px] text-faint"
          >{{ recipe.steps.length }} {{ recipe.steps.length === 1 ? 'step' : 'steps' }}</span
        >
      </button>
      <MoreMenu :label="`More about ${recipe.name}`" :acts="acts(recipe)" />
    </div>
    <ol v-if="open === recipe.id" class="ml-2.5 space-y-0.5 border-l border-line py-1 pl-3 text-[12.5px]">
      <li v-for="(use, i) in recipe.steps" :key="i">
        {{ title(use.step) }} <span class="text-faint">{{ ruleWords(use.rule, rules) }}</span>
      </li>
    </ol>
  </div>
  <NameForm
    v-if="renaming"
    title="Rename this recipe"
    :name="renaming.name"
    @close="renaming = undefined"
    @named="(name) => attempt(() => api.renameRecipe(renaming!.id, name))"
  />
  <Question
    v-if="removing"
    :title="`Remove the recipe ${removing.name}?`"
    act="Remove it"
    @close="removing = undefined"
    @yes="attempt(() => api.removeRecipe(removing!.id))"
  >
    Workpieces and batches keep the steps they have from it.
  </Question>
</template>
