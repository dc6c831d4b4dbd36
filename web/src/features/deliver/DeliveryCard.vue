<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed, ref, watch } from 'vue'
import { api, type Delivery } from '../../api/client'
import Fault from '../../components/Fault.vue'
import MoreMenu from '../../components/MoreMenu.vue'
import NameForm from '../../components/NameForm.vue'
import ProgressLine from '../../components/ProgressLine.vue'
import Question from '../../components/Question.vue'
import { jobById, lookUp } from '../../composables/useJobs'
import { bytes } from '../../model/words'
import ProofTable from './ProofTable.vue'

const { delivery } = defineProps<{ delivery: Delivery; open: boolean }>()
const emit = defineEmits<{ error: [problem: unknown]; again: [delivery: Delivery] }>()
const asking = ref<'name' | 'remove' | 'free' | null>(null)
const job = computed(() => jobById(delivery.job))
const report = computed(() => delivery.report)
const checks = computed(() => (report.value?.formats ?? []).flatMap((f) => f.proofs.flatMap((p) => p.checks)))
const held = computed(() => checks.value.filter((c) => c.passed).length)
const MOST_FILES = 9
const tones = {
  proven: 'bg-sea-soft text-sea',
  failed: 'bg-brick-soft text-brick',
  'not made': 'bg-marigold-soft text-marigold',
}
const verdict = computed(() => {
  if (report.value?.outcome === 'proven') return `proven, ${held.value} checks hold`
  if (report.value?.outcome === 'not made') return 'written, not proven'
  return `${checks.value.length - held.value} of ${checks.value.length} checks differ`
})
const written = computed(() => {
  const when = { dateStyle: 'medium', timeStyle: 'short' } as const
  return new Date(delivery.created).toLocaleString('en-GB', when)
})
const address = computed(() => `/api/deliveries/${delivery.id}`)
// Pictures lie with the files: of all that was to be written, then of each file, then of what each was to hold.
const picture = (number: number) => `${address.value}/pictures/${number}`
const told = computed(() =>
  [
    written.value,
    delivery.also.length && `with ${delivery.also.map((one) => one.name).join(', ')}`,
    delivery.below && `in ${delivery.below}`,
    report.value && !delivery.size && 'its files are gone',
  ]
    .filter(Boolean)
    .join(', '),
)
const act = (work: Promise<unknown>) => {
  asking.value = null
  void work.catch((problem: unknown) => emit('error', problem))
}
const acts = computed(() => [
  { words: 'Again with changes', run: () => emit('again', delivery), test: 'again' },
  ...(delivery.size
    ? [{ words: 'Report as JSON', run: () => window.open(`${address.value}/report`), test: 'report' }]
    : []),
  { words: 'Rename…', run: () => (asking.value = 'name'), test: 'rename' },
  ...(delivery.size ? [{ words: 'Free its space…', run: () => (asking.value = 'free'), test: 'free' }] : []),
  { words: 'Remove…', run: () => (asking.value = 'remove'), grave: true, test: 'remove' },
])
// After a reload the job may be older than the list of jobs that the page asked for.
watch(
  () => delivery.job,
  (id) => id && !jobById(id) && !delivery.report && lookUp(id),
  { immediate: true },
)
</script>

<template>
  <article class="mb-4 rounded-xl border border-line bg-sheet" data-test="delivery" :data-name="delivery.name">
    <header class="flex items-center gap-3 px-4 py-3">
      <div class="min-w-0 flex-1">
        <h2 class="truncate text-[15px] font-semibold">
          {{ delivery.name }} <span class="font-normal text-faint">as {{ delivery.formats.join(', ') }}</span>
        </h2>
        <p class="text-[12.5px] text-faint">{{ told }}</p>
      </div>
      <span
        v-if="report"
        class="rounded-full px-2.5 py-0.5 text-[12.5px] font-semibold"
        :class="tones[report.outcome]"
        data-test="verdict"
      >
        {{ verdict }}
      </span>
      <a
        v-if="delivery.archive_size"
        class="button button-main"
        :href="`/api/deliveries/${delivery.id}/zip`"
        data-test="download"
      >
        Download zip <span class="num">{{ bytes(delivery.archive_size) }}</span>
      </a>
      <MoreMenu :label="`More about ${delivery.name}`" :acts="acts" />
    </header>
    <div v-if="!report" class="border-t border-line px-4 py-3">
      <div v-if="job && (job.status === 'queued' || job.status === 'running')" class="flex items-center gap-4">
        <ProgressLine :job="job" class="flex-1" />
        <button class="button" @click="act(api.cancel(job.id))">Cancel</button>
      </div>
      <div v-else-if="job?.status === 'failed'" class="flex items-start gap-4" data-test="delivery-failed">
        <Fault v-if="job.fault" :fault="job.fault as never" class="min-w-0 flex-1" />
        <button class="button" @click="act(api.again(job.id))">Try again</button>
      </div>
      <div v-else-if="job?.status === 'cancelled'" class="flex items-center gap-4 text-[13px] text-faint">
        <span class="flex-1">Stopped on request; nothing was kept.</span>
        <button class="button" @click="act(api.again(job.id))">Start again</button>
      </div>
      <p v-else class="text-[13px] text-faint">
        {{ delivery.job ? 'Waiting…' : 'Its job is gone; deliver it again.' }}
      </p>
    </div>
    <ul v-if="report?.told.length" class="border-t border-line px-4 py-2 text-[13px] text-marigold">
      <li v-for="words in report.told" :key="words">Changed on the way: {{ words }}</li>
    </ul>
    <Disclosure
      v-for="(format, number) in report?.formats"
      :key="format.main"
      v-slot="{ open: unfolded }"
      :default-open="open && number < 3"
    >
      <DisclosureButton
        class="flex w-full items-center justify-between border-t border-line bg-paper px-4 py-2 text-left text-[13px]"
      >
        <span class="font-mono text-[12.5px]">{{ format.main }}</span>
        <span class="text-faint">
          <span class="num">{{ format.files.length }}</span> {{ format.files.length === 1 ? 'file' : 'files' }},
          <span class="num">{{ bytes(format.files.reduce((a, f) => a + f.size, 0)) }}</span>,
          {{ unfolded ? 'fold' : 'show the proof' }}
        </span>
      </DisclosureButton>
      <DisclosurePanel class="px-4 py-2">
        <div v-if="delivery.size && format.picture" class="flex gap-3 py-2" data-test="pictures">
          <figure v-if="report?.picture" class="w-44">
            <img
              :src="picture(format.before ? 1 + report.formats.length + number : 0)"
              alt="As it is on the Bench"
              class="w-full rounded-md bg-gradient-to-b from-paper to-sunk"
            />
            <figcaption class="pt-0.5 text-[12px] text-faint">On the Bench</figcaption>
          </figure>
          <figure class="w-44">
            <img
              :src="picture(number + 1)"
              :alt="`${format.main}, read back`"
              class="w-full rounded-md bg-gradient-to-b from-paper to-sunk"
            />
            <figcaption class="pt-0.5 text-[12px] text-faint">In the file</figcaption>
          </figure>
          <ul class="num min-w-0 flex-1 self-start text-[12px] text-faint" data-test="files">
            <li v-for="file in format.files.slice(0, MOST_FILES)" :key="file.path" class="flex justify-between gap-3">
              <span class="truncate" :title="file.path">{{ file.path }}</span>
              <span class="whitespace-nowrap">{{ bytes(file.size) }}</span>
            </li>
            <li v-if="format.files.length > MOST_FILES">and {{ format.files.length - MOST_FILES }} more</li>
          </ul>
        </div>
        <p v-for="word in format.left_out" :key="word" class="py-0.5 text-[13px] text-marigold">
          The format cannot carry {{ word }}
        </p>
        <ProofTable v-for="proof in format.proofs" :key="proof.reader" :proof="proof" />
      </DisclosurePanel>
    </Disclosure>
    <Question
      v-if="asking === 'free'"
      :title="`Free the space of ${delivery.name}?`"
      act="Delete its files"
      @close="asking = null"
      @yes="act(api.freeDelivery(delivery.id))"
    >
      <p>
        Its folder and its zip, <span class="num">{{ bytes(delivery.size) }}</span>, are deleted. What was written and
        how it was proven stays listed, and it can be delivered again.
      </p>
    </Question>
    <NameForm
      v-if="asking === 'name'"
      title="Rename this delivery"
      :name="delivery.name"
      note="The files that are written keep their names."
      @close="asking = null"
      @named="act(api.renameDelivery(delivery.id, $event))"
    />
    <Question
      v-if="asking === 'remove'"
      :title="`Remove ${delivery.name}?`"
      act="Remove its files"
      @close="asking = null"
      @yes="act(api.removeDelivery(delivery.id))"
    >
      <p>The folder and the zip that were written for it are deleted{{ delivery.folder ? ':' : '.' }}</p>
      <p v-if="delivery.folder" class="mt-1 font-mono text-[12px] [overflow-wrap:anywhere]">{{ delivery.folder }}</p>
    </Question>
  </article>
</template>
