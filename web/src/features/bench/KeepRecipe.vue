<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { api, type StepKind, type StepUse, type ViewContent } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { fillsSlot } from '../../model/slots'

// `runs` are of these very steps: they say in which ways each may be kept for other models.
const { name, steps, kinds, runs, project } = defineProps<{
  name: string
  steps: StepUse[]
  kinds: StepKind[]
  runs: ViewContent['steps']
  project: string
}>()
const emit = defineEmits<{ close: []; kept: [name: string] }>()
const called = ref(name)
const error = ref<unknown>(null)
const keeping = ref(false)
const lines = computed(() =>
  steps.map((use, i) => ({
    use,
    title: kinds.find((kind) => kind.name === use.step)?.title ?? use.step,
    summary: runs[i]?.summary ?? '',
    ways: use.rule ? [] : (runs[i]?.ways ?? []),
  })),
)
const taken = reactive(steps.map((use) => use.on && !fillsSlot(use)))
const way = reactive(steps.map(() => 0))
const any = computed(() => taken.some(Boolean))

const told = ({ use, ways }: { use: StepUse; ways: { words: string }[] }) =>
  use.rule ? 'by its rule, as it is' : (ways[0]?.words ?? 'the same everywhere')

function made(): StepUse[] {
  return lines.value.flatMap(({ use, ways }, i) => {
    if (!taken[i]) return []
    const chosen = ways[way[i]!]
    return [chosen ? { ...use, on: true, params: chosen.params, rule: chosen.rule, because: '' } : { ...use, on: true }]
  })
}
async function keep() {
  keeping.value = true
  try {
    const kept = await api.keepRecipe(project, called.value.trim(), made())
    emit('kept', kept.name)
  } catch (problem) {
    error.value = problem
    keeping.value = false
  }
}
</script>

<template>
  <Sheet open wide title="Keep these steps as a recipe" @close="emit('close')">
    <form class="space-y-4 text-[13px]" @submit.prevent="keep">
      <Problem v-if="error" :error="error" @close="error = null" />
      <label class="block">
        <span class="mb-1 block font-semibold">Name</span>
        <input
          v-model="called"
          class="field w-full"
          maxlength="200"
          required
          data-test="recipe-name"
          @focus="($event.target as HTMLInputElement).select()"
        />
      </label>
      <p class="text-faint">
        Other models have other names. Say for each step how it finds there what it works on; what a way offers means
        here just what the step takes now.
      </p>
      <ol class="max-h-[46vh] divide-y divide-line overflow-auto rounded-md border border-line bg-paper">
        <li
          v-for="(line, i) in lines"
          :key="i"
          class="grid grid-cols-[1fr_1.3fr] items-center gap-3 px-3 py-2"
          data-test="kept-step"
        >
          <label class="flex min-w-0 items-center gap-2 font-medium">
            <input v-model="taken[i]" type="checkbox" class="size-4 shrink-0 accent-(--sea)" />
            <span class="min-w-0">
              <span class="block truncate">{{ line.title }}</span>
              <span class="block truncate text-[12px] font-normal text-faint" :title="line.summary">{{
                line.summary
              }}</span>
            </span>
          </label>
          <select
            v-if="line.ways.length > 1"
            v-model="way[i]"
            class="field w-full py-1"
            :disabled="!taken[i]"
            :aria-label="`What ${line.title} takes`"
          >
            <option v-for="(one, n) in line.ways" :key="n" :value="n">{{ one.words }}</option>
          </select>
          <span v-else class="truncate text-faint">
            {{ taken[i] || !fillsSlot(line.use) ? told(line) : 'each keeps what it is made of' }}
          </span>
        </li>
      </ol>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button class="button button-main" :disabled="!called.trim() || !any || keeping" data-test="recipe-keep">
          Keep it
        </button>
      </div>
    </form>
  </Sheet>
</template>
