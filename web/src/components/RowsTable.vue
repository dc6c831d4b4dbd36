<script setup lang="ts">
import type { Look } from '../api/client'

// Rows of texts under their columns.
defineProps<{ table: NonNullable<Look['table']> }>()
</script>

<template>
  <table class="w-full text-[12.5px]" data-test="table">
    <thead class="sticky top-0 bg-sunk text-left">
      <tr>
        <th v-for="c in table.columns" :key="c" class="px-3 py-1 font-semibold first:pl-4">{{ c }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(row, i) in table.rows" :key="i" class="border-t border-line">
        <td v-for="(cell, j) in row" :key="j" class="px-3 py-1 break-words first:pl-4">{{ cell }}</td>
      </tr>
    </tbody>
  </table>
</template>
