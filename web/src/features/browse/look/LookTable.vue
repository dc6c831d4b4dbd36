<script setup lang="ts">
import type { Look } from '../../../api/client'
import RowsTable from '../../../components/RowsTable.vue'
import { count } from '../../../model/words'

const emit = defineEmits<{ names: [] }>()
defineProps<{ table: NonNullable<Look['table']> }>()
</script>

<template>
  <div>
    <div class="max-h-80 overflow-auto">
      <RowsTable :table="table" />
    </div>
    <p class="flex items-center justify-between border-t border-line px-4 py-2 text-[12.5px] text-faint">
      <span
        ><span class="num">{{ count(table.total) }}</span> {{ table.total === 1 ? 'row' : 'rows' }}</span
      ><button
        v-if="table.columns.length > 1"
        class="button py-0.5"
        title="Give the names of this table to the entries that its codes mean"
        data-test="naming"
        @click="emit('names')"
      >
        Names from this table…
      </button>
    </p>
  </div>
</template>
