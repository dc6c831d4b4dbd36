<script setup lang="ts">
import { ref } from 'vue'
import { version } from '../../package.json'
import { happened, placeOf } from '../model/happened'

// What went wrong, once: the headline, the place, what was expected and found, and what to try.
export interface FaultWords {
  message: string
  file?: string | null
  offset?: number | null
  field?: string | null
  expected?: string | null
  found?: string | null
  hint?: string | null
}

const { fault } = defineProps<{ fault: FaultWords }>()
const place = () => {
  const byte = fault.offset === undefined || fault.offset === null ? '' : `byte ${fault.offset.toLocaleString('en-GB')}`
  return [fault.file, fault.field, byte].filter(Boolean).join(', ')
}
const met = () => {
  const words = [fault.expected && `expected ${fault.expected}`, fault.found && `found ${fault.found}`]
  const line = words.filter(Boolean).join(', ')
  return line.charAt(0).toUpperCase() + line.slice(1)
}
const act = ref('Copy what happened')
async function copy() {
  try {
    await navigator.clipboard.writeText(happened(fault, placeOf(location), new Date(), version))
    act.value = 'Copied'
  } catch {
    act.value = 'The browser does not let us copy'
  }
}
const headline = () => fault.message.charAt(0).toUpperCase() + fault.message.slice(1)
</script>

<template>
  <div class="text-[13px] [overflow-wrap:anywhere]">
    <p class="font-semibold text-brick">{{ headline() }}</p>
    <p v-if="place()" class="font-mono text-[12px]">{{ place() }}</p>
    <p v-if="met()">{{ met() }}</p>
    <p v-if="fault.hint" class="text-faint">{{ fault.hint }}</p>
    <button class="text-[12px] text-faint underline underline-offset-2" data-test="copy-happened" @click="copy">
      {{ act }}
    </button>
  </div>
</template>
