<script setup lang="ts">
import { computed } from 'vue'
import type { Delivery } from '../../api/client'

type Proof = NonNullable<Delivery['report']>['formats'][number]['proofs'][number]
type Check = Proof['checks'][number]
const { proof } = defineProps<{ proof: Proof }>()
// What differs comes first, then what warns.
const rank = (check: Check) => (!check.passed ? 0 : check.warning ? 1 : 2)
const checks = computed(() => [...proof.checks].sort((a, b) => rank(a) - rank(b)))
const tone = (check: Check) => (!check.passed ? 'text-brick' : check.warning ? 'text-marigold' : 'text-sea')
const word = (check: Check) => (!check.passed ? 'differs' : check.warning ? 'warns' : 'holds')
</script>

<template>
  <div class="mb-2">
    <p v-if="proof.not_made" class="py-1 text-[13px] text-marigold" data-test="not-made">
      Not proven by {{ proof.reader }}: {{ proof.not_made }}. The files are written; look at them before you rely on
      them, or set the reader up and deliver again.
    </p>
    <table v-else class="w-full table-fixed text-[12.5px]">
      <thead class="text-left text-faint">
        <tr>
          <th class="w-[30%] py-1 font-medium">Read back by {{ proof.reader }}</th>
          <th class="w-[20%] font-medium">Written</th>
          <th class="font-medium">Found</th>
          <th class="w-16 text-right font-medium"><span class="sr-only">Outcome</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="check in checks" :key="check.what" class="border-t border-line align-top">
          <td class="py-1 pr-3">{{ check.what }}</td>
          <td class="num py-1 pr-3 [overflow-wrap:anywhere]">{{ check.written }}</td>
          <td class="py-1 pr-3 [overflow-wrap:anywhere]">{{ check.read }}</td>
          <td class="py-1 text-right font-semibold" :class="tone(check)">{{ word(check) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
