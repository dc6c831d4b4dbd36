<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, type Entry, type Hit } from '../../api/client'
import Problem from '../../components/Problem.vue'
import ProgressLine from '../../components/ProgressLine.vue'
import Sheet from '../../components/Sheet.vue'
import { useEvents } from '../../composables/useEvents'
import { jobById } from '../../composables/useJobs'
import { bytes, count } from '../../model/words'

const { entry, title } = defineProps<{ entry: Entry; title: string }>()
const emit = defineEmits<{ close: [] }>()
const first = ref(0)
const last = ref<number | null>(null)
const jobId = ref('')
const hits = ref<Hit[]>()
const givenUp = ref<string[]>([])
const chosen = ref(new Set<number>())
const kept = ref('')
const error = ref<unknown>(null)
const job = computed(() => jobById(jobId.value))

async function start() {
  hits.value = undefined
  kept.value = ''
  try {
    jobId.value = (await api.carve(entry.id, first.value || 0, last.value || null)).id
    await done() // its end may have been announced before its number was known here
  } catch (problem) {
    error.value = problem
  }
}
async function done() {
  const found = await api.job(jobId.value)
  if (found.status === 'failed') error.value = new Error(String(found.fault?.message))
  if (found.status !== 'done' || hits.value) return
  const results = await api.results(jobId.value)
  if (hits.value) return
  hits.value = results.hits
  givenUp.value = results.given_up ?? []
  chosen.value = new Set(hits.value.map((_, n) => n))
}
async function keep() {
  try {
    kept.value = await api.keepFinds(
      entry.id,
      hits.value!.filter((_, n) => chosen.value.has(n)),
    )
  } catch (problem) {
    error.value = problem
  }
}
onMounted(start)
useEvents((event) => event.job?.id === jobId.value && ['done', 'failed'].includes(event.job.status) && done())
</script>

<template>
  <Sheet open :title="`Found inside ${title}`" @close="emit('close')">
    <div class="space-y-3 text-[13px]">
      <Problem v-if="error" :error="error" @close="error = null" />
      <form class="flex items-center gap-2" @submit.prevent="start">
        <label class="flex items-center gap-2"
          >From byte<input v-model.number="first" type="number" min="0" class="field w-32 py-0.5"
        /></label>
        <label class="flex items-center gap-2"
          >to<input v-model.number="last" type="number" min="0" class="field w-32 py-0.5" placeholder="end"
        /></label>
        <button class="button py-1">Search again</button>
      </form>
      <ProgressLine v-if="job && !hits" :job="job" />
      <p v-if="hits && givenUp.length" class="rounded-md border border-line px-2.5 py-1.5 text-faint">
        Gave up on {{ givenUp.join(', ') }}: too many beginnings have no end. Search a smaller range.
      </p>
      <template v-if="hits">
        <p v-if="!hits.length" class="hatched rounded-md p-4 text-center">Nothing known was found in these bytes.</p>
        <table v-else class="w-full">
          <thead class="text-left text-[12px] text-faint">
            <tr>
              <th class="w-7">
                <input
                  type="checkbox"
                  class="accent-sea"
                  aria-label="All"
                  :checked="chosen.size === hits.length"
                  @change="chosen = chosen.size === hits!.length ? new Set() : new Set(hits!.map((_, n) => n))"
                />
              </th>
              <th class="w-14"></th>
              <th class="font-medium">Format</th>
              <th class="text-right font-medium">Byte</th>
              <th class="text-right font-medium">Size</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(hit, n) in hits" :key="hit.offset" class="border-t border-line" data-test="hit">
              <td>
                <input
                  type="checkbox"
                  class="accent-sea"
                  :aria-label="`${hit.format} at ${hit.offset}`"
                  :checked="chosen.has(n)"
                  @change="chosen.delete(n) || chosen.add(n)"
                />
              </td>
              <td class="py-1">
                <img
                  v-if="hit.picture"
                  :src="`/api/blobs/${hit.picture}`"
                  alt=""
                  class="size-10 rounded object-cover"
                />
              </td>
              <td class="font-medium">{{ hit.format }}</td>
              <td class="num text-right">{{ count(hit.offset) }}</td>
              <td class="num text-right">{{ bytes(hit.size) }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <div class="flex items-center justify-end gap-2">
        <p v-if="kept" class="mr-auto text-sea" data-test="kept">They are entries now, in the source “{{ kept }}”.</p>
        <button class="button" @click="emit('close')">Close</button>
        <button
          class="button button-main"
          :disabled="!chosen.size || !hits?.length"
          data-test="keep-hits"
          @click="keep"
        >
          Make entries of {{ chosen.size }}
        </button>
      </div>
    </div>
  </Sheet>
</template>
