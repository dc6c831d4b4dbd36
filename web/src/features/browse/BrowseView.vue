<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Entry, type Source, type Wish } from '../../api/client'
import Problem from '../../components/Problem.vue'
import VirtualGrid from '../../components/VirtualGrid.vue'
import { useEvents } from '../../composables/useEvents'
import { useKeys } from '../../composables/useKeys'
import { useListing } from '../../composables/useListing'
import { usePictures } from '../../composables/usePictures'
import { useProject } from '../../composables/useProject'
import { useTray } from '../../composables/useTray'
import { bytes, count, last } from '../../model/words'
import BatchSheet from './BatchSheet.vue'
import CarveSheet from './CarveSheet.vue'
import EntryCard from './EntryCard.vue'
import EntryLine from './EntryLine.vue'
import ExtractSheet from './ExtractSheet.vue'
import FilterBar from './FilterBar.vue'
import FolderTree from './FolderTree.vue'
import QuickLook from './QuickLook.vue'
import TrayBar from './TrayBar.vue'

const router = useRouter()
const { id } = useProject()
const START: Wish = { search: '', kind: 'model', sort: 'path', down: false }
const place = () => `pruxel.browse.${id.value}`
const kept = JSON.parse(sessionStorage.getItem(place()) ?? 'null') as { wish: Wish; chosen: number; asList: boolean } | null
const wish = ref<Wish>(kept?.wish ?? { ...START })
const asList = ref(kept?.asList ?? false)
const chosen = ref(kept?.chosen ?? 0)
const listing = useListing(() => id.value, () => wish.value)
const { facets, total, loading, settled, error, row } = listing
const inSight = usePictures(() => id.value, row)
let cells: number[] = []
const tray = useTray(() => id.value)
const sources = ref<Source[]>([])
const treeVersion = ref(0)
const whole = ref(0)
const extracting = ref(false)
const carving = ref(false)
const delivering = ref(false)
const searchBox = ref<HTMLInputElement>()
const grid = ref<InstanceType<typeof VirtualGrid>>()
const selected = computed(() => row(chosen.value))
const crumbs = computed(() => {
  const parts = wish.value.folder?.split('/') ?? []
  return parts.map((name, n) => ({ name, path: parts.slice(0, n + 1).join('/') }))
})
const set = (values: Partial<Wish>) => (wish.value = { ...wish.value, ...values })
const cleared = { ...START, kind: null, folder: null, flag: null, source: null, variant: null, least: null, most: null }

async function loadAll() {
  if (!id.value) return
  treeVersion.value++
  await Promise.all([
    listing.load(),
    api.sources(id.value).then((found) => (sources.value = found), () => undefined),
    api.facets(id.value, {}).then((found) => (whole.value = found.total), () => undefined),
  ])
  const asAtFirst = JSON.stringify(wish.value) === JSON.stringify(START)
  if (asAtFirst && whole.value && !total.value) set({ kind: null }) // a game whose models nothing describes yet
}

async function open(entry: Entry | undefined, source?: string) {
  if (!entry) return
  try {
    const made = await api.openWorkpiece(id.value, [entry.path], source)
    await router.push({ name: 'bench', params: { project: id.value, workpiece: made.id } })
  } catch (problem) {
    error.value = problem
  }
}

function go(path: string) {
  wish.value = { ...cleared, search: path }
}

async function takeAll(entry: Entry) {
  try {
    const found = await api.needs(entry.id)
    tray.add(found.paths.map((path, n) => ({ path, size: n ? 0 : found.size, kind: path === entry.path ? entry.kind : '' })))
    if (found.missing.length) error.value = new Error(`Taken, but ${found.missing.length} of the names it mentions lead nowhere: ${found.missing.slice(0, 4).join(', ')}`)
  } catch (problem) {
    error.value = problem
  }
}

async function lookInside(entry: Entry) {
  try {
    await api.mount(id.value, await api.address(entry.id))
  } catch (problem) {
    error.value = problem
  }
}

async function openTray() {
  const paths = [...tray.models.value, ...tray.clips.value].map((p) => p.path)
  try {
    const made = await api.openWorkpiece(id.value, paths)
    await router.push({ name: 'bench', params: { project: id.value, workpiece: made.id } })
  } catch (problem) {
    error.value = problem
  }
}

function move(by: number) {
  chosen.value = Math.min(Math.max(chosen.value + by, 0), Math.max(total.value - 1, 0))
  for (const ahead of [1, 2]) {
    const next = row(chosen.value + Math.sign(by) * ahead)
    if (next?.kind === 'texture') new Image().src = `/api/entries/${next.id}/texture?channel=rgba&level=0`
    else if (['model', 'skeleton', 'clips'].includes(next?.kind ?? '')) void api.look(next!.id).catch(() => undefined)
  }
}
const columns = () => grid.value?.columns ?? 1

watch(wish, () => {
  chosen.value = 0
  void nextTick(() => grid.value?.toTop())
})
// What was chosen in the list before may lie beyond the end of a shorter one.
watch(settled, () => {
  if (!asList.value) inSight(cells)
  if (!facets.value?.capped) chosen.value = Math.min(chosen.value, Math.max(total.value - 1, 0))
})
watch([wish, chosen, asList], () => sessionStorage.setItem(place(), JSON.stringify({ wish: wish.value, chosen: chosen.value, asList: asList.value })), { deep: true })
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
  ['v', 'Pictures or list', () => (asList.value = !asList.value)],
])
async function star(entry: Entry) {
  await api.mark(id.value, { path: entry.path, folder: false, star: !entry.star })
  listing.change(entry.id, { star: !entry.star })
}
const sorts = [
  ['path', 'name'],
  ['size', 'size'],
  ['kind', 'kind'],
  ['source', 'source'],
  ['references', 'used by'],
] as const
</script>

<template>
  <div class="grid h-full min-h-0 grid-cols-[212px_minmax(0,1fr)_348px]">
    <aside class="flex min-h-0 flex-col border-r border-line bg-sheet">
      <div class="flex gap-1 border-b border-line p-2 text-[13px]">
        <span class="flex-1 rounded-md bg-sea-soft px-2 py-1 text-center font-semibold text-sea">Files</span>
        <button class="flex-1 rounded-md px-2 py-1 hover:bg-sunk" data-test="to-catalogue" @click="router.push({ name: 'catalogue', params: { project: id } })">Catalogue</button>
      </div>
      <FolderTree class="min-h-0 flex-1" :project="id" :chosen="wish.folder ?? null" :total="whole" :version="treeVersion" @choose="set({ folder: $event, direct: false })" />
    </aside>
    <section class="flex min-h-0 min-w-0 flex-col">
      <div class="space-y-2 border-b border-line px-4 py-3">
        <input ref="searchBox" :value="wish.search" class="field w-full py-2 text-[14px]" type="search" placeholder="Words in any order, * ** ? as wildcards, -word leaves out" aria-label="Search entries" data-test="search" @input="set({ search: ($event.target as HTMLInputElement).value })" @keydown.enter="searchBox?.blur()" @keydown.down.prevent="searchBox?.blur()" />
        <FilterBar v-model="wish" :facets="facets" :sources="sources" :project="id" />
      </div>
      <div class="flex items-center gap-2 border-b border-line px-4 py-1.5 text-[12.5px]">
        <nav class="flex min-w-0 flex-1 items-center gap-1 truncate" aria-label="Where you are">
          <button class="underline decoration-line underline-offset-2" :class="{ 'font-semibold no-underline': !crumbs.length }" @click="set({ folder: null, direct: false })">All folders</button>
          <template v-for="crumb in crumbs" :key="crumb.path"><span class="text-faint">/</span><button class="truncate underline decoration-line underline-offset-2" @click="set({ folder: crumb.path })">{{ crumb.name }}</button></template>
          <label v-if="wish.folder" class="ml-2 flex items-center gap-1 whitespace-nowrap text-faint"><input type="checkbox" class="accent-sea" :checked="wish.direct" @change="set({ direct: !wish.direct })" />only here</label>
        </nav>
        <span class="whitespace-nowrap text-faint" data-test="total"><span class="num">{{ facets?.capped ? `${count(facets.total)} or more` : count(facets?.total ?? total) }}</span> {{ facets?.total === 1 ? 'entry' : 'entries' }}<template v-if="facets && !facets.capped">, <span class="num">{{ bytes(facets.size) }}</span></template></span>
        <select class="field py-0.5" aria-label="Order" data-test="sort" :value="wish.sort" @change="set({ sort: ($event.target as HTMLSelectElement).value })"><option v-for="[name, title] in sorts" :key="name" :value="name">by {{ title }}</option></select>
        <button class="button px-2 py-0.5" :aria-label="wish.down ? 'Largest first' : 'Smallest first'" :title="wish.down ? 'Downwards' : 'Upwards'" data-test="direction" @click="set({ down: !wish.down })">{{ wish.down ? 'down' : 'up' }}</button>
        <button class="button px-2 py-0.5" data-test="as-list" :aria-pressed="asList" @click="asList = !asList">{{ asList ? 'Pictures' : 'List' }}</button>
      </div>
      <Problem v-if="error" :error="error" class="mx-4 mt-3" @close="error = null" />
      <VirtualGrid v-if="total" ref="grid" role="listbox" label="Entries" class="min-h-0 flex-1" :count="total" :cell-height="asList ? 30 : 172" :cell-width="asList ? null : 158" :gap="asList ? 0 : 10" :selected="chosen" @sight="(cells = $event), asList || inSight($event)">
        <template #default="{ index }">
          <component :is="asList ? EntryLine : EntryCard" :entry="row(index)" :selected="index === chosen" :picked="!!row(index) && tray.has(row(index)!.path)" @click="chosen = index" @dblclick="open(row(index))" />
        </template>
      </VirtualGrid>
      <div v-else-if="!loading" class="hatched m-4 rounded-xl border border-line p-10 text-center">
        <p class="text-[16px] font-semibold">{{ whole ? 'Nothing matches' : 'No entries yet' }}</p>
        <p class="mb-4 text-faint">{{ whole ? 'Try fewer words, another kind, or all folders.' : 'Mount a folder or pack first.' }}</p>
        <button v-if="whole" class="button" @click="wish = { ...cleared }">Show everything</button>
        <button v-else class="button button-main" @click="router.push({ name: 'sources', params: { project: id } })">Go to Sources</button>
      </div>
      <div v-else class="flex-1" />
      <TrayBar :number="tray.picks.value.size" :size="tray.size.value" :models="tray.models.value.length" :found="facets?.total ?? 0" @open="openTray" @deliver="delivering = true" @extract="extracting = true" @clear="tray.clear" />
    </section>
    <QuickLook :entry="selected" :project="id" :picked="!!selected && tray.has(selected.path)" @open="open(selected, $event)" @go="go" @pick="selected && tray.toggle(selected)" @take="selected && takeAll(selected)" @carve="carving = true" @inside="selected && lookInside(selected)" @marked="selected && listing.change(selected.id, $event)" />
    <BatchSheet v-if="delivering" :project="id" :models="tray.models.value.map((p) => p.path)" @close="delivering = false" />
    <ExtractSheet v-if="extracting" :project="id" :paths="[...tray.picks.value.keys()]" :wish="wish" @close="extracting = false" />
    <CarveSheet v-if="carving && selected" :entry="selected" :title="last(selected.path)" @close="carving = false" />
  </div>
</template>
