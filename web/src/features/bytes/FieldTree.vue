<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { LayoutField } from '../../api/client'
import { fieldsAt, rowsOf, type Row } from '../../model/fields'
import { count } from '../../model/words'

// What a layout reads, as a tree: choosing a field shows its bytes, and the byte at the cursor chooses its field.
const { fields, cursor } = defineProps<{ fields: LayoutField[]; cursor: number }>()
const emit = defineEmits<{ choose: [first: number, end: number] }>()
const open = ref(new Set<string>())
const chosen = ref('')
const home = ref<HTMLElement>()
const rows = computed(() => rowsOf(fields, open.value))
const heading = (row: Row) => (row.field.fields?.length ?? 0) > 0
let mine = -1

function choose(row: Row) {
  chosen.value = row.key
  mine = row.field.first
  emit('choose', row.field.first, row.field.end)
}
function toggle(row: Row) {
  const now = new Set(open.value)
  if (!now.delete(row.key)) now.add(row.key)
  open.value = now
}
function byKey(event: KeyboardEvent) {
  const at = rows.value.findIndex((r) => r.key === chosen.value)
  const row = rows.value[at]
  if (event.key === 'ArrowRight' && row && heading(row) && !row.open) toggle(row)
  else if (event.key === 'ArrowLeft' && row?.open) toggle(row)
  else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    const next = rows.value[Math.min(Math.max(0, at + (event.key === 'ArrowDown' ? 1 : -1)), rows.value.length - 1)]
    if (next) choose(next)
  } else return
  event.preventDefault()
  void nextTick(inSight)
}
const inSight = () => home.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' })

watch(
  () => [cursor, fields] as const,
  () => {
    if (cursor === mine) return
    const keys = fieldsAt(fields, cursor)
    const key = keys.at(-1)
    if (!key) return
    open.value = new Set([...open.value, ...keys.slice(0, -1)])
    chosen.value = key
    void nextTick(inSight)
  },
  { immediate: true },
)
</script>

<template>
  <div
    ref="home"
    class="min-h-0 flex-1 overflow-auto py-1 text-[12.5px]"
    role="tree"
    tabindex="0"
    aria-label="Fields"
    data-test="fields"
    @keydown="byKey"
  >
    <div
      v-for="row in rows"
      :key="row.key"
      role="treeitem"
      tabindex="-1"
      class="flex h-6 items-center gap-1 pr-2"
      :class="row.key === chosen ? 'bg-sea-soft' : 'hover:bg-sunk'"
      :style="{ paddingLeft: `${8 + row.depth * 14}px` }"
      :aria-selected="row.key === chosen"
      :aria-expanded="heading(row) ? row.open : undefined"
      :aria-level="row.depth + 1"
      data-test="field"
      @click="choose(row)"
      @keydown.enter="choose(row)"
      @dblclick="heading(row) && toggle(row)"
    >
      <button
        v-if="heading(row)"
        tabindex="-1"
        class="w-4 text-faint"
        :aria-label="row.open ? 'Close' : 'Open'"
        @click.stop="toggle(row)"
      >
        {{ row.open ? '▾' : '▸' }}
      </button>
      <span v-else class="w-4" />
      <span class="shrink-0 font-medium">{{ row.field.name }}</span>
      <span class="num min-w-0 flex-1 truncate text-faint" :title="row.field.value">{{ row.field.value }}</span>
      <span class="num shrink-0 text-[11px] text-faint">{{ count(row.field.first) }}</span>
    </div>
    <p v-if="!rows.length" class="px-3 py-2 text-faint">
      A layout's fields stand here, each with its bytes. Take a guess, or write one at the right.
    </p>
  </div>
</template>
