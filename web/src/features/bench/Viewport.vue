<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { theStage, type Look, type Stage } from '../../viewer/stage'
import { told } from '../../model/words'

const { scene, hidden, keep } = defineProps<{ scene: string | undefined; hidden: Set<string>; keep: string }>()
const emit = defineEmits<{ pick: [part: string | null] }>()
const home = ref<HTMLElement>()
const place = () => `pruxel.look.${keep}`
const look = ref<Look>((sessionStorage.getItem(place()) as Look | null) ?? 'textured')
const shown = ref('')
const failed = ref('')
let stage: Stage | null = null
let pressedAt = { x: 0, y: 0 }

async function show() {
  if (!stage || !scene || shown.value === scene) return
  const wanted = scene
  try {
    failed.value = ''
    stage.setVisible(hidden)
    if (await stage.show(wanted)) shown.value = wanted
  } catch (error) {
    failed.value = told(error)
  }
}

function setLook(wanted: Look) {
  look.value = wanted
  sessionStorage.setItem(place(), wanted)
  stage?.setLook(wanted)
}

// A press without a drag chooses the part under it.
function released(event: PointerEvent) {
  if (!stage || Math.hypot(event.clientX - pressedAt.x, event.clientY - pressedAt.y) > 4) return
  const box = home.value!.getBoundingClientRect()
  emit('pick', stage.pick((event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height))
}

onMounted(() => {
  try {
    stage = theStage()
    stage.attach(home.value!)
    stage.setLook(look.value)
  } catch {
    failed.value = 'This browser gives no WebGL, which the viewport needs. Everything else works.'
  }
  void show()
})
onBeforeUnmount(() => stage?.detach())
watch(() => scene, show)
watch(
  () => hidden,
  (value) => stage?.setVisible(value),
  { deep: true },
)
defineExpose({ fit: () => stage?.fit(), setLook })
const looks: [Look, string][] = [
  ['textured', 'Textured'],
  ['flat', 'Flat-lit'],
  ['wire', 'Wire'],
]
</script>

<template>
  <div class="absolute inset-0 bg-[radial-gradient(ellipse_at_50%_40%,var(--sheet),var(--paper)_70%)]">
    <div
      ref="home"
      class="absolute inset-0"
      data-test="viewport"
      :data-shown="shown"
      @pointerdown="pressedAt = { x: $event.clientX, y: $event.clientY }"
      @pointerup="released"
    />
    <p
      v-if="failed"
      class="absolute inset-x-8 top-1/3 rounded-lg border border-line bg-sheet p-4 text-center text-[13px]"
      role="alert"
    >
      {{ failed }}
    </p>
    <div class="absolute right-3 bottom-3 flex items-center gap-2">
      <span class="rounded bg-sheet/80 px-2 py-1 text-[12px] text-faint">
        <span class="hatch mr-1.5 inline-block size-3 rounded-sm align-[-2px]" />seen from behind
      </span>
      <div class="flex overflow-hidden rounded-md border border-line bg-sheet" role="group" aria-label="Look">
        <button
          v-for="[name, title] in looks"
          :key="name"
          class="px-2.5 py-1 text-[12.5px]"
          :class="look === name ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
          :aria-pressed="look === name"
          @click="setLook(name)"
        >
          {{ title }}
        </button>
      </div>
      <button class="button py-1 text-[12.5px]" title="Fit the model in the frame (f)" @click="stage?.fit()">
        Fit
      </button>
    </div>
  </div>
</template>

<style scoped>
.hatch {
  background: repeating-linear-gradient(-45deg, #c9775b 0 3px, #f0d9c8 3px 6px);
}
</style>
