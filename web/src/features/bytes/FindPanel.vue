<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { api, type Compared, type Search } from '../../api/client'
import { addressOf, offsetOf } from '../../model/hex'
import { count, told } from '../../model/words'

// Looking for bytes, texts, numbers and ranges of numbers; going to a place; comparing with another file.
const { entry, path } = defineProps<{ entry: number; path: string }>()
const emit = defineEmits<{ go: [offset: number, size: number]; differs: [ranges: Compared['ranges']] }>()
const KINDS = ['text', 'hex', 'u8', 'i8', 'u16', 'i16', 'u32', 'i32', 'u64', 'i64', 'f16', 'f32', 'f64'] as const
const kind = ref<Search['kind']>('text')
const what = ref('')
const ranged = ref(false)
const low = ref('')
const high = ref('')
const order = ref<'<' | '>'>('<')
const found = shallowRef<{ offsets: number[]; size: number; more: boolean }>()
const error = ref('')
const place = ref('')
const other = ref('')
const compared = shallowRef<Compared>()
const number = computed(() => kind.value !== 'text' && kind.value !== 'hex')

async function find(first = 0) {
  error.value = ''
  const ask: Search = { kind: kind.value, order: order.value, first }
  if (number.value && ranged.value) Object.assign(ask, { low: Number(low.value), high: Number(high.value) })
  else ask.what = what.value
  try {
    found.value = await api.finds(entry, ask)
    const at = found.value.offsets[0]
    if (at !== undefined) emit('go', at, found.value.size)
  } catch (problem) {
    found.value = undefined
    error.value = told(problem)
  }
}
function jump() {
  const offset = offsetOf(place.value)
  error.value = offset === null ? `‘${place.value}’ is no offset: 4096, 0x1000 or 1000h.` : ''
  if (offset !== null) emit('go', offset, 1)
}
async function compare() {
  error.value = ''
  try {
    compared.value = await api.compared(entry, other.value.trim())
    emit('differs', compared.value.ranges)
    const at = compared.value.ranges[0]
    if (at) emit('go', at.first, at.end - at.first)
  } catch (problem) {
    compared.value = undefined
    emit('differs', [])
    error.value = told(problem)
  }
}
function stop() {
  compared.value = undefined
  emit('differs', [])
}
watch(
  () => entry,
  () => {
    found.value = undefined
    stop()
  },
)
</script>

<template>
  <div class="min-h-0 flex-1 space-y-4 overflow-auto px-4 py-3 text-[12.5px]" data-test="find">
    <form class="flex items-center gap-2" @submit.prevent="jump">
      <input
        v-model="place"
        class="field min-w-0 flex-1 py-1"
        placeholder="Byte 4096 or 0x1000"
        aria-label="Byte to go to"
        data-test="jump"
      />
      <button class="button py-1" :disabled="!place.trim()">Go there</button>
    </form>
    <form class="space-y-1.5" @submit.prevent="find()">
      <div class="flex gap-2">
        <select v-model="kind" class="field py-1" aria-label="Look for" data-test="find-kind">
          <option v-for="one in KINDS" :key="one" :value="one">{{ one }}</option>
        </select>
        <input
          v-if="!(number && ranged)"
          v-model="what"
          class="field min-w-0 flex-1 py-1 font-mono"
          :placeholder="kind === 'hex' ? '42 4D 53 48' : kind === 'text' ? 'some characters' : '1596'"
          aria-label="What to look for"
          data-test="find-what"
        />
        <template v-else>
          <input v-model="low" class="field w-16 min-w-0 flex-1 py-1 font-mono" aria-label="From" placeholder="from" />
          <input v-model="high" class="field w-16 min-w-0 flex-1 py-1 font-mono" aria-label="To" placeholder="to" />
        </template>
      </div>
      <div class="flex flex-wrap items-center gap-3">
        <label v-if="number" class="flex items-center gap-1"><input v-model="ranged" type="checkbox" />a range</label>
        <label v-if="number" class="flex items-center gap-1"
          ><input v-model="order" type="checkbox" true-value="&gt;" false-value="&lt;" />big endian</label
        >
        <button class="button ml-auto py-1" :disabled="number && ranged ? !low || !high : !what" data-test="find-now">
          Find
        </button>
      </div>
    </form>
    <p v-if="error" class="rounded-md bg-brick-soft px-2 py-1 text-brick" role="alert">{{ error }}</p>
    <div v-if="found" data-test="found">
      <p class="text-faint">
        {{
          found.offsets.length ? `${found.more ? 'The first ' : ''}${count(found.offsets.length)} places` : 'Nowhere'
        }}
      </p>
      <ul class="max-h-44 overflow-auto">
        <li v-for="offset in found.offsets" :key="offset">
          <button class="num w-full rounded px-1 text-left hover:bg-sunk" @click="emit('go', offset, found.size)">
            {{ addressOf(offset) }} <span class="text-faint">{{ count(offset) }}</span>
          </button>
        </li>
      </ul>
      <button v-if="found.more" class="button mt-1 py-0.5" @click="find((found.offsets.at(-1) ?? 0) + 1)">
        Go on from there
      </button>
    </div>
    <form class="space-y-1.5 border-t border-line pt-3" @submit.prevent="compare">
      <label class="block font-semibold" for="compare-with">Compare with another file</label>
      <input
        id="compare-with"
        v-model="other"
        class="field w-full py-1 font-mono text-[12px]"
        :placeholder="path"
        data-test="compare-with"
      />
      <button class="button py-1" :disabled="!other.trim()" data-test="compare">Compare</button>
      <div v-if="compared" data-test="compared">
        <p class="text-faint">
          {{ compared.ranges.length ? `${count(compared.ranges.length)} stretches differ` : 'They are the same.' }}
          <button type="button" class="underline underline-offset-2" @click="stop">Stop comparing</button>
        </p>
        <ul class="max-h-40 overflow-auto">
          <li v-for="range in compared.ranges.slice(0, 400)" :key="range.first">
            <button
              type="button"
              class="num w-full rounded px-1 text-left hover:bg-sunk"
              @click="emit('go', range.first, range.end - range.first)"
            >
              {{ addressOf(range.first) }} <span class="text-faint">{{ count(range.end - range.first) }} bytes</span>
            </button>
          </li>
        </ul>
      </div>
    </form>
  </div>
</template>
