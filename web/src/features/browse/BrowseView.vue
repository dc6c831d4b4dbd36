<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Entry, type Folder } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { useEvents } from '../../composables/useEvents'
import { useKeys } from '../../composables/useKeys'
import { useProject } from '../../composables/useProject'
import { count } from '../../model/words'
import EntryCard from './EntryCard.vue'
import FolderTree from './FolderTree.vue'
import QuickLook from './QuickLook.vue'

const router = useRouter()
const { id } = useProject()
const search = ref('')
const kind = ref<string | null>('model')
const folder = ref<string | null>(null)
const folders = ref<Folder[]>([])
const entries = ref<Entry[]>([])
const kinds = ref<Record<string, number>>({})
const total = ref(0)
const next = ref<string | null>(null)
const loading = ref(true)
const error = ref<unknown>(null)
const chosen = ref(0)
const searchBox = ref<HTMLInputElement>()
const grid = ref<HTMLElement>()
const selected = computed(() => entries.value[chosen.value])
const everything = computed(() => Object.values(kinds.value).reduce((a, b) => a + b, 0))
let asked = 0

async function load(more = false) {
  if (!id.value) return
  const mine = ++asked
  loading.value = true
  try {
    const found = await api.entries(id.value, search.value, kind.value, folder.value, more ? (next.value ?? '') : '')
    if (mine !== asked) return
    entries.value = more ? [...entries.value, ...found.entries] : found.entries
    kinds.value = found.kinds
    total.value = found.total
    next.value = found.next ?? null
    if (!more) chosen.value = 0
  } catch (problem) {
    error.value = problem
  } finally {
    if (mine === asked) loading.value = false
  }
}

async function loadAll() {
  if (id.value) folders.value = await api.folders(id.value).catch(() => [])
  await load()
}

function scrolled(event: Event) {
  const box = event.target as HTMLElement
  if (next.value && !loading.value && box.scrollTop + box.clientHeight > box.scrollHeight - 600) void load(true)
}

async function open(entry: Entry | undefined) {
  if (!entry) return
  try {
    const made = await api.openWorkpiece(id.value, [entry.path])
    await router.push({ name: 'bench', params: { project: id.value, workpiece: made.id } })
  } catch (problem) {
    error.value = problem
  }
}

async function move(by: number) {
  chosen.value = Math.min(Math.max(chosen.value + by, 0), entries.value.length - 1)
  await nextTick()
  grid.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' })
}

const columns = () => (grid.value ? getComputedStyle(grid.value).gridTemplateColumns.split(' ').length : 1)

let typing = 0
watch(search, () => {
  clearTimeout(typing)
  typing = window.setTimeout(load, 120)
})
watch([kind, folder], () => load())
onMounted(loadAll)
useEvents((event) => {
  if (event.changed === 'sources' || event.reconnected) void loadAll()
  if (event.picture) {
    const entry = entries.value.find((e) => e.id === event.picture?.entry)
    if (entry) entry.picture = event.picture.key
  }
})
useKeys('Browse', [
  ['/', 'Search', () => searchBox.value?.focus()],
  ['j ArrowRight', 'Next entry', () => move(1)],
  ['k ArrowLeft', 'Previous entry', () => move(-1)],
  ['ArrowDown', 'Row below', () => move(columns())],
  ['ArrowUp', 'Row above', () => move(-columns())],
  ['Enter', 'Open on the Bench', () => open(selected.value)],
])
</script>

<template>
  <div class="grid h-full grid-cols-[228px_1fr_320px]">
    <aside class="overflow-auto border-r border-line bg-sheet py-3">
      <FolderTree :folders="folders" :chosen="folder" :total="everything" @choose="folder = $event" />
    </aside>
    <section class="flex min-w-0 flex-col">
      <div class="space-y-2.5 border-b border-line px-4 py-3">
        <input
          ref="searchBox"
          v-model="search"
          class="field w-full py-2 text-[14px]"
          type="search"
          placeholder="Search: words in any order, * and ? as wildcards, -word leaves out"
          aria-label="Search entries"
          data-test="search"
          @keydown.enter="searchBox?.blur()"
          @keydown.down.prevent="searchBox?.blur()"
        />
        <div class="flex flex-wrap items-center gap-1.5" role="group" aria-label="Kinds">
          <button
            v-for="[name, number] in [[null, everything], ...Object.entries(kinds).sort()] as [string | null, number][]"
            :key="name ?? 'all'"
            class="rounded-full border px-2.5 py-0.5 text-[12.5px]"
            :class="kind === name ? 'border-sea bg-sea-soft font-semibold text-sea' : 'border-line bg-sheet hover:bg-sunk'"
            :aria-pressed="kind === name"
            @click="kind = name"
          >
            {{ name ?? 'everything' }} <span class="num opacity-75">{{ count(number) }}</span>
          </button>
          <span class="ml-auto text-[12.5px] text-faint"><span class="num">{{ count(total) }}</span> {{ total === 1 ? 'entry' : 'entries' }}</span>
        </div>
      </div>
      <Problem v-if="error" :error="error" class="m-4" @close="error = null" />
      <div class="min-h-0 flex-1 overflow-auto p-4" @scroll.passive="scrolled">
        <div ref="grid" class="grid grid-cols-[repeat(auto-fill,minmax(158px,1fr))] gap-3" role="listbox" aria-label="Entries">
          <EntryCard v-for="(entry, i) in entries" :key="entry.id" :entry="entry" :selected="i === chosen" @click="chosen = i" @dblclick="open(entry)" />
        </div>
        <div v-if="!loading && !entries.length" class="hatched mt-6 rounded-xl border border-line p-10 text-center">
          <p class="text-[16px] font-semibold">{{ everything || search ? 'Nothing matches' : 'No entries yet' }}</p>
          <p class="mb-4 text-faint">{{ everything || search ? 'Try fewer words, another kind, or all folders.' : 'Mount a folder or pack first.' }}</p>
          <button v-if="everything || search" class="button" @click="((search = ''), (kind = null), (folder = null))">Show everything</button>
          <button v-else class="button button-main" @click="router.push({ name: 'sources', params: { project: id } })">Go to Sources</button>
        </div>
      </div>
    </section>
    <QuickLook :entry="selected" @open="open(selected)" />
  </div>
</template>
