<script setup lang="ts">
import { shallowRef, watch } from 'vue'
import { api, type ReadAs } from '../../api/client'
import { addressOf } from '../../model/hex'
import { count } from '../../model/words'

// The bytes at the cursor, read as every type in both byte orders.
const { entry, cursor } = defineProps<{ entry: number; cursor: number }>()
const values = shallowRef<ReadAs[]>([])
let wait = 0
let asked = 0
watch(
  () => [entry, cursor],
  () => {
    clearTimeout(wait)
    wait = window.setTimeout(async () => {
      const mine = ++asked
      const found = await api.values(entry, cursor).catch(() => [])
      if (mine === asked) values.value = found
    }, 90)
  },
  { immediate: true },
)
</script>

<template>
  <div class="overflow-auto border-t border-line bg-sheet px-3 py-2" data-test="values" :data-at="cursor">
    <p class="mb-1 text-[12px] text-faint">
      Byte <span class="num text-ink">{{ count(cursor) }}</span> (<span class="num">{{ addressOf(cursor) }}</span
      >) read as
    </p>
    <table class="num w-full table-fixed text-[11.5px] leading-[17px]">
      <thead class="sr-only">
        <tr>
          <th>Type</th>
          <th>Little endian</th>
          <th>Big endian</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in values" :key="one.type">
          <th scope="row" class="w-28 text-left font-normal text-faint">{{ one.type }}</th>
          <td class="truncate pr-3" :title="one.little">{{ one.little }}</td>
          <td class="truncate text-faint" :title="`big endian: ${one.big}`">
            {{ one.big === one.little ? '' : one.big }}
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
