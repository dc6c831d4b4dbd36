<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Described } from '../../api/client'
import Fault from '../../components/Fault.vue'
import RowsTable from '../../components/RowsTable.vue'
import { bytesOf, addressOf } from '../../model/hex'
import { told } from '../../model/words'
import { theStage, type Look, type Stage } from '../../viewer/stage'

// What the layout makes of the file: geometry or a picture where there is some, and in words.
const { described, asking } = defineProps<{ described: Described | undefined; asking: boolean }>()
const emit = defineEmits<{ go: [offset: number] }>()
const home = ref<HTMLElement>()
const shown = ref('')
const failed = ref('')
const look = ref<Look>('textured')
let stage: Stage | null = null
const looks: [Look, string][] = [
  ['textured', 'Textured'],
  ['wire', 'Wire'],
]

async function show() {
  const scene = described?.scene
  if (!stage || !scene || shown.value === scene) return
  try {
    failed.value = ''
    if (await stage.show(scene)) shown.value = scene
  } catch (error) {
    failed.value = told(error)
  }
}
function setLook(wanted: Look) {
  look.value = wanted
  stage?.dress.setLook(wanted)
}
onMounted(() => {
  try {
    stage = theStage()
    stage.attach(home.value!)
    stage.setVisible(new Set())
    stage.dress.setLook(look.value)
  } catch {
    failed.value = 'This browser gives no WebGL, which the view needs. Everything else works.'
  }
  void show()
})
onBeforeUnmount(() => stage?.detach())
watch(() => described?.scene, show)
const around = computed(() => {
  const found = described?.problem?.around
  return found ? { at: found.offset, hex: [...bytesOf(found.hex)].map((b) => b.toString(16).padStart(2, '0')) } : null
})
</script>

<template>
  <div class="relative min-h-0 flex-1 bg-[radial-gradient(ellipse_at_50%_40%,var(--sheet),var(--paper)_75%)]">
    <div
      v-show="described?.scene"
      ref="home"
      class="absolute inset-0"
      data-test="draft-view"
      :data-shown="described?.scene ? shown : ''"
    />
    <div v-if="described?.table && !described.scene" class="absolute inset-x-0 top-0 bottom-8 overflow-auto bg-sheet">
      <RowsTable :table="described.table" />
    </div>
    <div
      v-if="described?.scene"
      class="absolute top-2 right-2 flex overflow-hidden rounded-md border border-line bg-sheet"
    >
      <button
        v-for="[name, title] in looks"
        :key="name"
        class="choice text-[12px]"
        :aria-pressed="look === name"
        @click="setLook(name)"
      >
        {{ title }}
      </button>
    </div>
    <p
      v-if="!described"
      class="absolute inset-0 flex items-center justify-center px-10 text-center text-[13px] text-faint"
    >
      {{ asking ? 'Reading…' : 'What the layout yields is drawn here, anew with every change.' }}
    </p>
    <ul
      v-if="described?.yields.length"
      class="pointer-events-none absolute bottom-2 left-3 max-w-[90%] text-[12px]"
      data-test="yields"
    >
      <li v-for="line in described.yields.slice(0, 5)" :key="line" class="truncate">{{ line }}</li>
      <li v-if="described.yields.length > 5" class="text-faint">and {{ described.yields.length - 5 }} more</li>
    </ul>
    <div
      v-if="described?.faults.length"
      class="absolute inset-x-3 bottom-3 max-h-[85%] overflow-auto rounded-md bg-brick-soft px-3 py-2"
      data-test="draft-faults"
    >
      <Fault :fault="described.faults[0]!" />
    </div>
    <div
      v-else-if="described?.problem || failed"
      class="absolute inset-x-3 bottom-3 max-h-[85%] overflow-auto rounded-md bg-brick-soft px-3 py-2"
      data-test="draft-problem"
    >
      <Fault :fault="described?.problem ?? { message: failed }" />
      <p v-if="around" class="num mt-1 text-[11.5px] [overflow-wrap:anywhere]">
        <button class="underline underline-offset-2" @click="emit('go', described!.problem!.offset ?? around.at)">
          {{ addressOf(around.at) }}
        </button>
        {{ around.hex.join(' ') }}
      </p>
    </div>
  </div>
</template>
