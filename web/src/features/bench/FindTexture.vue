<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Finding, Link, StepUse } from '../../api/client'
import { relinked } from '../../model/links'
import LikelyList from './LikelyList.vue'

// Looks for what a material names and nobody could supply; what is chosen becomes a step.
const { finding } = defineProps<{ finding: Finding }>()
const emit = defineEmits<{ link: [step: StepUse] }>()
const looking = ref(false)
const said = (label: string) => String(finding.evidence.find((one) => one.label === label)?.value ?? '')
const gap = computed((): Link => ({
  kind: said('slot') === 'material' ? 'material' : 'texture',
  name: said('named'),
  entry: '',
  found: '',
  material: said('material'),
  slot: said('slot'),
  why: '',
}))
const link = (entry: string, slot: string) =>
  emit('link', { ...relinked(gap.value, entry, slot), because: finding.rule })
</script>

<template>
  <div class="mt-3">
    <button v-if="!looking" class="button w-full" data-test="find-texture" @click="looking = true">
      Look for it in the sources
    </button>
    <LikelyList v-else :link="gap" @choose="link" />
  </div>
</template>
