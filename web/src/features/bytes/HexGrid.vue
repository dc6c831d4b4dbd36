<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { api } from '../../api/client'
import { usePages } from '../../composables/usePages'
import { addressOf, bytesOf, PAGE, printed } from '../../model/hex'

// The bytes of a file of any size: rows are drawn where one looks, and there is no page as high as the file.
export interface Shade {
  first: number
  end: number
  way: 'field' | 'guess' | 'differs'
}

const { entry, size, shades } = defineProps<{ entry: number; size: number; shades: Shade[] }>()
const cursor = defineModel<number>('cursor', { required: true })
const emit = defineEmits<{ error: [problem: unknown]; rows: [first: number, end: number] }>()
const HEIGHT = 20
const home = ref<HTMLElement>()
const top = ref(0) // the first row in sight
const inSight = ref(20)
const perRow = ref(16) // a narrow place shows 8
const WIDE = 536
const { row: byteAt } = usePages(
  PAGE,
  async (number) => [...bytesOf((await api.bytes(entry, number * PAGE, PAGE)).hex)],
  (problem) => emit('error', problem),
)
const last = computed(() => Math.max(0, Math.ceil(size / perRow.value) - inSight.value))
const shadeOf = (offset: number) => shades.find((s) => s.first <= offset && offset < s.end)?.way

const rows = computed(() =>
  Array.from({ length: inSight.value }, (_, n) => (top.value + n) * perRow.value)
    .filter((offset) => offset < size)
    .map((offset) => ({
      offset,
      cells: Array.from({ length: Math.min(perRow.value, Math.max(0, size - offset)) }, (_, n) => {
        const byte = byteAt(offset + n)
        return {
          at: offset + n,
          hex: byte === undefined ? '  ' : byte.toString(16).padStart(2, '0'),
          char: byte === undefined ? ' ' : printed(byte),
          zero: byte === 0,
          shade: shadeOf(offset + n),
        }
      }),
    })),
)

function scrollTo(row: number) {
  top.value = Math.round(Math.min(Math.max(0, row), last.value))
}
let rest = 0
function wheel(event: WheelEvent) {
  rest += event.deltaMode === 0 ? event.deltaY / HEIGHT : event.deltaY * 3
  const whole = Math.trunc(rest)
  rest -= whole
  scrollTo(top.value + whole)
}
function show(offset: number) {
  const row = Math.floor(offset / perRow.value)
  if (row < top.value || row >= top.value + inSight.value) scrollTo(row - Math.floor(inSight.value / 3))
}
function move(event: KeyboardEvent) {
  const page = perRow.value * (inSight.value - 1)
  const steps: Record<string, number> = {
    ArrowLeft: -1,
    ArrowRight: 1,
    ArrowUp: -perRow.value,
    ArrowDown: perRow.value,
    PageUp: -page,
    PageDown: page,
    Home: event.ctrlKey ? -size : -(cursor.value % perRow.value),
    End: event.ctrlKey ? size : perRow.value - 1 - (cursor.value % perRow.value),
  }
  const step = steps[event.key]
  if (step === undefined) return
  event.preventDefault()
  cursor.value = Math.min(Math.max(0, cursor.value + step), Math.max(0, size - 1))
}
function choose(event: MouseEvent) {
  const cell = (event.target as Element).closest<HTMLElement>('[data-byte]')
  if (cell) cursor.value = Number(cell.dataset.byte)
}
// The bar at the side: where one is in the file, by pointer.
const bar = ref<HTMLElement>()
function drag(event: PointerEvent) {
  if (!(event.buttons & 1) || !bar.value) return
  const box = bar.value.getBoundingClientRect()
  scrollTo(((event.clientY - box.top) / box.height) * Math.ceil(size / perRow.value) - inSight.value / 2)
}
const thumb = computed(() => {
  const all = Math.max(1, Math.ceil(size / perRow.value))
  const part = Math.min(1, inSight.value / all)
  return { top: `${Math.min((top.value / all) * 100, 98)}%`, height: `${Math.max(part * 100, 2)}%` }
})

const watcher = new ResizeObserver(() => {
  if (!home.value) return
  inSight.value = Math.max(4, Math.floor(home.value.clientHeight / HEIGHT))
  perRow.value = home.value.clientWidth < WIDE ? 8 : 16
})
onMounted(() => watcher.observe(home.value!))
onBeforeUnmount(() => watcher.disconnect())
watch(cursor, show)
watch(
  () => [size, inSight.value],
  () => show(cursor.value),
)
watch(
  () => [top.value, inSight.value, size],
  () => emit('rows', top.value * perRow.value, Math.min(size, (top.value + inSight.value) * perRow.value)),
  { immediate: true },
)
</script>

<template>
  <div class="flex min-h-0">
    <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- it has keys of its own -->
    <div
      ref="home"
      class="min-h-0 flex-1 overflow-hidden px-3 font-mono text-[12px] select-none focus-visible:outline-offset-[-3px]"
      tabindex="0"
      role="application"
      aria-label="Bytes; the arrow keys move"
      data-test="hex"
      :data-top="top * perRow"
      @wheel.prevent="wheel"
      @keydown="move"
      @click="choose"
    >
      <p v-if="!size" class="py-2 font-sans text-[13px] text-faint">This file is empty.</p>
      <div v-for="row in rows" :key="row.offset" class="flex h-5 items-center whitespace-pre">
        <span class="w-[72px] shrink-0 text-faint">{{ addressOf(row.offset) }}</span>
        <span class="flex">
          <span
            v-for="cell in row.cells"
            :key="cell.at"
            class="h-5 w-5 cursor-pointer rounded-[2px] text-center leading-5"
            :class="[
              cell.at === cursor ? 'bg-sea text-on-sea' : cell.shade && `shade-${cell.shade}`,
              cell.at !== cursor && cell.zero && 'text-faint',
              cell.at % 4 === 3 && 'mr-1',
            ]"
            :data-byte="cell.at"
          >
            {{ cell.hex }}</span
          >
        </span>
        <span class="ml-2 tracking-[0.02em] text-faint">
          <span
            v-for="cell in row.cells"
            :key="cell.at"
            :class="cell.at === cursor ? 'bg-sea text-on-sea' : cell.shade && `shade-${cell.shade}`"
            >{{ cell.char }}</span
          >
        </span>
      </div>
    </div>
    <div ref="bar" class="relative w-2.5 shrink-0 bg-sunk" aria-hidden="true" @pointerdown="drag" @pointermove="drag">
      <div class="absolute inset-x-0.5 rounded-full bg-faint/50" :style="thumb" />
    </div>
  </div>
</template>

<style scoped>
.shade-field {
  background: var(--sea-soft);
}

.shade-guess {
  background: color-mix(in srgb, var(--sea-soft) 70%, transparent);
}

.shade-differs {
  background: var(--marigold-soft);
}
</style>
