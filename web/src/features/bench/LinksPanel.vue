<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Link, StepUse } from '../../api/client'
import { bound, lacking, relinked, unsure } from '../../model/links'
import LikelyList from './LikelyList.vue'
import LinkRow from './LinkRow.vue'

// The entries that the model is put together from; each can be another, by a step.
const { links } = defineProps<{ links: Link[] }>()
const emit = defineEmits<{ link: [step: StepUse] }>()
const things = computed(() => bound(links))
const doubtful = computed(() => links.filter((one) => lacking(one) || unsure(one)).length)
const changing = ref('')
const keyOf = (link: Link) => `${link.kind} ${link.material} ${link.slot} ${link.name}`
const toggle = (link: Link) => (changing.value = changing.value === keyOf(link) ? '' : keyOf(link))
function choose(link: Link, entry: string, slot: string) {
  changing.value = ''
  emit('link', relinked(link, entry, slot))
}
watch(
  () => links,
  () => (changing.value = ''),
)
</script>

<template>
  <details v-if="things.length" class="group border-t border-line p-4" data-test="links">
    <summary class="flex cursor-pointer items-baseline gap-2">
      <span class="text-faint group-open:rotate-90" aria-hidden="true">›</span>
      <h2 class="heading">Put together from</h2>
      <span class="num ml-auto text-[12px] text-faint">
        {{ links.length }}<template v-if="doubtful">, {{ doubtful }} to look at</template>
      </span>
    </summary>
    <ul class="mt-2 space-y-2">
      <li v-for="{ link, maps } in things" :key="keyOf(link)">
        <LinkRow :link="link" :title="link.kind" :open="changing === keyOf(link)" @change="toggle(link)" />
        <LikelyList v-if="changing === keyOf(link)" :link="link" @choose="(entry, slot) => choose(link, entry, slot)" />
        <ul v-if="maps.length" class="ml-2 border-l border-line pl-2">
          <li v-for="one in maps" :key="keyOf(one)">
            <LinkRow :link="one" :title="one.slot" :open="changing === keyOf(one)" @change="toggle(one)" />
            <LikelyList
              v-if="changing === keyOf(one)"
              :link="one"
              @choose="(entry, slot) => choose(one, entry, slot)"
            />
          </li>
        </ul>
      </li>
    </ul>
  </details>
</template>
