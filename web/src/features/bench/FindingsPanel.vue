<script setup lang="ts">
import { computed, useTemplateRef } from 'vue'
import type { Finding, StepUse } from '../../api/client'
import { mends } from '../../model/steps'
import { count } from '../../model/words'
import FindTexture from './FindTexture.vue'

const { findings, settled } = defineProps<{ findings: Finding[] | null; loading: boolean; settled: string[] }>()
const put = (one: Finding) => one.by_profile || settled.includes(one.key)
const open = computed(() => findings?.filter((one) => !put(one)) ?? [])
// Those that somebody said are meant so; a key of a finding that is not there now is kept, it may come back.
const aside = computed(() => findings?.filter(put) ?? [])
const mendable = computed(() => mends(open.value, aside.value).length)
const panel = useTemplateRef<HTMLElement>('panel')
// What is pressed goes with its finding: who presses it with a key goes on from here.
function stay(act: () => void) {
  panel.value?.focus()
  act()
}
const settle = (one: Finding) => stay(() => emit('settle', [...settled, one.key]))
const unsettle = (one: Finding) =>
  emit(
    'settle',
    settled.filter((key) => key !== one.key),
  )
const emit = defineEmits<{ apply: [finding: Finding]; mend: [steps: StepUse[]]; settle: [keys: string[]] }>()
const shown = (v: number | string) => (typeof v === 'number' ? (Number.isInteger(v) ? count(v) : String(v)) : v)
const tones = {
  problem: 'bg-brick-soft text-brick',
  warning: 'bg-marigold-soft text-marigold',
  note: 'bg-sunk text-ink',
}
</script>

<template>
  <section ref="panel" class="p-4 focus:outline-none" aria-label="Findings" tabindex="-1">
    <div class="mb-2 flex min-h-7 items-center justify-between">
      <h2 class="heading">Findings</h2>
      <button
        v-if="mendable > 1"
        class="button py-0.5 text-[12.5px]"
        title="A step for each finding that proposes one"
        data-test="mend-all"
        @click="stay(() => emit('mend', mends(open, aside)))"
      >
        Mend all {{ mendable }}
      </button>
    </div>
    <p v-if="loading" class="text-[13px] text-faint">Looking…</p>
    <p v-else-if="!open.length" class="rounded-md bg-sea-soft px-3 py-2 text-[13px] text-sea">
      {{ aside.length ? 'Nothing else was found.' : 'Nothing wrong was found.' }}
    </p>
    <article
      v-for="(finding, i) in open"
      :key="i"
      class="mb-3 rounded-lg border border-line bg-paper p-3 [overflow-wrap:anywhere]"
      data-test="finding"
      :data-rule="finding.rule"
    >
      <p class="mb-1">
        <span class="rounded px-1.5 py-0.5 text-[12px] font-semibold" :class="tones[finding.severity]">
          {{ finding.severity }}
        </span>
      </p>
      <h3 class="text-[14px] leading-snug font-semibold">{{ finding.title }}</h3>
      <p class="mt-0.5 text-[13px] leading-snug text-faint">{{ finding.detail }}</p>
      <dl class="mt-2 space-y-0.5 text-[12.5px]">
        <div v-for="item in finding.evidence" :key="item.label" class="flex justify-between gap-3">
          <dt class="text-faint">{{ item.label }}</dt>
          <dd class="num text-right">{{ shown(item.value) }} {{ item.unit }}</dd>
        </div>
      </dl>
      <button
        v-if="finding.suggestion"
        class="button button-main mt-3 w-full"
        data-test="apply"
        @click="stay(() => emit('apply', finding))"
      >
        {{ finding.suggestion.label }}
      </button>
      <FindTexture
        v-else-if="finding.rule === 'missing_textures'"
        :finding="finding"
        @link="(step) => stay(() => emit('mend', [step]))"
      />
      <button class="words mt-2 text-[12.5px] text-faint" data-test="meant-so" @click="settle(finding)">
        Leave it, it is meant so
      </button>
    </article>
    <details v-if="aside.length" class="text-[13px]" data-test="settled">
      <summary class="cursor-pointer text-faint">{{ count(aside.length) }} meant so</summary>
      <ul class="mt-1 space-y-1">
        <li v-for="(finding, i) in aside" :key="i" class="flex items-baseline gap-2">
          <span class="min-w-0 flex-1 truncate" :title="finding.title">{{ finding.title }}</span>
          <span v-if="finding.by_profile" class="shrink-0 text-[12.5px] text-faint">says the profile</span>
          <button v-else class="words shrink-0 text-[12.5px]" @click="unsettle(finding)">look at it again</button>
        </li>
      </ul>
    </details>
  </section>
</template>
