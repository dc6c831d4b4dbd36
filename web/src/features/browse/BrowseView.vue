<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type Entry, type Source, type Wish } from '../../api/client'
import Problem from '../../components/Problem.vue'
import VirtualGrid from '../../components/VirtualGrid.vue'
import { useEvents } from '../../composables/useEvents'
import { useKeys } from '../../composables/useKeys'
import { useListing } from '../../composables/useListing'
import { usePictures } from '../../composables/usePictures'
import { useProject } from '../../composables/useProject'
import { useTray } from '../../composables/useTray'
import { queryOf, START, wishOf } from '../../model/address'
import { stretch } from '../../model/ranges'
import { count, last } from '../../model/words'
import RunSheet from '../batch/RunSheet.vue'
import BatchSheet from './BatchSheet.vue'
import CarveSheet from './CarveSheet.vue'
import EntryCard from './EntryCard.vue'
import EntryLine from './EntryLine.vue'
import ExtractSheet from './ExtractSheet.vue'
import FilterBar from './FilterBar.vue'
import FolderTree from './FolderTree.vue'
import OrderBar from './OrderBar.vue'
import QuickLook from './QuickLook.vue'
import StageTabs from './StageTabs.vue'
import TrayBar from './TrayBar.vue'
import TraySheet from './TraySheet.vue'

const route = useRoute()
const router = useRouter()
const { id } = useProject()
// The address says what is shown, so that Back, a reload and a copied link show it again.
const wish = ref<Wish>(wishOf(route.query))
const words = ref(wish.value.search ?? '')
const asList = computed(() => route.query.as === 'list')
const placeOfList = () => `pruxel.browse.${id.value}`
const placeOfChosen = () => `pruxel.chosen.${route.fullPath}`
const chosen = ref(Number(sessionStorage.getItem(placeOfChosen()) ?? 0))
const listing = useListing(
  () => id.value,
  () => wish.value,
)
const { facets, total, loading, settled, error, row } = listing
const inSight = usePictures(() => id.value, row)
const cells = ref<number[]>([])
const tray = useTray(() => id.value)
const sources = ref<Source[]>([])
const treeVersion = ref(0)
const whole = ref(0)
const sheet = ref<'batch' | 'run' | 'extract' | 'carve' | 'tray' | null>(null)
const searchBox = ref<HTMLInputElement>()
const grid = ref<InstanceType<typeof VirtualGrid>>()
const selected = computed(() => row(chosen.value))
const picks = computed(() => [...tray.picks.value.values()])
const MOST_TAKEN = 10_000
const PAGE = 500

function show(now: Wish, list: boolean, way: 'push' | 'replace' = 'push') {
  return router[way]({ name: 'browse', params: { project: id.value }, query: queryOf(now, list) })
}
const set = (values: Partial<Wish>, way?: 'push' | 'replace') => show({ ...wish.value, ...values }, asList.value, way)
const cleared: Wish = { ...START, kind: null }
function typed(event: Event) {
  words.value = (event.target as HTMLInputElement).value
  void set({ search: words.value }, 'replace')
}

async function loadAll() {
  if (!id.value) return
  treeVersion.value++
  const [answered] = await Promise.all([
    listing.load(),
    api.sources(id.value).then(
      (found) => (sources.value = found),
      () => undefined,
    ),
    api.facets(id.value, {}).then(
      (found) => (whole.value = found.total),
      () => undefined,
    ),
  ])
  // What was typed meanwhile is not yet in the address, and must not be lost.
  const asAtFirst = !words.value && !Object.keys(queryOf(wish.value, false)).length
  // Nothing describes its models yet.
  if (answered && asAtFirst && whole.value && !total.value) await set({ kind: null }, 'replace')
}

// Do something that may fail; why it did is shown.
async function attempt(work: () => Promise<unknown>) {
  try {
    await work()
  } catch (problem) {
    error.value = problem
  }
}
const bench = (paths: string[], source?: string) =>
  attempt(async () => {
    const made = await api.openWorkpiece(id.value, paths, source)
    await router.push({ name: 'bench', params: { project: id.value, workpiece: made.id } })
  })
const open = (entry: Entry | undefined, source?: string) => entry && bench([entry.path], source)
const openTray = () => bench([...tray.models.value, ...tray.clips.value].map((p) => p.path))
const go = (path: string) => show({ ...cleared, search: path }, asList.value)
const lookInside = (entry: Entry) => attempt(async () => api.mount(id.value, await api.address(entry.id)))
const star = (entry: Entry) =>
  attempt(async () => {
    await api.mark(id.value, { path: entry.path, folder: false, star: !entry.star })
    listing.change(entry.id, { star: !entry.star })
  })
const takeAll = (entry: Entry) =>
  attempt(async () => {
    const found = await api.needs(entry.id)
    const kindOf = (path: string) => (path === entry.path ? entry.kind : '')
    tray.add(found.paths.map((path, n) => ({ path, size: n ? 0 : found.size, kind: kindOf(path) })))
    const names = found.missing.slice(0, 4).join(', ')
    if (found.missing.length)
      throw new Error(`Taken, but ${found.missing.length} of the names it mentions lead nowhere: ${names}`)
  })
// Put a stretch of the list on the tray, also what is not loaded.
const takeStretch = (first: number, end: number) =>
  attempt(async () => {
    for (let at = first; at < end; at += PAGE)
      tray.add((await api.entries(id.value, wish.value, at, Math.min(PAGE, end - at))).entries)
  })
const takeFound = () => {
  const number = facets.value?.total ?? total.value
  if (number <= MOST_TAKEN) return takeStretch(0, number)
  error.value = new Error(
    `${count(number)} entries are too many for the tray. “Extract what is found” takes any number.`,
  )
}

const foundModels = computed(() =>
  wish.value.kind && wish.value.kind !== 'model' ? 0 : (facets.value?.kinds.model ?? 0),
)

function choose(event: MouseEvent, index: number) {
  const before = chosen.value
  chosen.value = index
  const entry = row(index)
  if (event.shiftKey) {
    const [first, end] = stretch(before, index)
    void takeStretch(first, Math.min(end + 1, first + MOST_TAKEN))
  } else if ((event.ctrlKey || event.metaKey) && entry) tray.toggle(entry)
}
function move(by: number) {
  chosen.value = Math.min(Math.max(chosen.value + by, 0), Math.max(total.value - 1, 0))
  for (const ahead of [1, 2]) {
    const next = row(chosen.value + Math.sign(by) * ahead)
    if (next?.kind === 'texture') new Image().src = `/api/entries/${next.id}/texture?channel=rgba&level=0`
    else if (next && ['model', 'skeleton', 'clips'].includes(next.kind)) void api.look(next.id).catch(() => undefined)
  }
}
const columns = () => grid.value?.columns ?? 1

watch(
  () => route.query,
  (query) => {
    if (route.name !== 'browse') return
    sessionStorage.setItem(placeOfList(), JSON.stringify(query))
    const now = wishOf(query)
    if (JSON.stringify(now) === JSON.stringify(wish.value)) return
    wish.value = now
    if (now.search !== words.value) words.value = now.search ?? ''
    chosen.value = Number(sessionStorage.getItem(placeOfChosen()) ?? 0)
    void nextTick(() => chosen.value || grid.value?.toTop())
  },
)
watch(chosen, (now) => sessionStorage.setItem(placeOfChosen(), String(now)))
// What was chosen in the list before may lie beyond the end of a shorter one.
watch(settled, () => {
  if (!asList.value) inSight(cells.value)
  if (!facets.value?.capped) chosen.value = Math.min(chosen.value, Math.max(total.value - 1, 0))
})
function sighted(now: number[]) {
  cells.value = now
  if (!asList.value) inSight(now)
}
onMounted(loadAll)
useEvents((event) => {
  if (event.changed === 'sources' || event.changed === 'marks' || event.reconnected) void loadAll()
  if (event.picture) listing.change(event.picture.entry, { picture: event.picture.key })
})
useKeys('Browse', [
  ['/', 'Search', () => searchBox.value?.focus()],
  ['j ArrowRight', 'Next entry', () => move(1)],
  ['k ArrowLeft', 'Previous entry', () => move(-1)],
  ['ArrowDown', 'Row below', () => move(columns())],
  ['ArrowUp', 'Row above', () => move(-columns())],
  ['Enter', 'Open on the Bench', () => open(selected.value)],
  ['t', 'Put on the tray, or take off', () => selected.value && tray.toggle(selected.value)],
  ['s', 'Star', () => selected.value && star(selected.value)],
  ['v', 'Pictures or list', () => show(wish.value, !asList.value, 'replace')],
])
</script>

<template>
  <div class="grid h-full min-h-0 grid-cols-[clamp(150px,17vw,212px)_minmax(0,1fr)_clamp(290px,28vw,348px)]">
    <aside class="flex min-h-0 flex-col border-r border-line bg-sheet">
      <StageTabs at="browse" :project="id" />
      <FolderTree
        class="min-h-0 flex-1"
        :project="id"
        :chosen="wish.folder ?? null"
        :total="whole"
        :version="treeVersion"
        @choose="set({ folder: $event, direct: false })"
      />
    </aside>
    <section class="flex min-h-0 min-w-0 flex-col">
      <h1 class="sr-only">Entries</h1>
      <div class="space-y-2 border-b border-line px-4 py-3">
        <input
          ref="searchBox"
          :value="words"
          class="field w-full py-2 text-[14px]"
          type="search"
          placeholder="Words in any order, * ** ? as wildcards, -word leaves out"
          aria-label="Search entries"
          data-test="search"
          @input="typed"
          @keydown.enter="grid?.focus()"
          @keydown.down.prevent="grid?.focus()"
        />
        <FilterBar :model-value="wish" :facets="facets" :sources="sources" :project="id" @update:model-value="set" />
      </div>
      <OrderBar
        :wish="wish"
        :facets="facets"
        :total="total"
        :as-list="asList"
        @set="set"
        @shape="show(wish, !asList, 'replace')"
      />
      <Problem v-if="error" :error="error" class="mx-4 mt-3" @close="error = null" />
      <VirtualGrid
        v-if="total"
        ref="grid"
        role="listbox"
        label="Entries"
        cell-id="entry-"
        class="min-h-0 flex-1"
        :count="total"
        :cell-height="asList ? 30 : 172"
        :cell-width="asList ? null : 158"
        :gap="asList ? 0 : 10"
        :selected="chosen"
        @sight="sighted"
      >
        <template #default="{ index }">
          <component
            :is="asList ? EntryLine : EntryCard"
            :id="`entry-${index}`"
            :entry="row(index)"
            :selected="index === chosen"
            :picked="!!row(index) && tray.has(row(index)!.path)"
            @click="choose($event, index)"
            @dblclick="open(row(index))"
          />
        </template>
      </VirtualGrid>
      <div v-else-if="!loading" class="hatched m-4 rounded-xl border border-line p-10 text-center">
        <p class="text-[16px] font-semibold">{{ whole ? 'Nothing matches' : 'No entries yet' }}</p>
        <p class="mb-4">
          {{ whole ? 'Try fewer words, another kind, or all folders.' : 'Mount a folder or pack first.' }}
        </p>
        <button v-if="whole" class="button" @click="show(cleared, asList)">Show everything</button>
        <button v-else class="button button-main" @click="router.push({ name: 'sources', params: { project: id } })">
          Go to Sources
        </button>
      </div>
      <div v-else class="flex-1" />
      <TrayBar
        :number="picks.length"
        :size="tray.size.value"
        :models="tray.models.value.length"
        :found="facets?.total ?? 0"
        :found-models="foundModels"
        @open="openTray"
        @deliver="sheet = 'batch'"
        @run="sheet = 'run'"
        @extract="sheet = 'extract'"
        @list="sheet = 'tray'"
        @clear="tray.clear"
        @all="takeFound"
        @error="error = $event"
      />
    </section>
    <QuickLook
      :entry="selected"
      :project="id"
      :picked="!!selected && tray.has(selected.path)"
      @open="open(selected, $event)"
      @go="go"
      @together="bench"
      @pick="selected && tray.toggle(selected)"
      @take="selected && takeAll(selected)"
      @carve="sheet = 'carve'"
      @inside="selected && lookInside(selected)"
      @marked="selected && listing.change(selected.id, $event)"
    />
    <BatchSheet
      v-if="sheet === 'batch'"
      :project="id"
      :models="tray.models.value.map((p) => p.path)"
      @close="sheet = null"
    />
    <RunSheet
      v-if="sheet === 'run'"
      :models="tray.models.value.map((p) => p.path)"
      :found="picks.length ? undefined : { wish, number: foundModels }"
      @close="sheet = null"
      @started="(batch) => router.push({ name: 'batches', params: { project: id, batch: batch.id } })"
    />
    <ExtractSheet
      v-if="sheet === 'extract'"
      :project="id"
      :paths="picks.map((p) => p.path)"
      :wish="wish"
      @close="sheet = null"
    />
    <CarveSheet
      v-if="sheet === 'carve' && selected"
      :entry="selected"
      :title="last(selected.path)"
      @close="sheet = null"
    />
    <TraySheet v-if="sheet === 'tray'" :picks="picks" @drop="tray.toggle" @clear="tray.clear" @close="sheet = null" />
  </div>
</template>
