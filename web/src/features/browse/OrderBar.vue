<script setup lang="ts">
import { computed } from 'vue'
import type { Facets, Wish } from '../../api/client'
import { bytes, count } from '../../model/words'

// Where one is, how much there is, and in which order and shape it is shown.
const { wish, facets, total } = defineProps<{
  wish: Wish
  facets: Facets | undefined
  total: number
  asList: boolean
}>()
const emit = defineEmits<{ set: [values: Partial<Wish>]; shape: [] }>()
const crumbs = computed(() => {
  const parts = wish.folder?.split('/') ?? []
  return parts.map((name, n) => ({ name, path: parts.slice(0, n + 1).join('/') }))
})
const orders: Record<string, { title: string; up: string; down: string }> = {
  path: { title: 'path', up: 'A to Z', down: 'Z to A' },
  size: { title: 'size', up: 'smallest first', down: 'largest first' },
  kind: { title: 'kind', up: 'A to Z', down: 'Z to A' },
  source: { title: 'source', up: 'lowest first', down: 'highest first' },
  references: { title: 'used by', up: 'least first', down: 'most first' },
}
const order = computed(() => orders[wish.sort ?? 'path'] ?? orders.path!)
const chosen = (event: Event) => (event.target as HTMLSelectElement).value
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-2 gap-y-1 border-b border-line px-4 py-1.5 text-[12.5px]">
    <nav class="flex min-w-0 flex-1 items-center gap-1 truncate" aria-label="Where you are">
      <button
        class="words"
        :class="{ 'font-semibold no-underline': !crumbs.length }"
        @click="emit('set', { folder: null, direct: false })"
      >
        All folders
      </button>
      <template v-for="crumb in crumbs" :key="crumb.path">
        <span class="text-faint">/</span>
        <button class="words truncate" @click="emit('set', { folder: crumb.path })">{{ crumb.name }}</button>
      </template>
      <label v-if="wish.folder" class="ml-2 flex items-center gap-1 whitespace-nowrap text-faint">
        <input
          type="checkbox"
          class="accent-(--sea)"
          :checked="wish.direct"
          @change="emit('set', { direct: !wish.direct })"
        />
        only here
      </label>
    </nav>
    <span class="whitespace-nowrap text-faint" data-test="total">
      <span class="num">{{ facets?.capped ? `${count(facets.total)} or more` : count(facets?.total ?? total) }}</span>
      {{ facets?.total === 1 ? 'entry' : 'entries'
      }}<template v-if="facets && !facets.capped"
        >, <span class="num">{{ bytes(facets.size) }}</span></template
      >
    </span>
    <select
      class="field py-0.5"
      aria-label="Order"
      data-test="sort"
      :value="wish.sort"
      @change="emit('set', { sort: chosen($event) })"
    >
      <option v-for="(words, name) in orders" :key="name" :value="name">by {{ words.title }}</option>
    </select>
    <button
      class="button px-2 py-0.5"
      :aria-label="`Order: ${wish.down ? order.down : order.up}`"
      title="Turn the order around"
      data-test="direction"
      @click="emit('set', { down: !wish.down })"
    >
      {{ wish.down ? order.down : order.up }}
    </button>
    <button class="button px-2 py-0.5" data-test="as-list" :aria-pressed="asList" @click="emit('shape')">
      {{ asList ? 'Pictures' : 'List' }}
    </button>
  </div>
</template>
