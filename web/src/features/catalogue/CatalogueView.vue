<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Card, type Catalogue } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { useEvents } from '../../composables/useEvents'
import { useKeys } from '../../composables/useKeys'
import { useProject } from '../../composables/useProject'
import { useTray } from '../../composables/useTray'
import { count } from '../../model/words'

const router = useRouter()
const { id } = useProject()
const found = ref<Catalogue>()
const error = ref<unknown>(null)
const group = ref<string | null>(null)
const words = ref('')
const box = ref<HTMLInputElement>()
const tray = useTray(() => id.value)
const groups = computed(() => [...new Set(found.value?.cards.map((c) => c.group) ?? [])])
const shown = computed(() => {
  const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (found.value?.cards ?? []).filter((c) => (!group.value || c.group === group.value) && wanted.every((w) => `${c.name} ${c.code}`.toLowerCase().includes(w)))
})
const partsOf = (card: Card) => Object.values(card.parts).flat()

async function load() {
  if (!id.value) return
  try {
    found.value = await api.catalogue(id.value)
  } catch (problem) {
    error.value = problem
  }
}
async function open(card: Card) {
  try {
    const made = await api.openWorkpiece(id.value, card.bench)
    await router.push({ name: 'bench', params: { project: id.value, workpiece: made.id } })
  } catch (problem) {
    error.value = problem
  }
}
function browse(card: Card) {
  const folder = (card.parts.model?.[0] ?? card.parts.portrait?.[0] ?? '').split('/').slice(0, -1).join('/')
  sessionStorage.setItem(`pruxel.browse.${id.value}`, JSON.stringify({ wish: { search: '', kind: null, sort: 'path', down: false, folder }, chosen: 0, asList: false }))
  void router.push({ name: 'browse', params: { project: id.value } })
}
watch(id, load, { immediate: true })
useEvents((event) => (event.changed === 'sources' || event.changed === 'marks' || event.reconnected || event.picture) && load())
useKeys('Catalogue', [['/', 'Search the catalogue', () => box.value?.focus()]])
</script>

<template>
  <div class="grid h-full min-h-0 grid-cols-[212px_minmax(0,1fr)]">
    <aside class="border-r border-line bg-sheet">
      <div class="flex gap-1 border-b border-line p-2 text-[13px]">
        <button class="flex-1 rounded-md px-2 py-1 hover:bg-sunk" data-test="to-files" @click="router.push({ name: 'browse', params: { project: id } })">Files</button>
        <span class="flex-1 rounded-md bg-sea-soft px-2 py-1 text-center font-semibold text-sea">Catalogue</span>
      </div>
      <nav class="py-2 text-[13px]" aria-label="Groups">
        <button v-for="name in [null, ...groups]" :key="name ?? 'all'" class="flex w-full items-baseline justify-between px-4 py-1 text-left capitalize" :class="group === name ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'" @click="group = name">
          {{ name ?? 'everything' }}<span class="num text-[11.5px] text-faint">{{ count(found?.cards.filter((c) => !name || c.group === name).length ?? 0) }}</span>
        </button>
      </nav>
    </aside>
    <section class="min-h-0 overflow-auto p-5">
      <div class="mb-4 flex items-end justify-between gap-6">
        <div>
          <h1 class="text-[20px] font-semibold tracking-tight">Who and what there is</h1>
          <p class="text-[13px] text-faint">From the game's own tables, as the profile describes them. Names follow the chosen language.</p>
        </div>
        <input ref="box" v-model="words" type="search" class="field w-64" placeholder="Name or code" aria-label="Search the catalogue" data-test="catalogue-search" />
      </div>
      <Problem v-if="error" :error="error" class="mb-3" @close="error = null" />
      <p v-for="line in found?.problems" :key="line" class="mb-3 rounded-md bg-marigold-soft px-3 py-2 text-[13px] text-marigold">{{ line }}</p>
      <div class="grid grid-cols-[repeat(auto-fill,minmax(220px,1fr))] gap-4">
        <article v-for="card in shown" :key="`${card.group}${card.code}`" class="flex flex-col overflow-hidden rounded-xl border border-line bg-sheet" data-test="card" :data-code="card.code">
          <div class="flex h-40 items-center justify-center bg-gradient-to-b from-paper to-sunk">
            <img v-if="card.picture" :src="`/api/blobs/${card.picture}`" :alt="`Picture of ${card.name}`" class="size-full object-cover object-[50%_25%]" />
            <span v-else class="text-[13px] text-faint">no picture</span>
          </div>
          <div class="flex flex-1 flex-col gap-1.5 border-t border-line p-3">
            <div class="flex items-baseline justify-between gap-2"><h2 class="truncate text-[14.5px] font-semibold" :title="card.name">{{ card.name }}</h2><span class="num text-[11.5px] text-faint">{{ card.code }}</span></div>
            <p class="text-[12px] text-faint"><span class="capitalize">{{ card.group }}</span><template v-for="(paths, part) in card.parts" :key="part"><template v-if="paths.length">, {{ paths.length > 1 ? `${paths.length} ` : '' }}{{ part }}</template></template></p>
            <p v-if="card.missing.length" class="text-[12px] text-marigold" data-test="missing">Missing: {{ card.missing.join(', ') }}</p>
            <div class="mt-auto flex gap-1.5 pt-1.5">
              <button v-if="card.bench.length" class="button button-main py-1" data-test="card-open" @click="open(card)">Open</button>
              <button v-if="partsOf(card).length" class="button py-1" @click="browse(card)">Files</button>
              <button v-if="partsOf(card).length" class="button py-1" data-test="card-take" @click="tray.add(partsOf(card).map((path) => ({ path, size: 0, kind: path.endsWith('.brm') ? 'model' : '' })))">Take</button>
            </div>
          </div>
        </article>
      </div>
      <div v-if="found && !found.cards.length" class="hatched rounded-xl border border-line p-10 text-center">
        <p class="text-[16px] font-semibold">No catalogue yet</p>
        <p class="text-faint">A profile that names the game's tables of people and things fills it. Edit it under Sources, Profile.</p>
      </div>
      <p v-else-if="found && !shown.length" class="text-faint">Nobody is called so.</p>
    </section>
  </div>
</template>
