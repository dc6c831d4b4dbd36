<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, type BatchItem } from '../../api/client'
import { touchedWords, worthTelling } from '../../model/rules'
import { count, folderOf } from '../../model/words'

const { project, items } = defineProps<{ project: string; items: BatchItem[]; working: boolean }>()
const emit = defineEmits<{ error: [problem: unknown] }>()
const router = useRouter()
const KEEPS = {
  all: () => true,
  'to look at': (item: BatchItem) =>
    item.state === 'failed' || item.findings.length > 0 || item.steps.some((step) => step.fault),
  others: (item: BatchItem) => item.differences.length > 0,
} as const
type Keep = keyof typeof KEEPS
const keep = ref<Keep>('all')
const choices = computed(() =>
  (['all', 'to look at', 'others'] as Keep[])
    .map((name) => ({ name, number: items.filter(KEEPS[name]).length }))
    .filter((one) => one.name === 'all' || one.number),
)
const shown = computed(() => items.filter(KEEPS[keep.value]).map((item) => ({ item, told: worthTelling(item) })))
const words = { all: 'All', 'to look at': 'To be looked at', others: 'Other than before' }
const MOST = 3

async function open(item: BatchItem) {
  try {
    const dressed = Object.keys(item.wears).length ? { wears: item.wears, name: item.name } : {}
    const workpiece = item.workpiece ?? (await api.openWorkpiece(project, item.entries, undefined, dressed)).id
    await router.push({ name: 'bench', params: { project, workpiece } })
  } catch (problem) {
    emit('error', problem)
  }
}
const size = (item: BatchItem) => item.size.map((side) => side.toPrecision(3)).join(' × ')
</script>

<template>
  <div class="flex shrink-0 gap-1 px-6 pt-3 text-[13px]" role="group" aria-label="Which items">
    <button
      v-for="one in choices"
      :key="one.name"
      class="rounded-full px-3 py-1"
      :class="keep === one.name ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
      :aria-pressed="keep === one.name"
      @click="keep = one.name"
    >
      {{ words[one.name] }} <span class="num">{{ count(one.number) }}</span>
    </button>
  </div>
  <div class="min-h-0 flex-1 overflow-auto px-6 py-3" tabindex="0" aria-label="Items">
    <article
      v-for="{ item, told } in shown"
      :key="item.entries.join()"
      class="row mb-2 grid grid-cols-[112px_minmax(0,220px)_1fr_minmax(0,210px)] gap-4 rounded-lg border bg-sheet p-2 text-[13px]"
      :class="item.state === 'failed' ? 'border-brick' : 'border-line'"
      data-test="batch-item"
      :data-state="item.state"
    >
      <div class="flex h-21 items-center justify-center overflow-hidden rounded-md bg-gradient-to-b from-paper to-sunk">
        <img v-if="item.picture" :src="`/api/blobs/${item.picture}`" :alt="item.name" class="h-full object-contain" />
        <span v-else class="text-[12px] text-faint">
          {{
            item.state === 'running'
              ? 'working…'
              : item.state === 'waiting'
                ? working
                  ? 'waits'
                  : 'stopped'
                : 'no picture'
          }}
        </span>
      </div>
      <div class="min-w-0">
        <h3 class="truncate font-semibold" :title="item.entries[0]">{{ item.name }}</h3>
        <p class="truncate font-mono text-[12px] text-faint" :title="item.entries[0]">
          {{ folderOf(item.entries[0]!) }}
        </p>
        <p v-if="item.state === 'done'" class="num mt-1 text-[12px] text-faint">
          {{ count(item.triangles) }} triangles<br />{{ size(item) }} m
        </p>
      </div>
      <ul v-if="item.state !== 'failed'" class="min-w-0 space-y-0.5" aria-label="What the steps did">
        <li v-for="(step, i) in told.steps" :key="i" class="truncate" :title="step.fault || touchedWords(step)">
          <span class="font-medium">{{ step.title }}</span>
          <span v-if="step.fault" class="text-brick"> did not fit: {{ step.fault }}</span>
          <span v-else class="text-faint"> {{ step.summary }}</span>
        </li>
        <li v-if="told.idle" class="text-faint">
          {{ item.steps.length === 1 ? 'The step' : `${count(told.idle)} of ${count(item.steps.length)} steps` }}
          found nothing to do
        </li>
      </ul>
      <p v-else class="min-w-0 [overflow-wrap:anywhere] text-brick">{{ item.fault }}</p>
      <div class="flex min-w-0 flex-col items-start gap-0.5">
        <p
          v-for="(title, i) in item.findings.slice(0, MOST)"
          :key="i"
          class="max-w-full truncate rounded bg-marigold-soft px-1.5 text-[12px] text-marigold"
          :title="title"
        >
          {{ title }}
        </p>
        <p v-if="item.findings.length > MOST" class="text-[12px] text-faint">
          and {{ count(item.findings.length - MOST) }} more
        </p>
        <p
          v-if="item.state === 'done' && !item.findings.length"
          class="rounded bg-sea-soft px-1.5 text-[12px] text-sea"
        >
          nothing left to find
        </p>
        <p v-if="item.delivered" class="text-[12px]" :class="item.delivered === 'failed' ? 'text-brick' : 'text-sea'">
          delivery: {{ item.delivered }}
        </p>
        <p v-for="line in item.differences" :key="line" class="max-w-full truncate text-[12px]" :title="line">
          ≠ {{ line }}
        </p>
        <button
          v-if="item.state === 'done'"
          class="words mt-auto text-[12.5px]"
          data-test="open-item"
          @click="open(item)"
        >
          Open on the Bench
        </button>
      </div>
    </article>
  </div>
</template>

<style scoped>
/* Thousands of rows cost what is in sight. */
.row {
  content-visibility: auto;
  contain-intrinsic-size: auto 104px;
}
</style>
