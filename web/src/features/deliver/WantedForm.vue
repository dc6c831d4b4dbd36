<script setup lang="ts">
import { onMounted } from 'vue'
import { usePurposes } from '../../composables/useWanted'
import type { Wanted } from '../../model/wanted'
import FormatChoice from './FormatChoice.vue'
import PlanFields from './PlanFields.vue'
import PurposeChoice from './PurposeChoice.vue'

// `losses` are what of the workpiece each format leaves out, in words; `example` what names of files are shown by.
defineProps<{
  losses: Record<string, string[]>
  clips: string[]
  example: { name: string; piece: string; clip: string }
}>()
const wanted = defineModel<Wanted>({ required: true })
const emit = defineEmits<{ error: [problem: unknown] }>()
const { ours, kept, fields, starting, formats, load } = usePurposes((problem) => emit('error', problem))
onMounted(load)
</script>

<template>
  <PurposeChoice
    v-model="wanted"
    :ours="ours"
    :kept="kept"
    :starting="starting"
    @changed="load"
    @error="emit('error', $event)"
  />
  <FormatChoice
    :model-value="wanted.formats"
    :options="wanted.options"
    :formats="formats"
    :losses="losses"
    @update:model-value="wanted = { ...wanted, formats: $event }"
    @update:options="wanted = { ...wanted, options: $event }"
  />
  <PlanFields v-model="wanted" :fields="fields" :starting="starting" :clips="clips" :example="example" />
</template>
