<script setup lang="ts">
import { api, type ProblemRow } from '../../api/client'

const { project } = defineProps<{ problems: ProblemRow[]; project: string }>()
const emit = defineEmits<{ error: [problem: unknown] }>()
const follow = () => api.readReferences(project).catch((problem: unknown) => emit('error', problem))
const body = (row: ProblemRow) => (row.hint ? row.line.replace(row.hint, '').trim().replace(/\.$/, '') : row.line)
</script>

<template>
  <div class="space-y-3 text-[13px]">
    <ul v-if="problems.length" class="overflow-hidden rounded-xl border border-line bg-sheet">
      <li
        v-for="(row, n) in problems"
        :key="n"
        class="border-t border-line px-4 py-2.5 first:border-t-0"
        data-test="problem"
      >
        <p class="flex gap-3">
          <span class="w-28 shrink-0 truncate font-semibold" :class="row.source ? 'text-brick' : 'text-marigold'">{{
            row.label
          }}</span><span class="min-w-0 break-words">{{ body(row) }}</span>
        </p>
        <p v-if="row.hint" class="pl-31 text-faint">{{ row.hint }}</p>
      </li>
    </ul>
    <p v-else class="hatched rounded-xl border border-line p-8 text-center">
      Nothing is wrong with these sources, as far as they were read.
    </p>
    <button
      class="button"
      title="Read every model, material and level, and list names that lead nowhere"
      data-test="follow"
      @click="follow"
    >
      Follow all references
    </button>
  </div>
</template>
