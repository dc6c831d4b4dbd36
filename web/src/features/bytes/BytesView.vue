<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type Compared, type Guess, type LayoutExample, type Strip } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Tabs from '../../components/Tabs.vue'
import { useDraft } from '../../composables/useDraft'
import { useEvents } from '../../composables/useEvents'
import { useGuesses } from '../../composables/useGuesses'
import { useKeys } from '../../composables/useKeys'
import { useProject } from '../../composables/useProject'
import { keptList } from '../../model/address'
import { layoutName, withConstant } from '../../model/layoutText'
import { bytes, count, folderOf, last } from '../../model/words'
import ByteStrip from './ByteStrip.vue'
import ByteValues from './ByteValues.vue'
import DraftView from './DraftView.vue'
import FieldTree from './FieldTree.vue'
import FindPanel from './FindPanel.vue'
import GuessList from './GuessList.vue'
import HexGrid, { type Shade } from './HexGrid.vue'
import LayoutEditor from './LayoutEditor.vue'
import NumberList from './NumberList.vue'

const route = useRoute()
const router = useRouter()
const { id } = useProject()
const entry = computed(() => Number(route.params.entry))
const error = shallowRef<unknown>(null)
const strip = shallowRef<Strip>()
const examples = shallowRef<LayoutExample[]>([])
const saved = ref('')
const saving = ref(false)
const marked = shallowRef<Shade[]>([])
const spans = shallowRef<{ name: string; first: number; end: number }[]>([])
const differs = shallowRef<Compared['ranges']>([])
const seen = ref<[number, number]>([0, 0])
const { text, described, asking, error: draftError } = useDraft(() => entry.value)
const { guesses, job, waiting, ask } = useGuesses(
  () => entry.value,
  () => id.value,
  (problem) => (error.value = problem),
)
// Where one begins: with the fields of a known format, with the guesses of an unknown one.
const first = ref('guesses')
const tab = computed({
  get: () => String(route.query.tab ?? first.value),
  set: (name) => void router.replace({ query: { ...route.query, tab: name } }),
})
const tabs = [
  ['guesses', 'Guesses'],
  ['fields', 'Fields'],
  ['find', 'Find'],
] as const
const side = ref('layout')
const sides = computed(
  () =>
    [
      ['layout', described.value?.faults.length ? `Layout (${described.value.faults.length} wrong)` : 'Layout'],
      ['numbers', `Numbers ${Object.keys(described.value?.constants ?? {}).length || ''}`],
    ] as const,
)
// The byte one is at stands in the address, so that a link leads there.
const cursor = computed({
  get: () => Math.min(Number(route.query.at ?? 0) || 0, Math.max(0, (strip.value?.size ?? 1) - 1)),
  set: (at) => void router.replace({ query: { ...route.query, at: String(at) } }),
})
const shades = computed<Shade[]>(() => [
  ...marked.value,
  ...differs.value.map((one) => ({ ...one, way: 'differs' as const })),
])
const taken = ref('')
const path = computed(() => strip.value?.path ?? '')

async function load() {
  try {
    error.value = null
    strip.value = await api.strip(entry.value, 320)
    if (!text.value) text.value = await api.layoutOf(entry.value)
    first.value = strip.value.kind === 'unknown' ? 'guesses' : 'fields'
    // What nobody describes is guessed at once; whoever opens a known format has its layout before them.
    if (!text.value || strip.value.kind === 'unknown') await ask()
  } catch (problem) {
    error.value = problem
  }
}
function go(first: number, size = 1) {
  marked.value = [{ first, end: first + Math.max(size, 1), way: 'field' }]
  cursor.value = first
}
function look(guess: Guess) {
  spans.value = guess.spans
  marked.value = guess.spans.map((s) => ({ first: s.first, end: s.end, way: 'guess' as const }))
  if (guess.spans[0]) cursor.value = guess.spans[0].first
}
function take(guess: Guess) {
  look(guess)
  taken.value = guess.layout
  text.value = guess.layout
}
function begin(event: Event) {
  const box = event.target as HTMLSelectElement
  const found = examples.value.find((one) => one.name === box.value)
  if (found) text.value = found.text
  if (box.value === 'empty') text.value = START
  box.value = ''
}
async function save() {
  saving.value = true
  try {
    error.value = null
    await api.saveLayout(id.value, text.value)
    saved.value = text.value
  } catch (problem) {
    error.value = problem
  }
  saving.value = false
}
const START = `layout: my_format
title: What people call it
match: {extensions: [.xyz]}
records:
  file:
    - {name: magic, type: text, size: 4}
    - {name: count, type: u32}
yields: {}
`
const ready = computed(() => !!described.value && !described.value.faults.length && !asking.value)
const back = () => void router.push({ name: 'browse', params: { project: id.value }, query: keptList(id.value) })

// Out of a field first, so that nobody leaves who only wants to stop writing.
function leave(event: KeyboardEvent) {
  const [inner] = event.composedPath()
  if (inner instanceof HTMLElement && inner.matches('input, [contenteditable=true]')) inner.blur()
  else back()
}

watch(entry, load, { immediate: true })
watch(text, () => (saved.value = ''))
onMounted(async () => (examples.value = await api.layoutExamples().catch(() => [])))
useEvents(
  (event) =>
    event.changed === 'sources' &&
    strip.value &&
    void api.strip(entry.value, 320).then(
      (s) => (strip.value = s),
      () => undefined,
    ),
)
useKeys('Bytes', [
  ['g', 'Go to a byte, or look for one', () => (tab.value = 'find')],
  ['Escape', 'Back to Browse', leave],
])
</script>

<template>
  <div class="flex h-full flex-col">
    <div class="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-sheet px-4">
      <button class="button py-1" data-test="back" @click="back">Back to Browse</button>
      <p class="min-w-0 flex-1 truncate text-[13px]">
        <span class="font-semibold">{{ last(path) }}</span>
        <span class="ml-2 font-mono text-[12px] text-faint">{{ folderOf(path) }}</span>
        <span v-if="strip" class="num ml-2 text-faint" :title="`${count(strip.size)} bytes`">{{
          bytes(strip.size)
        }}</span>
      </p>
      <select class="field py-1" aria-label="Begin a layout" data-test="begin" @change="begin">
        <option value="">Begin a layout…</option>
        <option value="empty">From nothing</option>
        <option v-for="one in examples" :key="one.name" :value="one.name">From “{{ one.title }}”</option>
      </select>
      <span v-if="saved === text && saved" class="text-[12.5px] text-sea" role="status" data-test="saved">
        Saved in the profile
      </span>
      <button
        v-else
        class="button button-main"
        :disabled="!ready || saving"
        :title="`Put “${layoutName(text)}” into the profile; all files like this are read by it`"
        data-test="save-layout"
        @click="save"
      >
        Save into the profile
      </button>
    </div>
    <Problem v-if="error || draftError" class="m-3" :error="error ?? draftError" @close="error = null" />
    <ByteStrip v-if="strip" :strip="strip" :spans="spans" :seen="seen" class="shrink-0 border-b border-line" @go="go" />
    <div
      v-if="strip"
      class="grid min-h-0 flex-1 grid-cols-[220px_minmax(0,1fr)_minmax(0,1fr)] xl:grid-cols-[264px_566px_minmax(0,1fr)]"
    >
      <section class="flex min-h-0 flex-col border-r border-line bg-sheet" aria-label="What it may hold">
        <Tabs v-model="tab" :tabs="tabs" label="About the bytes" class="border-b border-line px-4 pt-2 text-[13px]" />
        <GuessList
          v-if="tab === 'guesses'"
          :guesses="guesses"
          :job="job"
          :waiting="waiting"
          :taken="text && text === taken ? taken : ''"
          @ask="ask"
          @take="take"
          @look="look"
        />
        <FieldTree
          v-else-if="tab === 'fields'"
          :fields="described?.fields ?? []"
          :cursor="cursor"
          @choose="(first, end) => go(first, end - first)"
        />
        <FindPanel v-else :entry="entry" :path="path" @go="go" @differs="differs = $event" />
      </section>
      <section class="flex min-h-0 min-w-0 flex-col" aria-label="Bytes">
        <HexGrid
          :key="entry"
          v-model:cursor="cursor"
          class="flex-1 bg-paper pt-1.5"
          :entry="entry"
          :size="strip.size"
          :shades="shades"
          @error="error = $event"
          @rows="(first, end) => (seen = [first, end])"
        />
        <ByteValues :entry="entry" :cursor="cursor" class="h-[272px] shrink-0" />
      </section>
      <section class="flex min-h-0 min-w-0 flex-col border-l border-line" aria-label="Layout">
        <DraftView :described="described" :asking="asking" @go="go($event)" />
        <div class="flex min-h-0 flex-1 flex-col border-t border-line bg-sheet">
          <div class="flex items-end gap-3 border-b border-line px-3 pt-2">
            <Tabs v-model="side" :tabs="sides" label="The layout" class="text-[13px]" />
            <span
              v-if="described && !described.faults.length && !described.claims"
              class="ml-auto pb-1.5 text-[12px] text-marigold"
              title="Its ‘match’ does not fit this file, so it would not be chosen for it"
              >does not claim this file</span
            >
            <span v-else-if="asking" class="ml-auto pb-1.5 text-[12px] text-faint">reading…</span>
          </div>
          <LayoutEditor v-show="side === 'layout'" v-model="text" :faults="described?.faults ?? []" />
          <NumberList
            v-if="side === 'numbers'"
            :constants="described?.constants ?? {}"
            @set="(name, value) => (text = withConstant(text, name, value))"
          />
        </div>
      </section>
    </div>
  </div>
</template>
