<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Batch, type Card, type Catalogue, type Thing } from '../../api/client'
import Problem from '../../components/Problem.vue'
import VirtualGrid from '../../components/VirtualGrid.vue'
import { useEvents } from '../../composables/useEvents'
import { useKeys } from '../../composables/useKeys'
import { usePages } from '../../composables/usePages'
import { useProject } from '../../composables/useProject'
import { useTray } from '../../composables/useTray'
import { queryOf, START } from '../../model/address'
import { count } from '../../model/words'
import RunSheet from '../batch/RunSheet.vue'
import StageTabs from '../browse/StageTabs.vue'
import ThingCard from './ThingCard.vue'

const router = useRouter()
const { id } = useProject()
const PAGE = 60
const TYPING_MS = 120
const MOST_THINGS = 5000
const first = shallowRef<Catalogue>()
const error = ref<unknown>(null)
const group = ref<string | null>(null)
const words = ref('')
const box = ref<HTMLInputElement>()
const tray = useTray(() => id.value)
const everything = computed(() => Object.values(first.value?.groups ?? {}).reduce((sum, n) => sum + n, 0))
// Who is made of parts is opened with what the game's table says, and called as it says.
const dressOf = (card: Card) => (Object.keys(card.wears).length ? { wears: card.wears, name: card.name } : {})
const partsOf = (card: Card) => [...Object.values(card.parts).flat(), ...Object.values(card.wears)]
const { begin, row: card } = usePages<Card>(
  PAGE,
  async (number, signal) => {
    const found = await api.catalogue(id.value, group.value, words.value, number * PAGE, signal)
    if (number === 0 && !signal.aborted) first.value = found
    return found.cards
  },
  (problem) => (error.value = problem),
)
const load = () => id.value && begin()
let wait = 0
function soon() {
  clearTimeout(wait)
  wait = window.setTimeout(load, TYPING_MS)
}
async function open(card: Card) {
  try {
    const made = await api.openWorkpiece(id.value, card.bench, undefined, dressOf(card))
    await router.push({ name: 'bench', params: { project: id.value, workpiece: made.id } })
  } catch (problem) {
    error.value = problem
  }
}
// All that the words find, for a batch: more pages than are looked at.
const things = shallowRef<Thing[] | null>(null)
async function gather() {
  const found: Thing[] = []
  try {
    for (let at = 0; at < Math.min(first.value?.total ?? 0, MOST_THINGS); at += PAGE) {
      const { cards } = await api.catalogue(id.value, group.value, words.value, at)
      for (const { name, bench, wears } of cards) if (bench.length) found.push({ name, entries: bench, wears })
    }
    things.value = found
  } catch (problem) {
    error.value = problem
  }
}
const started = (batch: Batch) => router.push({ name: 'batches', params: { project: id.value, batch: batch.id } })
function take(card: Card) {
  tray.add(
    partsOf(card).map((path) => ({
      path,
      size: 0,
      kind: card.bench.includes(path) && card.parts.model?.includes(path) ? 'model' : '',
    })),
  )
}
function browse(card: Card) {
  const folder = (card.parts.model?.[0] ?? card.parts.portrait?.[0] ?? '').split('/').slice(0, -1).join('/')
  const query = queryOf({ ...START, kind: null, folder }, false)
  void router.push({ name: 'browse', params: { project: id.value }, query })
}
watch([id, group], load, { immediate: true })
watch(words, soon)
useEvents(
  (event) => (event.changed === 'sources' || event.changed === 'marks' || event.reconnected || event.picture) && soon(),
)
useKeys('Catalogue', [['/', 'Search the catalogue', () => box.value?.focus()]])
</script>

<template>
  <div class="grid h-full min-h-0 grid-cols-[212px_minmax(0,1fr)]">
    <aside class="border-r border-line bg-sheet">
      <StageTabs at="catalogue" :project="id" />
      <nav class="py-2 text-[13px]" aria-label="Groups">
        <button
          v-for="[name, number] in [[null, everything], ...Object.entries(first?.groups ?? {})] as [
            string | null,
            number,
          ][]"
          :key="name ?? 'all'"
          class="flex w-full items-baseline justify-between px-4 py-1 text-left capitalize"
          :class="group === name ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
          @click="group = name"
        >
          {{ name ?? 'everything' }}<span class="num text-[11.5px] text-faint">{{ count(number) }}</span>
        </button>
      </nav>
    </aside>
    <section class="flex min-h-0 flex-col">
      <div class="flex items-end justify-between gap-6 px-5 pt-5 pb-1">
        <div>
          <h1 class="text-[20px] font-semibold tracking-tight">Who and what there is</h1>
          <p class="text-[13px] text-faint">
            From the game's own tables, as the profile describes them. Names follow the chosen language.
          </p>
        </div>
        <button
          v-if="first?.total"
          class="button ml-auto shrink-0"
          data-test="run-on-things"
          title="Run a recipe on everything found"
          @click="gather"
        >
          Run a recipe on {{ count(first.total) }}…
        </button>
        <input
          ref="box"
          v-model="words"
          type="search"
          class="field w-64"
          placeholder="Name or code"
          aria-label="Search the catalogue"
          data-test="catalogue-search"
        />
      </div>
      <Problem v-if="error" :error="error" class="mx-5 my-2" @close="error = null" />
      <p
        v-for="line in first?.problems"
        :key="line"
        class="mx-5 my-2 rounded-md bg-marigold-soft px-3 py-2 text-[13px] text-marigold"
      >
        {{ line }}
      </p>
      <VirtualGrid
        v-if="first?.total"
        label="Things of the game"
        class="min-h-0 flex-1"
        :count="first.total"
        :cell-height="304"
        :cell-width="220"
        :gap="16"
        :inset="20"
        :selected="-1"
      >
        <template #default="{ index }"
          ><ThingCard :card="card(index)" @open="open" @files="browse" @take="take"
        /></template>
      </VirtualGrid>
      <div v-else-if="first && !everything" class="hatched m-5 rounded-xl border border-line p-10 text-center">
        <p class="text-[16px] font-semibold">No catalogue yet</p>
        <p class="text-faint">
          A profile that names the game's tables of people and things fills it. Edit it under Sources, Profile.
        </p>
      </div>
      <p v-else-if="first" class="p-5 text-faint">Nobody is called so.</p>
      <RunSheet v-if="things" :things="things" @close="things = null" @started="started" />
    </section>
  </div>
</template>
