<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'

/** Shows only the cells in sight, of lists of any length; beyond what a browser can scroll, the scroll bar is scaled. */
const { count, cellHeight, cellWidth, gap, selected, inset = 16 } = defineProps<{ label: string; count: number; cellHeight: number; cellWidth: number | null; gap: number; selected: number; inset?: number }>()
const emit = defineEmits<{ sight: [cells: number[]] }>()
const TALLEST = 8_000_000
const box = ref<HTMLElement>()
const width = ref(800)
const height = ref(600)
const top = ref(0)

const columns = computed(() => (cellWidth === null ? 1 : Math.max(1, Math.floor((width.value + gap) / (cellWidth + gap)))))
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

function show(index: number) {
  if (!box.value || index < 0) return
  const place = Math.floor(index / columns.value) * rowHeight.value
  if (place < begin.value) box.value.scrollTop = place / ratio.value
  else if (place + rowHeight.value > begin.value + height.value) box.value.scrollTop = (place + rowHeight.value - height.value) / ratio.value
}

const watcher = new ResizeObserver(() => {
  if (!box.value) return
  width.value = box.value.clientWidth - 2 * inset
  height.value = box.value.clientHeight
})
onMounted(() => watcher.observe(box.value!))
onBeforeUnmount(() => watcher.disconnect())
watch(() => selected, show)
watch(cells, (now) => emit('sight', now), { immediate: true })
defineExpose({ columns, toTop: () => box.value && (box.value.scrollTop = 0) })
</script>

<template>
  <div ref="box" class="overflow-auto" :aria-label="label" @scroll.passive="top = ($event.target as HTMLElement).scrollTop">
    <div class="relative" :style="{ height: `${tall + 1.5 * inset}px` }">
      <div class="absolute grid" :style="{ left: `${inset}px`, right: `${inset}px`, top: `${shift + 0.75 * inset}px`, gap: `${gap}px`, gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))`, gridAutoRows: `${cellHeight}px` }">
        <slot v-for="i in cells" :key="i" :index="i" />
      </div>
    </div>
  </div>
</template>
