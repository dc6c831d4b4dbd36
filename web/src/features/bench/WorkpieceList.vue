<script setup lang="ts">
import { useRouter } from 'vue-router'
import type { Workpiece } from '../../api/client'
import { last } from '../../model/words'

const { project } = defineProps<{ workpieces: Workpiece[]; project: string }>()
const emit = defineEmits<{ browse: [] }>()
const router = useRouter()
const open = (workpiece: string) => router.push({ name: 'bench', params: { project, workpiece } })
</script>

<template>
  <div class="h-full overflow-auto p-10">
    <div class="mx-auto max-w-2xl">
      <div class="hatched mb-6 rounded-xl border border-line p-8 text-center">
        <h1 class="text-[16px] font-semibold">The Bench is empty</h1>
        <p class="mb-4 text-ink">Open a model from Browse. What you opened before is kept here.</p>
        <button class="button button-main" @click="emit('browse')">Browse the entries</button>
      </div>
      <ul v-if="workpieces.length" class="divide-y divide-line overflow-hidden rounded-xl border border-line bg-sheet">
        <li v-for="one in workpieces" :key="one.id">
          <button class="flex w-full items-baseline gap-3 px-4 py-2 text-left hover:bg-sunk" @click="open(one.id)">
            <span class="truncate font-medium">{{ one.name }}</span>
            <span class="min-w-0 flex-1 truncate font-mono text-[12px] text-faint">
              {{ one.entries.map(last).join(', ') }}
            </span>
            <span class="num text-[12.5px] text-faint">
              {{ one.steps.length }} {{ one.steps.length === 1 ? 'step' : 'steps' }}
            </span>
          </button>
        </li>
      </ul>
    </div>
  </div>
</template>
