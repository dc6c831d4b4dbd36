<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api } from '../../../api/client'
import Sheet from '../../../components/Sheet.vue'
import { count, told } from '../../../model/words'

// Any entry as hex or as text; a narrow place shows 8 bytes a row, and 16 of them a click away.
const { entry, perRow = 8 } = defineProps<{ entry: number; perRow?: number }>()
const PAGE_ROWS = 32
const page = computed(() => perRow * PAGE_ROWS)
const way = ref<'hex' | 'text'>('hex')
const offset = ref(0)
const size = ref(0)
const hex = ref('')
const text = ref('')
const error = ref('')
const wide = ref(false)

let asked = 0
async function load() {
  const mine = ++asked
  try {
    const [found, read] = await Promise.all([
      api.bytes(entry, offset.value, page.value),
      way.value === 'text' ? api.text(entry) : '',
    ])
    if (mine !== asked) return
    error.value = ''
    hex.value = found.hex
    size.value = found.size
    text.value = read
  } catch (problem) {
    if (mine === asked) error.value = told(problem)
  }
}
watch(
  [() => entry, way],
  () => {
    offset.value = 0
    void load()
  },
  { immediate: true },
)
const printed = (byte: string) => {
  const code = parseInt(byte, 16)
  return code > 31 && code < 127 ? String.fromCharCode(code) : '·'
}
const rows = computed(() => {
  const all = hex.value.match(/../g) ?? []
  return Array.from({ length: Math.ceil(all.length / perRow) }, (_, r) => {
    const part = all.slice(r * perRow, (r + 1) * perRow)
    const at = (offset.value + r * perRow).toString(16).padStart(8, '0')
    return { at, bytes: part.join(' '), text: part.map(printed).join('') }
  })
})
function go(by: number) {
  const last = Math.max(0, Math.floor((size.value - 1) / page.value) * page.value)
  offset.value = Math.min(Math.max(0, offset.value + by), last)
  void load()
}
const ways = ['hex', 'text'] as const
</script>

<template>
  <div class="px-4 py-3">
    <p v-if="error" class="rounded-md bg-brick-soft px-2 py-1 text-[12.5px] text-brick">{{ error }}</p>
    <template v-else>
      <div class="mb-2 flex items-center gap-2 text-[12.5px]">
        <div class="flex overflow-hidden rounded-md border border-line" role="group" aria-label="Read as">
          <button
            v-for="one in ways"
            :key="one"
            class="choice capitalize"
            :aria-pressed="way === one"
            :data-test="`as-${one}`"
            @click="way = one"
          >
            {{ one }}
          </button>
        </div>
        <button v-if="perRow < 16" class="button py-0.5" data-test="wide-bytes" @click="wide = true">16 a row</button>
        <span class="num ml-auto text-faint">{{ count(size) }} bytes</span>
      </div>
      <pre
        v-if="way === 'text'"
        class="max-h-96 overflow-auto rounded-md bg-paper p-2 font-mono text-[12px] whitespace-pre-wrap"
        tabindex="0"
        data-test="as-text-shown"
        >{{ text }}</pre>
      <template v-else>
        <table class="num w-full text-[11.5px] leading-5" data-test="bytes">
          <caption class="sr-only">
            Bytes from
            {{
              count(offset)
            }}
          </caption>
          <tbody>
            <tr v-for="r in rows" :key="r.at">
              <th scope="row" class="pr-2 text-left font-normal text-faint">{{ r.at }}</th>
              <td class="whitespace-pre">{{ r.bytes }}</td>
              <td class="pl-2 whitespace-pre text-faint">{{ r.text }}</td>
            </tr>
          </tbody>
        </table>
        <div class="mt-2 flex items-center gap-2 text-[12.5px]">
          <button class="button py-0.5" :disabled="!offset" @click="go(-page)">Earlier</button>
          <button class="button py-0.5" :disabled="offset + page >= size" @click="go(page)">Later</button>
        </div>
      </template>
    </template>
    <Sheet v-if="wide" open title="Bytes" wide @close="wide = false"><LookBytes :entry="entry" :per-row="16" /></Sheet>
  </div>
</template>
