<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { told } from '../../model/words'
import { AT_FIRST, GROUNDS, kept, type Viewing } from '../../model/viewing'
import { CHANNELS, type Channel } from '../../viewer/channels'
import { theStage, type Look, type Stage } from '../../viewer/stage'
import ViewLegend from './ViewLegend.vue'
import ViewMenu from './ViewMenu.vue'

const { scene, hidden, keep, name } = defineProps<{
  scene: string | undefined
  hidden: Set<string>
  keep: string
  name: string
}>()
const emit = defineEmits<{ pick: [part: string | null] }>()
const home = ref<HTMLElement>()
const place = () => `pruxel.look.${keep}`
const viewing = ref<Viewing>(kept(sessionStorage.getItem(place())))
const shown = ref('')
const failed = ref('')
const joints = ref<string[]>([])
const square = ref(1)
const measuring = ref(false)
const distance = ref<number | null>(null)
const channel = computed(() => CHANNELS.find(([one]) => one === viewing.value.look)?.[0] ?? '')
let stage: Stage | null = null
let pressedAt = { x: 0, y: 0 }
let lightFrom: number | null = null

async function show() {
  if (!stage || !scene || shown.value === scene) return
  const wanted = scene
  try {
    failed.value = ''
    stage.setVisible(hidden)
    if (!(await stage.show(wanted))) return
    shown.value = wanted
    joints.value = stage.joints()
    if (!joints.value.includes(viewing.value.joint)) viewing.value = { ...viewing.value, joint: joints.value[0] ?? '' }
    square.value = stage.square
    distance.value = null
  } catch (error) {
    failed.value = told(error)
  }
}

function use(now: Viewing) {
  stage?.setLook(now.look, now.joint)
  stage?.setBacks(now.backs)
  stage?.setWires(now.wires)
  stage?.setGuides(now)
  stage?.setParallel(now.parallel)
}
// The list gives the keyboard back, so that a letter is a key of the Bench again.
function chosen(list: HTMLSelectElement) {
  setLook((list.value || 'textured') as Channel | 'textured')
  list.blur()
}
const setLook = (look: Look) => (viewing.value = { ...viewing.value, look })

const across = (event: PointerEvent): [number, number] => {
  const box = home.value!.getBoundingClientRect()
  return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height]
}
// A press without a drag chooses the part under it, or the next point of a measurement; with Alt a drag turns the light.
function pressed(event: PointerEvent) {
  pressedAt = { x: event.clientX, y: event.clientY }
  if (!event.altKey) return
  lightFrom = event.clientX
  event.stopPropagation()
}
function moved(event: PointerEvent) {
  if (lightFrom === null) return
  event.stopPropagation()
  stage?.turnLight((event.clientX - lightFrom) * 0.01)
  lightFrom = event.clientX
}
function released(event: PointerEvent) {
  const turned = lightFrom !== null
  lightFrom = null
  if (!stage || turned || Math.hypot(event.clientX - pressedAt.x, event.clientY - pressedAt.y) > 4) return
  if (measuring.value) distance.value = stage.measure(...across(event))
  else emit('pick', stage.pick(...across(event)))
}
function measure(on = !measuring.value) {
  measuring.value = on
  distance.value = null
  stage?.endMeasuring()
}
async function savePicture() {
  const made = await stage?.picture()
  if (!made) return
  const link = document.createElement('a')
  link.href = URL.createObjectURL(made)
  link.download = `${name}.png`
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}

onMounted(() => {
  try {
    stage = theStage()
    stage.attach(home.value!)
    use(viewing.value)
  } catch {
    failed.value = 'This browser gives no WebGL, which the viewport needs. Everything else works.'
  }
  void show()
})
onBeforeUnmount(() => {
  stage?.endMeasuring()
  // Others that use it show things as they are.
  use(AT_FIRST)
  stage?.detach()
})
watch(() => scene, show)
watch(viewing, (now) => {
  sessionStorage.setItem(place(), JSON.stringify(now))
  use(now)
})
watch(
  () => hidden,
  (value) => stage?.setVisible(value),
  { deep: true },
)
const turnLight = (by: number) => stage?.turnLight(by)
const toggle = (flag: 'wires' | 'grid' | 'person' | 'parallel') =>
  (viewing.value = { ...viewing.value, [flag]: !viewing.value[flag] })
defineExpose({ fit: () => stage?.fit(), setLook, turnLight, measure, toggle })
const looks: [Look, string][] = [
  ['textured', 'Textured'],
  ['flat', 'Flat-lit'],
  ['wire', 'Wire'],
]
</script>

<template>
  <div class="absolute inset-0" :style="{ background: GROUNDS[viewing.ground] }">
    <div
      ref="home"
      class="absolute inset-0"
      :class="{ 'cursor-crosshair': measuring }"
      data-test="viewport"
      :data-shown="shown"
      @pointerdown.capture="pressed"
      @pointermove.capture="moved"
      @pointerup="released"
    />
    <p
      v-if="failed"
      class="absolute inset-x-8 top-1/3 rounded-lg border border-line bg-sheet p-4 text-center text-[13px]"
      role="alert"
    >
      {{ failed }}
    </p>
    <ViewLegend
      v-model="viewing"
      class="absolute bottom-3 left-3"
      :joints="joints"
      :square="square"
      :measuring="measuring"
      :distance="distance"
      @end="measure(false)"
    />
    <div class="absolute right-3 bottom-3 flex items-center gap-2">
      <div class="flex overflow-hidden rounded-md border border-line bg-sheet" role="group" aria-label="Look">
        <button
          v-for="[one, title] in looks"
          :key="one"
          class="px-2.5 py-1 text-[12.5px]"
          :class="viewing.look === one ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
          :aria-pressed="viewing.look === one"
          @click="setLook(one)"
        >
          {{ title }}
        </button>
        <select
          class="max-w-40 border-l border-line bg-sheet px-1.5 py-1 text-[12.5px]"
          :class="{ 'bg-sea-soft font-semibold text-sea': channel }"
          :value="channel"
          aria-label="One channel"
          data-test="channel"
          @change="chosen($event.target as HTMLSelectElement)"
        >
          <option value="">One channel…</option>
          <option v-for="[one, title] in CHANNELS" :key="one" :value="one">{{ title }}</option>
        </select>
      </div>
      <ViewMenu
        v-model="viewing"
        @from="stage?.viewFrom($event)"
        @light="turnLight"
        @measure="measure(true)"
        @picture="savePicture"
      />
      <button class="button py-1 text-[12.5px]" title="Fit the model in the frame (f)" @click="stage?.fit()">
        Fit
      </button>
    </div>
  </div>
</template>
