<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Facets, type SavedSearch, type Source, type Wish } from '../../api/client'
import { count } from '../../model/words'

const { facets, sources, project } = defineProps<{ facets: Facets | undefined; sources: Source[]; project: string }>()
const wish = defineModel<Wish>({ required: true })
const saved = ref<SavedSearch[]>([])
const flags = [
  ['starred', 'starred'],
  ['noted', 'with a name or note'],
  ['shadowed', 'in several sources'],
  ['unnamed', 'without a name'],
  ['seen', 'looked at'],
  ['unseen', 'not looked at'],
] as const
// The chosen kind stays in sight when nothing of it is found.
const kinds = computed(() => {
  const found = Object.entries(facets?.kinds ?? {}).sort((a, b) => b[1] - a[1])
  const { kind } = wish.value
  return facets && kind && !found.some(([name]) => name === kind) ? [...found, [kind, 0] as [string, number]] : found
})
const everything = computed(() => kinds.value.reduce((sum, [, n]) => sum + n, 0))
const variants = computed(() => Object.entries(facets?.variants ?? {}).filter(([name]) => name))
const set = (values: Partial<Wish>) => (wish.value = { ...wish.value, ...values })
const sizes = [
  ['under 1 kB', null, 3],
  ['1 to 10 kB', 3, 4],
  ['10 to 100 kB', 4, 5],
  ['100 kB to 1 MB', 5, 6],
  ['1 to 10 MB', 6, 7],
  ['10 to 100 MB', 7, 8],
  ['over 100 MB', 8, null],
] as const
/** A range of sizes as powers of ten, with how many entries it holds. */
const ranges = computed(() =>
  sizes.flatMap(([title, from, to]) => {
    const number = Object.entries(facets?.digits ?? {}).reduce(
      (sum, [digits, n]) => (Number(digits) > (from ?? 0) && Number(digits) <= (to ?? 99) ? sum + n : sum),
      0,
    )
    const least = from === null ? null : 10 ** from
    const most = to === null ? null : 10 ** to - 1
    return number || ((wish.value.least ?? null) === least && (wish.value.most ?? null) === most)
      ? [{ title, least, most, number, key: `${least}-${most}` }]
      : []
  }),
)
const range = computed(() =>
  wish.value.least == null && wish.value.most == null ? '' : `${wish.value.least ?? null}-${wish.value.most ?? null}`,
)
function choose(key: string) {
  const found = ranges.value.find((r) => r.key === key)
  set({ least: found?.least ?? null, most: found?.most ?? null })
}
const told = (number: number | undefined) =>
  number === undefined ? '' : ` (${count(number)}${facets?.sampled ? '+' : ''})`
const kept = computed(() =>
  saved.value.find((s) => JSON.stringify(plain(s.query as Wish)) === JSON.stringify(plain(wish.value))),
)
const plain = (w: Wish) =>
  Object.entries(w)
    .filter(([, v]) => v !== null && v !== '' && v !== false && v !== undefined)
    .sort()
const load = async () => (saved.value = await api.searches(project).catch(() => []))
void load()

async function keep() {
  const name =
    [wish.value.search, wish.value.kind, wish.value.flag, wish.value.variant, wish.value.folder]
      .filter(Boolean)
      .join(', ') || 'everything'
  saved.value = await api.saveSearch(project, { name: name.slice(0, 80), query: { ...wish.value } })
}
async function forget() {
  if (kept.value) saved.value = await api.forgetSearch(project, kept.value.name)
}
</script>

<template>
  <div class="space-y-2 text-[12.5px]">
    <div class="flex flex-wrap items-center gap-1.5" role="group" aria-label="Kinds">
      <button
        v-for="[name, number] in [[null, everything], ...kinds] as [string | null, number][]"
        :key="name ?? 'all'"
        class="rounded-full border px-2.5 py-0.5"
        :class="
          (wish.kind ?? null) === name
            ? 'border-sea bg-sea-soft font-semibold text-sea'
            : 'border-line bg-sheet hover:bg-sunk'
        "
        :aria-pressed="(wish.kind ?? null) === name"
        :data-kind="name ?? 'all'"
        @click="set({ kind: name })"
      >
        {{ name ?? 'everything' }}
        <span class="num">{{ count(number) }}{{ facets?.sampled ? '+' : '' }}</span>
      </button>
    </div>
    <div class="flex flex-wrap items-center gap-1.5">
      <select
        class="field w-[118px] py-0.5"
        aria-label="Source"
        data-test="filter-source"
        :value="wish.source ?? ''"
        @change="set({ source: ($event.target as HTMLSelectElement).value || null })"
      >
        <option value="">any source</option>
        <option v-for="s in sources.filter((x) => x.counts)" :key="s.id" :value="s.id">
          {{ s.label }}{{ told(facets?.sources[s.id] ?? 0) }}
        </option>
      </select>
      <select
        class="field w-[104px] py-0.5"
        aria-label="State"
        data-test="filter-flag"
        :value="wish.flag ?? ''"
        @change="set({ flag: ($event.target as HTMLSelectElement).value || null })"
      >
        <option value="">any state</option>
        <option v-for="[name, words] in flags" :key="name" :value="name">
          {{ words }}{{ told(facets?.flags[name]) }}
        </option>
      </select>
      <select
        v-if="variants.length"
        class="field w-[112px] py-0.5"
        aria-label="Variant"
        data-test="filter-variant"
        :value="wish.variant ?? '*'"
        @change="
          set({
            variant:
              ($event.target as HTMLSelectElement).value === '*' ? null : ($event.target as HTMLSelectElement).value,
          })
        "
      >
        <option value="*">all variants</option>
        <option v-for="[name, number] in variants" :key="name" :value="name">{{ name }}{{ told(number) }}</option>
      </select>
      <select
        class="field w-[96px] py-0.5"
        aria-label="Size"
        data-test="filter-size"
        :value="range"
        @change="choose(($event.target as HTMLSelectElement).value)"
      >
        <option value="">any size</option>
        <option v-for="r in ranges" :key="r.key" :value="r.key">{{ r.title }}{{ told(r.number) }}</option>
      </select>
      <select
        v-if="saved.length"
        class="field ml-auto w-[110px] py-0.5"
        aria-label="Saved searches"
        data-test="saved"
        value=""
        @change="
          set({
            search: '',
            kind: null,
            source: null,
            variant: null,
            flag: null,
            folder: null,
            least: null,
            most: null,
            ...(saved.find((s) => s.name === ($event.target as HTMLSelectElement).value)?.query as Wish),
          })
        "
      >
        <option value="">saved searches</option>
        <option v-for="s in saved" :key="s.name" :value="s.name">{{ s.name }}</option>
      </select>
      <button
        v-if="kept"
        class="button py-0.5"
        :title="`Forget the saved search “${kept.name}”`"
        data-test="forget-search"
        @click="forget"
      >
        Forget search
      </button>
      <button v-else class="button py-0.5" :class="{ 'ml-auto': !saved.length }" data-test="save-search" @click="keep">
        Keep search
      </button>
    </div>
  </div>
</template>
