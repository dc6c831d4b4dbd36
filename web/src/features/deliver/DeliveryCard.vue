<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed } from 'vue'
import { api, type Delivery } from '../../api/client'
import ProgressLine from '../../components/ProgressLine.vue'
import { jobById } from '../../composables/useJobs'
import { bytes } from '../../model/words'

const { delivery } = defineProps<{ delivery: Delivery; open: boolean }>()
const job = computed(() => jobById(delivery.job))
const checks = computed(() => (delivery.report?.formats ?? []).flatMap((f) => f.proofs.flatMap((p) => p.checks)))
const held = computed(() => checks.value.filter((c) => c.passed).length)
</script>

<template>
  <article class="mb-4 overflow-hidden rounded-xl border border-line bg-sheet" data-test="delivery" :data-name="delivery.name">
    <header class="flex items-center gap-4 px-4 py-3">
      <div class="min-w-0 flex-1">
        <h2 class="truncate text-[15px] font-semibold">{{ delivery.name }} <span class="font-normal text-faint">as {{ delivery.formats.join(', ') }}</span></h2>
        <p class="text-[12.5px] text-faint">{{ new Date(delivery.created).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' }) }}</p>
      </div>
      <span v-if="delivery.report" class="rounded-full px-2.5 py-0.5 text-[12.5px] font-semibold" :class="delivery.report.passed ? 'bg-sea-soft text-sea' : 'bg-brick-soft text-brick'" data-test="verdict">
        {{ delivery.report.passed ? `proven, ${held} checks hold` : `${checks.length - held} of ${checks.length} checks differ` }}
      </span>
      <a v-if="delivery.archive_size" class="button button-main" :href="`/api/deliveries/${delivery.id}/zip`" data-test="download">Download zip <span class="num">{{ bytes(delivery.archive_size) }}</span></a>
    </header>
    <div v-if="!delivery.report" class="border-t border-line px-4 py-3">
      <div v-if="job && (job.status === 'queued' || job.status === 'running')" class="flex items-center gap-4">
        <ProgressLine :job="job" class="flex-1" />
        <button class="button" @click="api.cancel(job.id)">Cancel</button>
      </div>
      <p v-else-if="job?.status === 'failed'" class="text-[13px] text-brick">{{ job.fault?.message }}. {{ job.fault?.hint }}</p>
      <p v-else class="text-[13px] text-faint">{{ job?.status === 'cancelled' ? 'Stopped on request; nothing was kept.' : 'Waiting…' }}</p>
    </div>
    <Disclosure v-for="format in delivery.report?.formats" :key="format.format" v-slot="{ open: unfolded }" :default-open="open">
      <DisclosureButton class="flex w-full items-center justify-between border-t border-line bg-paper px-4 py-1.5 text-left text-[13px]">
        <span class="font-mono text-[12.5px]">{{ format.main }}</span>
        <span class="text-faint"><span class="num">{{ format.files.length }}</span> {{ format.files.length === 1 ? 'file' : 'files' }}, <span class="num">{{ bytes(format.files.reduce((a, f) => a + f.size, 0)) }}</span>, {{ unfolded ? 'fold' : 'show the proof' }}</span>
      </DisclosureButton>
      <DisclosurePanel class="px-4 py-2">
        <p v-for="word in format.left_out" :key="word" class="py-1 text-[13px] text-marigold">Left out, since the format cannot carry it: {{ word }}</p>
        <table v-for="proof in format.proofs" :key="proof.reader" class="mb-2 w-full table-fixed text-[12.5px]">
          <thead class="text-left text-faint">
            <tr><th class="w-[27%] py-1 font-medium">Read back by {{ proof.reader }}</th><th class="w-[30%] font-medium">Written</th><th class="w-[30%] font-medium">Found</th><th class="font-medium"></th></tr>
          </thead>
          <tbody>
            <tr v-for="check in proof.checks" :key="check.what" class="border-t border-line align-top">
              <td class="py-1">{{ check.what }}</td>
              <td class="num py-1 pr-3 break-words">{{ check.written }}</td>
              <td class="num py-1 pr-3 break-words">{{ check.read }}</td>
              <td class="py-1 text-right font-semibold" :class="check.passed ? 'text-sea' : 'text-brick'">{{ check.passed ? 'holds' : 'differs' }}</td>
            </tr>
          </tbody>
        </table>
      </DisclosurePanel>
    </Disclosure>
  </article>
</template>
