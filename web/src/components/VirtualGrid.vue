<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'

// Shows only the cells in sight, of lists of any length; beyond what a browser can scroll, the scroll bar is scaled.
const {
  count,
  cellHeight,
  cellWidth,
  gap,
  selected,
  inset = 16,
  cellId = '',
} = defineProps<{
  label: string
  count: number
  cellHeight: number
  cellWidth: number | null
  gap: number
  selected: number
  inset?: number
  // What the ids of the cells begin with, where one of them is the chosen one of a list.
  cellId?: string
}>()
const emit = defineEmits<{ sight: [cells: number[]] }>()
const TALLEST = 8_000_000
const box = ref<HTMLElement>()
const width = ref(800)
const height = ref(600)
const top = ref(0)

const columns = computed(() => {
  return cellWidth === null ? 1 : Math.max(1, Math.floor((width.value + gap) / (cellWidth + gap)))
})
const rowHeight = computed(() => cellHeight + gap)
const rows = computed(() => Math.ceil(count / columns.value))
const whole = computed(() => rows.value * rowHeight.value)
const tall = computed(() => Math.min(whole.value, TALLEST))
const ratio = computed(() => (whole.value > TALLEST ? (whole.value - height.value) / (TALLEST - height.value) : 1))
const begin = computed(() => top.value * ratio.value)
const first = computed(() => Math.max(0, Math.floor(begin.value / rowHeight.value) - 1))
const last = computed(() => Math.min(rows.value, Math.ceil((begin.value + height.value) / rowHeight.value) + 1))
const cells = computed(() => {
  const found: number[] = []
  for (let i = first.value * columns.value; i < Math.min(last.value * columns.value, count); i++) found.push(i)
  return found
})
const shift = computed(() => top.value + first.value * rowHeight.value - begin.value)
const active = computed(() => (cellId && cells.value.includes(selected) ? `${cellId}${selected}` : undefined))

function show(index: number) {
  if (!box.value || index < 0) return
  const place = Math.floor(index / columns.value) * rowHeight.value
  const below = place + rowHeight.value > begin.value + height.value
  if (place < begin.value) box.value.scrollTop = place / ratio.value
  else if (below) box.value.scrollTop = (place + rowHeight.value - height.value) / ratio.value
}

const watcher = new ResizeObserver(() => {
  if (!box.value) return
  width.value = box.value.clientWidth - 2 * inset
  height.value = box.value.clientHeight
})
onMounted(() => {
  watcher.observe(box.value!)
  show(selected)
})
onBeforeUnmount(() => watcher.disconnect())
watch(() => selected, show)
watch(cells, (now) => emit('sight', now), { immediate: true })
defineExpose({
  columns,
  toTop: () => box.value && (box.value.scrollTop = 0),
  focus: () => box.value?.focus({ preventScroll: true }),
})
</script>

<template>
  <div
    ref="box"
    role="group"
    class="overflow-auto"
    :class="cellId && 'focus-visible:outline-none'"
    :tabindex="cellId ? 0 : undefined"
    :aria-label="label"
    :aria-activedescendant="active"
    @scroll.passive="top = ($event.target as HTMLElement).scrollTop"
  >
    <div class="relative" role="presentation" :style="{ height: `${tall + 1.5 * inset}px` }">
      <div
        class="absolute grid"
        role="presentation"
        :style="{
          left: `${inset}px`,
          right: `${inset}px`,
          top: `${shift + 0.75 * inset}px`,
          gap: `${gap}px`,
          gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))`,
          gridAutoRows: `${cellHeight}px`,
        }"
      >
        <slot v-for="i in cells" :key="i" :index="i" />
      </div>
    </div>
  </div>
</template>
