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
const kinds = computed(() => Object.entries(facets?.kinds ?? {}).sort((a, b) => b[1] - a[1]))
const everything = computed(() => kinds.value.reduce((sum, [, n]) => sum + n, 0))
const variants = computed(() => Object.entries(facets?.variants ?? {}).filter(([name]) => name))
const set = (values: Partial<Wish>) => (wish.value = { ...wish.value, ...values })
const toNumber = (text: string) => (text.trim() ? Math.round(Number(text) * 1000) : null)
const load = async () => (saved.value = await api.searches(project).catch(() => []))
void load()

async function keep() {
  const name = [wish.value.search, wish.value.kind, wish.value.flag, wish.value.variant, wish.value.folder].filter(Boolean).join(', ') || 'everything'
  saved.value = await api.saveSearch(project, { name: name.slice(0, 80), query: { ...wish.value } })
}
</script>

<template>
  <div class="space-y-2 text-[12.5px]">
    <div class="flex flex-wrap items-center gap-1.5" role="group" aria-label="Kinds">
      <button v-for="[name, number] in [[null, everything], ...kinds] as [string | null, number][]" :key="name ?? 'all'" class="rounded-full border px-2.5 py-0.5" :class="(wish.kind ?? null) === name ? 'border-sea bg-sea-soft font-semibold text-sea' : 'border-line bg-sheet hover:bg-sunk'" :aria-pressed="(wish.kind ?? null) === name" :data-kind="name ?? 'all'" @click="set({ kind: name })">
        {{ name ?? 'everything' }} <span class="num opacity-75">{{ count(number) }}{{ facets?.sampled ? '+' : '' }}</span>
      </button>
    </div>
    <div class="flex flex-wrap items-center gap-1.5">
      <select class="field w-[118px] py-0.5" aria-label="Source" data-test="filter-source" :value="wish.source ?? ''" @change="set({ source: ($event.target as HTMLSelectElement).value || null })">
        <option value="">any source</option>
        <option v-for="s in sources.filter((x) => x.counts)" :key="s.id" :value="s.id">{{ s.label }}{{ facets?.sources[s.id] === undefined ? '' : ` (${count(facets.sources[s.id] ?? 0)})` }}</option>
      </select>
      <select class="field w-[104px] py-0.5" aria-label="State" data-test="filter-flag" :value="wish.flag ?? ''" @change="set({ flag: ($event.target as HTMLSelectElement).value || null })">
        <option value="">any state</option>
        <option v-for="[name, words] in flags" :key="name" :value="name">{{ words }}</option>
      </select>
      <select v-if="variants.length" class="field w-[112px] py-0.5" aria-label="Variant" data-test="filter-variant" :value="wish.variant ?? '*'" @change="set({ variant: ($event.target as HTMLSelectElement).value === '*' ? null : ($event.target as HTMLSelectElement).value })">
        <option value="*">all variants</option>
        <option v-for="[name, number] in variants" :key="name" :value="name">{{ name }} ({{ count(number) }})</option>
      </select>
      <span class="flex items-center gap-1 text-faint"><input class="field w-13 px-1.5 py-0.5" placeholder="from" aria-label="At least kB" :value="wish.least == null ? '' : wish.least / 1000" @change="set({ least: toNumber(($event.target as HTMLInputElement).value) })" /><input class="field w-13 px-1.5 py-0.5" placeholder="to" aria-label="At most kB" :value="wish.most == null ? '' : wish.most / 1000" @change="set({ most: toNumber(($event.target as HTMLInputElement).value) })" />kB</span>
      <select v-if="saved.length" class="field ml-auto w-[110px] py-0.5" aria-label="Saved searches" data-test="saved" value="" @change="set({ search: '', kind: null, source: null, variant: null, flag: null, folder: null, least: null, most: null, ...(saved.find((s) => s.name === ($event.target as HTMLSelectElement).value)?.query as Wish) })">
        <option value="">saved searches</option>
        <option v-for="s in saved" :key="s.name" :value="s.name">{{ s.name }}</option>
      </select>
      <button class="button py-0.5" :class="{ 'ml-auto': !saved.length }" data-test="save-search" @click="keep">Keep search</button>
    </div>
  </div>
</template>
