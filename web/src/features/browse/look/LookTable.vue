<script setup lang="ts">
import type { Look } from '../../../api/client'
import { count } from '../../../model/words'

defineProps<{ table: NonNullable<Look['table']> }>()
</script>

<template>
  <div>
    <div class="max-h-80 overflow-auto">
      <table class="w-full text-[12.5px]" data-test="table">
        <thead class="sticky top-0 bg-sunk text-left"><tr><th v-for="c in table.columns" :key="c" class="px-3 py-1 font-semibold">{{ c }}</th></tr></thead>
        <tbody><tr v-for="(row, i) in table.rows" :key="i" class="border-t border-line"><td v-for="(cell, j) in row" :key="j" class="px-3 py-1 break-words">{{ cell }}</td></tr></tbody>
      </table>
    </div>
    <p class="border-t border-line px-4 py-2 text-[12.5px] text-faint"><span class="num">{{ count(table.total) }}</span> rows</p>
  </div>
</template>
