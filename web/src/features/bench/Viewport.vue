<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { ClipFacts } from '../../api/client'
import { useBones } from '../../composables/useBones'
import { useFaces } from '../../composables/useFaces'
import { useKeys } from '../../composables/useKeys'
import { usePlaying } from '../../composables/usePlaying'
import { usePosing } from '../../composables/usePosing'
import { told } from '../../model/words'
import { AT_FIRST, GROUNDS, kept, type Viewing } from '../../model/viewing'
import { CHANNELS, type Channel } from '../../viewer/channels'
import type { Stand } from '../../viewer/motion'
import { theStage, type Look, type Stage } from '../../viewer/stage'
import { jointsOf, partsOf } from '../../viewer/parts'
import JointsPanel from './JointsPanel.vue'
import PlayBar from './PlayBar.vue'
import PoseBar from './PoseBar.vue'
import ViewLegend from './ViewLegend.vue'
import ViewMenu from './ViewMenu.vue'
import WipeLine from './WipeLine.vue'

const { scene, clips, jointed, beside, hidden, chosen, keep, name, wiping, apart } = defineProps<{
  scene: string | undefined
  clips: ClipFacts[]
  // How many joints hold it: what clips could be brought onto.
  jointed: number
  // Another state of it, left of a line that one moves; none where it is empty.
  beside: string
  hidden: Set<string>
  chosen: string[]
  keep: string
  name: string
  wiping: boolean
  // Both whole, side by side, and not parted by a line.
  apart: boolean
}>()
// `more`: beside what is chosen already.
const emit = defineEmits<{
  pick: [parts: string[], more: boolean]
  wipe: []
  step: [step: string, params: Record<string, unknown>]
  bring: []
}>()
const home = ref<HTMLElement>()
const place = () => `pruxel.look.${keep}`
const viewing = ref<Viewing>(kept(sessionStorage.getItem(place())))
const shown = ref('')
const failed = ref('')
const joints = ref<string[]>([])
const faces = useFaces()
const frame = ref<{ left: number; top: number; width: number; height: number } | null>(null)
const square = ref(1)
const measuring = ref(false)
const distance = ref<number | null>(null)
const channel = computed(() => CHANNELS.find(([one]) => one === viewing.value.look)?.[0] ?? '')
let stage: Stage | null = null
const playing = usePlaying(
  () => clips,
  (wanted) => void stand(wanted),
  `pruxel.motion.${keep}`,
)
const bones = useBones(
  () => stage,
  () => playing.number.value,
)
const posing = usePosing(
  () => stage,
  () => shown.value,
  () => bones.chosen.value,
  () => ({ clip: playing.clip.value?.name ?? '', at: playing.clock.value.seconds }),
)
function beginPose() {
  if (playing.bound.value) playing.choose(-1)
  playing.hold()
  playing.fade('')
  bones.on.value = true
  posing.begin()
}
function endPose() {
  posing.end()
  void stand(playing.moments.value)
}
function keepPose(params: Record<string, unknown>) {
  emit('step', 'pose', params)
  endPose()
  playing.name.value = String(params.name)
}
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
    posing.end()
    bones.use()
    await stand(playing.moments.value)
    joints.value = jointsOf(stage.drawn)
    if (!joints.value.includes(viewing.value.joint)) viewing.value = { ...viewing.value, joint: joints.value[0] ?? '' }
    square.value = stage.square
    mark()
    distance.value = null
  } catch (error) {
    failed.value = told(error)
  }
}

async function stand(wanted: Stand) {
  try {
    await stage?.pose(wanted)
    bones.read()
  } catch (error) {
    failed.value = told(error)
  }
}

function use(now: Viewing) {
  stage?.dress.setLook(now.look, now.joint)
  stage?.dress.setBacks(now.backs)
  stage?.dress.setWires(now.wires)
  stage?.setGuides(now)
  stage?.setParallel(now.parallel)
}
// The list gives the keyboard back, so that a letter is a key of the Bench again.
function lookAt(list: HTMLSelectElement) {
  setLook((list.value || 'textured') as Channel | 'textured')
  list.blur()
}
const setLook = (look: Look) => (viewing.value = { ...viewing.value, look })

const across = (event: PointerEvent): [number, number] => {
  const box = home.value!.getBoundingClientRect()
  return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height]
}
// A press without a drag chooses the part under it, or the next point of a measurement; a drag with Shift chooses the
// parts in a frame; with Alt it turns the light.
function pressed(event: PointerEvent) {
  pressedAt = { x: event.clientX, y: event.clientY }
  if (framing(event) && event.button === 0) {
    frame.value = { left: 0, top: 0, width: 0, height: 0 }
    event.stopPropagation()
    home.value?.setPointerCapture(event.pointerId)
    return
  }
  if (!event.altKey) return
  lightFrom = event.clientX
  event.stopPropagation()
}
function moved(event: PointerEvent) {
  if (frame.value) {
    event.stopPropagation()
    frame.value = dragged(event)
    return
  }
  if (lightFrom === null) {
    if (!event.buttons) bones.point(...across(event), event.offsetX, event.offsetY)
    return
  }
  event.stopPropagation()
  stage?.turnLight((event.clientX - lightFrom) * 0.01)
  lightFrom = event.clientX
}
function released(event: PointerEvent) {
  const framed = frame.value
  frame.value = null
  if (framed && framed.width > 4 && framed.height > 4) return chooseWithin(framed, event.shiftKey)
  const turned = lightFrom !== null
  lightFrom = null
  if (!stage || stage.handled || turned || Math.hypot(event.clientX - pressedAt.x, event.clientY - pressedAt.y) > 4)
    return
  if (measuring.value) {
    distance.value = stage.measure(...across(event))
    return
  }
  if (!faces.active.value && bones.pick(...across(event))) return
  const met = stage.hit(...across(event))
  if (!faces.active.value) emit('pick', met ? [met.part] : [], event.shiftKey || event.ctrlKey || event.metaKey)
  else if (met && met.face >= 0) void faces.at(met.part, met.face)
}

// While faces are chosen in a frame, a drag draws one; the wheel and the right button move the eye as always.
const framing = (event: PointerEvent) => (faces.active.value ? faces.boxing.value : event.shiftKey && !measuring.value)
function dragged(event: PointerEvent) {
  const box = home.value!.getBoundingClientRect()
  const [left, right] = [pressedAt.x, event.clientX].sort((a, b) => a - b) as [number, number]
  const [top, low] = [pressedAt.y, event.clientY].sort((a, b) => a - b) as [number, number]
  return { left: left - box.left, top: top - box.top, width: right - left, height: low - top }
}
function chooseWithin({ left, top, width, height }: NonNullable<typeof frame.value>, away: boolean) {
  const { clientWidth, clientHeight } = home.value!
  const clip = (value: number) => Math.min(Math.max(value, -1), 1)
  const x = (at: number) => clip((at / clientWidth) * 2 - 1)
  const y = (at: number) => clip(1 - (at / clientHeight) * 2)
  const sides = { left: x(left), right: x(left + width), top: y(top), bottom: y(top + height) }
  if (!faces.active.value) return emit('pick', stage!.partsWithin(sides), true)
  const shown = partsOf(stage!.drawn).filter((part) => !hidden.has(part))
  void faces.inWindow({ clip_from_world: stage!.clipFromWorld(), ...sides }, shown, away)
}
const mark = () => (faces.active.value ? stage?.mark(faces.chosen.value, []) : stage?.mark([], chosen))
watch([faces.chosen, faces.active, () => chosen], mark)
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
    stage.part(apart ? null : parting.value)
    stage.attach(home.value!)
    use(viewing.value)
  } catch {
    failed.value = 'This browser gives no WebGL, which the viewport needs. Everything else works.'
  }
  void show()
})
onBeforeUnmount(() => {
  stage?.endMeasuring()
  void stage?.beside('')
  // Others that use it show things as they are.
  use(AT_FIRST)
  stage?.detach()
})
const parting = ref(0.5)
async function showBeside() {
  try {
    await stage?.beside(shown.value ? beside : '')
  } catch (error) {
    failed.value = told(error)
  }
}
watch(() => scene, show)
watch([() => beside, shown], showBeside)
watch([parting, () => apart], () => stage?.part(apart ? null : parting.value))
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
useKeys('Play', [
  ['s', 'Joints over the model', () => (bones.on.value = !bones.on.value)],
  ['k', 'Pose by hand', () => (clips.length || jointed) && !posing.on.value && beginPose()],
])
defineExpose({ fit: () => stage?.fit(), setLook, turnLight, measure, toggle })
const looks: [Look, string][] = [
  ['textured', 'Textured'],
  ['flat', 'Flat-lit'],
  ['wire', 'Wire'],
]
</script>

<template>
  <div class="absolute inset-0 flex flex-col">
    <div class="relative min-h-0 flex-1" :style="{ background: GROUNDS[viewing.ground] }">
      <div
        ref="home"
        class="absolute inset-0"
        :class="{ 'cursor-crosshair': measuring || faces.active.value }"
        data-test="viewport"
        :data-shown="shown"
        @pointerdown.capture="pressed"
        @pointermove.capture="moved"
        @pointerup="released"
      />
      <div
        v-if="frame"
        class="pointer-events-none absolute border-2 border-marigold bg-marigold/15"
        :style="{
          left: `${frame.left}px`,
          top: `${frame.top}px`,
          width: `${frame.width}px`,
          height: `${frame.height}px`,
        }"
      />
      <WipeLine v-if="beside && !apart" v-model="parting" />
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
            @change="lookAt($event.target as HTMLSelectElement)"
          >
            <option value="">One channel…</option>
            <option v-for="[one, title] in CHANNELS" :key="one" :value="one">{{ title }}</option>
          </select>
        </div>
        <button
          class="button py-1 text-[12.5px]"
          :class="{ 'bg-sea-soft font-semibold text-sea': wiping }"
          :aria-pressed="wiping"
          title="Compare with before the last step (c)"
          data-test="compare"
          @click="emit('wipe')"
        >
          Compare
        </button>
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
      <p
        v-if="bones.pointed.value.name"
        class="pointer-events-none absolute z-10 rounded bg-ink px-1.5 py-0.5 font-mono text-[12px] text-paper"
        :style="{ left: `${bones.pointed.value.x + 14}px`, top: `${bones.pointed.value.y - 10}px` }"
        data-test="pointed-joint"
      >
        {{ bones.pointed.value.name }}
      </p>
      <JointsPanel
        v-if="bones.on.value"
        v-model:hidden="bones.hidden.value"
        class="absolute top-14 right-3 bottom-14"
        :joints="bones.joints.value"
        :chosen="bones.chosen.value"
        :keys="bones.keys.value"
        :seconds="playing.clock.value.seconds"
        :playing="playing.clip.value?.name ?? ''"
        :posing="posing"
        @choose="bones.chosen.value = $event"
        @end="bones.on.value = false"
      />
    </div>
    <PoseBar
      v-if="posing.on.value"
      :posing="posing"
      :joint="bones.chosen.value"
      :taken="clips.map((clip) => clip.name)"
      @keep="keepPose"
      @end="endPose"
    />
    <PlayBar
      v-else-if="clips.length || jointed"
      v-bind="{ clips, playing, keep, scene: shown }"
      :bones="bones.on.value"
      @bones="bones.on.value = !bones.on.value"
      @pose="beginPose"
      @step="(step, params) => emit('step', step, params)"
      @bring="emit('bring')"
    />
  </div>
</template>
