<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api } from '../../../api/client'
import { count } from '../../../model/words'

const { entry } = defineProps<{ entry: number }>()
const ROW = 8
const PAGE = 256
const offset = ref(0)
const size = ref(0)
const hex = ref('')
const error = ref('')

async function load() {
  try {
    error.value = ''
    const found = await api.bytes(entry, offset.value, PAGE)
    hex.value = found.hex
    size.value = found.size
  } catch (problem) {
    error.value = problem instanceof Error ? problem.message : String(problem)
  }
}
watch(() => entry, () => ((offset.value = 0), load()), { immediate: true })
const rows = computed(() => {
  const all = hex.value.match(/../g) ?? []
  return Array.from({ length: Math.ceil(all.length / ROW) }, (_, r) => {
    const part = all.slice(r * ROW, r * ROW + ROW)
    return { at: (offset.value + r * ROW).toString(16).padStart(8, '0'), bytes: part.join(' '), text: part.map((b) => (parseInt(b, 16) > 31 && parseInt(b, 16) < 127 ? String.fromCharCode(parseInt(b, 16)) : '·')).join('') }
  })
})
function go(by: number) {
  offset.value = Math.min(Math.max(0, offset.value + by), Math.max(0, Math.floor((size.value - 1) / PAGE) * PAGE))
  void load()
}
</script>

<template>
  <div class="px-4 py-3">
    <p v-if="error" class="rounded-md bg-brick-soft px-2 py-1 text-[12.5px] text-brick">{{ error }}</p>
    <template v-else>
      <table class="num w-full text-[11px] leading-5" data-test="bytes">
        <tbody>
          <tr v-for="r in rows" :key="r.at"><td class="pr-2 text-faint">{{ r.at }}</td><td class="whitespace-pre">{{ r.bytes }}</td><td class="pl-2 whitespace-pre text-faint">{{ r.text }}</td></tr>
        </tbody>
      </table>
      <div class="mt-2 flex items-center gap-2 text-[12.5px]">
        <button class="button py-0.5" :disabled="!offset" @click="go(-PAGE)">Earlier</button>
        <button class="button py-0.5" :disabled="offset + PAGE >= size" @click="go(PAGE)">Later</button>
        <span class="num ml-auto text-faint">{{ count(size) }} bytes</span>
      </div>
    </template>
  </div>
</template>
