<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, type Naming } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { count } from '../../model/words'

/** Names for many entries at once: from a table of the game, or from lines that somebody wrote. */
const {
  project,
  entry = null,
  columns = [],
} = defineProps<{ project: string; entry?: number | null; columns?: string[] }>()
const emit = defineEmits<{ close: [] }>()
const text = ref('')
const idColumn = ref(columns[0] ?? '')
const nameColumn = ref(columns[1] ?? '')
const pattern = ref('')
const tried = ref<Naming>()
const said = ref('')
const error = ref<unknown>(null)
const WAIT_MS = 350
const asked = () => ({
  pattern: pattern.value.trim(),
  entry,
  id_column: idColumn.value,
  name_column: nameColumn.value,
  text: text.value,
})
const ready = computed(() => !!tried.value?.fitting && pattern.value.includes('{id}'))
let wait = 0
let latest = 0

async function look() {
  if (entry === null && !text.value.trim()) return (tried.value = undefined)
  const mine = ++latest
  try {
    const found = await api.tryNaming(project, asked())
    if (mine !== latest) return
    error.value = null
    tried.value = found
    if (!pattern.value) pattern.value = found.pattern
  } catch (problem) {
    if (mine === latest) error.value = problem
  }
}
async function give() {
  try {
    await api.giveNames(project, asked())
    emit('close')
  } catch (problem) {
    error.value = problem
  }
}
async function takeBack() {
  try {
    const number = await api.takeNamesBack(project)
    said.value = number ? `${count(number)} names taken back.` : 'No names were given in bulk.'
  } catch (problem) {
    error.value = problem
  }
}
watch(
  [text, idColumn, nameColumn, pattern],
  () => {
    clearTimeout(wait)
    wait = window.setTimeout(look, WAIT_MS)
  },
  { immediate: true },
)
</script>

<template>
  <Sheet open title="Names for many entries" @close="emit('close')">
    <form class="space-y-3 text-[13px]" @submit.prevent="give">
      <Problem v-if="error" :error="error" @close="error = null" />
      <div v-if="entry !== null" class="flex items-center gap-3">
        <label class="flex items-center gap-2"
          >Code
          <select v-model="idColumn" class="field py-0.5" data-test="naming-id">
            <option v-for="c in columns" :key="c">{{ c }}</option>
          </select></label
        >
        <label class="flex items-center gap-2"
          >Name
          <select v-model="nameColumn" class="field py-0.5" data-test="naming-name">
            <option v-for="c in columns" :key="c">{{ c }}</option>
          </select></label
        >
      </div>
      <label v-else class="block"
        >Codes and names, a pair a line
        <textarea
          v-model="text"
          class="field mt-1 h-28 w-full font-mono text-[12px]"
          placeholder="0021 = Street lamp"
          spellcheck="false"
          data-test="naming-text"
        />
      </label>
      <label class="block"
        >What a code names; <code class="font-mono">{id}</code> stands for it
        <input
          v-model="pattern"
          class="field mt-1 w-full font-mono text-[12.5px]"
          placeholder="props/p{id}/**"
          spellcheck="false"
          data-test="naming-pattern"
        />
      </label>
      <p v-if="(tried?.likely.length ?? 0) > 1" class="flex flex-wrap items-center gap-1.5 text-faint">
        Others that fit:
        <button
          v-for="one in tried!.likely.filter((l) => l !== pattern)"
          :key="one"
          type="button"
          class="rounded border border-line px-1.5 font-mono text-[12px] hover:bg-sunk"
          @click="pattern = one"
        >
          {{ one }}
        </button>
      </p>
      <div class="rounded-md bg-paper" data-test="naming-tried">
        <p v-if="!tried" class="px-3 py-2 text-faint">Nothing to name yet.</p>
        <template v-else>
          <p class="border-b border-line px-3 py-1.5">
            <span class="num">{{ count(tried.fitting) }}</span> of <span class="num">{{ count(tried.tried) }}</span>
            {{ tried.tried < tried.codes ? `codes tried (there are ${count(tried.codes)})` : 'codes' }} name something
            here.
          </p>
          <ul class="max-h-48 overflow-auto">
            <li
              v-for="row in tried.rows"
              :key="row.code"
              class="flex gap-3 px-3 py-1"
              :class="{ 'text-faint': !row.number }"
            >
              <span class="w-40 shrink-0 truncate font-medium">{{ row.name }}</span><span
                class="min-w-0 flex-1 truncate font-mono text-[12px]"
                >{{ row.places[0] ?? `nothing for ${row.code}` }}</span
              ><span v-if="row.number > 1" class="num text-faint">{{ count(row.number) }}</span>
            </li>
          </ul>
        </template>
      </div>
      <p class="text-[12px] text-faint">What you named yourself stays. Names go along with the profile.</p>
      <div class="flex items-center justify-end gap-2">
        <button type="button" class="mr-auto text-faint underline underline-offset-2" @click="takeBack">
          Take all such names back
        </button>
        <span v-if="said" class="text-sea">{{ said }}</span>
        <button type="button" class="button" @click="emit('close')">Close</button>
        <button class="button button-main" :disabled="!ready" data-test="give-names">Give names</button>
      </div>
    </form>
  </Sheet>
</template>
