<script setup lang="ts">
import { useRouter } from 'vue-router'
import type { Workpiece } from '../../api/client'
import { last } from '../../model/words'

const { project } = defineProps<{ workpieces: Workpiece[]; project: string }>()
const emit = defineEmits<{ browse: [] }>()
const router = useRouter()
const open = (workpiece: string) => router.push({ name: 'bench', params: { project, workpiece } })
const batches = () => router.push({ name: 'batches', params: { project } })
</script>

<template>
  <div class="h-full overflow-auto p-8">
    <div class="mx-auto max-w-5xl">
      <div class="mb-4 flex items-center gap-2">
        <h1 class="flex-1 text-[20px] font-semibold tracking-tight">Workpieces</h1>
        <button class="button" data-test="to-batches" @click="batches">Recipes and batches</button>
        <button class="button button-main" @click="emit('browse')">Browse the entries</button>
      </div>
      <div v-if="!workpieces.length" class="hatched rounded-xl border border-line p-8 text-center">
        <p class="text-[16px] font-semibold">The Bench is empty</p>
        <p class="text-ink">Open a model from Browse. What you opened before is kept here.</p>
      </div>
      <ul class="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        <li v-for="one in workpieces" :key="one.id">
          <button
            class="block w-full overflow-hidden rounded-xl border border-line bg-sheet text-left hover:border-sea"
            data-test="workpiece"
            @click="open(one.id)"
          >
            <span class="flex h-32 items-center justify-center bg-gradient-to-b from-paper to-sunk">
              <img
                v-if="one.picture"
                :src="`/api/blobs/${one.picture}`"
                alt=""
                class="faded-sides h-full object-contain"
              />
              <span v-else class="text-[12px] text-faint">drawn when it is opened</span>
            </span>
            <span class="block px-3 py-2">
              <span class="flex items-baseline gap-2">
                <span class="truncate font-medium">{{ one.name }}</span>
                <span class="num ml-auto shrink-0 text-[12px] text-faint">
                  {{ one.steps.length }} {{ one.steps.length === 1 ? 'step' : 'steps' }}
                </span>
              </span>
              <span class="block truncate font-mono text-[12px] text-faint" :title="one.entries.join('\n')">
                {{ one.entries.map(last).join(', ') }}
              </span>
            </span>
          </button>
        </li>
      </ul>
    </div>
  </div>
</template>
