<script setup lang="ts">
import { onMounted, ref, shallowRef } from 'vue'
import { api, type Recipe, type StepUse, type Workpiece } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'

// Steps from a recipe onto this workpiece, or from this workpiece onto others.
const { take, project, workpiece, others } = defineProps<{
  take: 'recipe' | 'copy'
  project: string
  workpiece: Workpiece
  others: Workpiece[]
}>()
const emit = defineEmits<{ close: []; add: [steps: StepUse[]]; told: [words: string] }>()
const recipes = shallowRef<Recipe[]>()
const chosen = ref<string[]>([])
const error = ref<unknown>(null)
const there = () => others.filter((one) => one.id !== workpiece.id)

onMounted(async () => {
  if (take !== 'recipe') return
  try {
    recipes.value = await api.recipes(project)
  } catch (problem) {
    error.value = problem
  }
})
async function copy() {
  try {
    for (const one of there().filter((w) => chosen.value.includes(w.id)))
      await api.setSteps(one.id, [...one.steps, ...workpiece.steps])
    emit('told', `Copied onto ${chosen.value.length === 1 ? 'one workpiece' : `${chosen.value.length} workpieces`}.`)
  } catch (problem) {
    error.value = problem
  }
}
</script>

<template>
  <Sheet
    open
    :title="take === 'recipe' ? 'Add the steps of a recipe' : 'Copy these steps to others'"
    @close="emit('close')"
  >
    <Problem v-if="error" :error="error" class="mb-3" @close="error = null" />
    <div v-if="take === 'recipe'" class="space-y-1 text-[13px]">
      <p v-if="recipes && !recipes.length" class="hatched rounded-md p-6 text-center">
        No recipe is kept in this project yet. “Keep as a recipe…” makes one of the steps of a workpiece.
      </p>
      <button
        v-for="recipe in recipes"
        :key="recipe.id"
        class="block w-full rounded-md px-3 py-2 text-left hover:bg-sunk"
        data-test="take-recipe"
        @click="emit('add', recipe.steps)"
      >
        <span class="font-semibold">{{ recipe.name }}</span>
        <span class="num text-faint">{{ recipe.steps.length }} {{ recipe.steps.length === 1 ? 'step' : 'steps' }}</span>
      </button>
      <div class="flex justify-end"><button class="button" @click="emit('close')">Cancel</button></div>
    </div>
    <form v-else class="space-y-3 text-[13px]" @submit.prevent="copy">
      <p v-if="!there().length" class="hatched rounded-md p-6 text-center">
        There is no other workpiece in this project.
      </p>
      <ul v-else class="max-h-72 overflow-auto rounded-md border border-line bg-paper p-1">
        <li v-for="one in there()" :key="one.id">
          <label class="flex items-center gap-2 rounded px-2 py-1 hover:bg-sunk">
            <input v-model="chosen" type="checkbox" :value="one.id" class="size-4 accent-(--sea)" data-test="copy-to" />
            <span class="truncate font-medium">{{ one.name }}</span>
            <span class="num ml-auto text-faint"
              >{{ one.steps.length }} {{ one.steps.length === 1 ? 'step' : 'steps' }}</span
            >
          </label>
        </li>
      </ul>
      <p class="text-faint">
        They go behind the steps that are there. A step whose parts are not there is passed over and says so.
      </p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button class="button button-main" :disabled="!chosen.length" data-test="copy-done">Copy</button>
      </div>
    </form>
  </Sheet>
</template>
