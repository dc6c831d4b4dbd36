<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { api, type Glance } from '../../../api/client'
import { useEvents } from '../../../composables/useEvents'
import { count, length } from '../../../model/words'
import { Stage } from '../../../viewer/stage'

const { job, picture } = defineProps<{ job: string; picture: string | null }>()
const home = ref<HTMLElement>()
const glance = ref<Glance>()
const shown = ref('')
const failed = ref('')
let stage: Stage | null = null

async function look() {
  const wanted = job
  const found = await api.glance(wanted).catch(() => undefined)
  if (wanted !== job || !found) return
  glance.value = found
  if (found.scene && stage && shown.value !== found.scene) {
    const scene = found.scene
    try {
      await stage.show(`/api/blobs/${scene}`, [])
      if (wanted !== job) return
      shown.value = scene
      stage.turn(true)
    } catch (error) {
      failed.value = String(error)
    }
  }
}

onMounted(() => {
  try {
    stage = new Stage(home.value!)
  } catch {
    failed.value = 'This browser gives no WebGL; the picture stands in.'
  }
  void look()
})
onBeforeUnmount(() => stage?.dispose())
watch(() => job, () => ((glance.value = undefined), (failed.value = ''), look()))
useEvents((event) => event.job?.id === job && event.job.status !== 'running' && look())
</script>

<template>
  <div>
    <div class="relative aspect-[4/3] bg-[radial-gradient(ellipse_at_50%_40%,var(--sheet),var(--paper)_75%)]">
      <div ref="home" class="absolute inset-0" data-test="glance" :data-shown="shown" />
      <img v-if="!glance?.scene && picture" :src="`/api/blobs/${picture}`" alt="" class="absolute inset-0 size-full object-contain" />
      <p v-if="!glance?.scene && !glance?.problem && !picture" class="absolute inset-0 flex items-center justify-center text-[13px] text-faint">Opening…</p>
      <p v-if="glance?.problem || failed" class="absolute inset-x-3 bottom-3 rounded-md bg-brick-soft px-2 py-1 text-[12.5px] text-brick">{{ glance?.problem || failed }}</p>
    </div>
    <p v-if="glance?.facts" class="border-t border-line px-4 py-2 text-[12.5px]">
      <span class="num">{{ count(glance.facts.triangles) }}</span> triangles, {{ glance.facts.parts }} {{ glance.facts.parts === 1 ? 'part' : 'parts' }}<span class="num block text-faint">{{ glance.facts.size.map(length).join(' × ') }}</span>
      <span v-if="glance.facts.joints">, {{ glance.facts.joints }} joints</span><span v-if="glance.facts.clips.length">, {{ glance.facts.clips.length }} clips</span>
      <span v-if="glance.facts.notes.length" class="block text-marigold">{{ glance.facts.notes[0] }}</span>
    </p>
  </div>
</template>
