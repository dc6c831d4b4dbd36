<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { api, type Glance } from '../../../api/client'
import Fault from '../../../components/Fault.vue'
import { useEvents } from '../../../composables/useEvents'
import { usePlaying } from '../../../composables/usePlaying'
import { count, extent, told } from '../../../model/words'
import { theStage, type Stage } from '../../../viewer/stage'
import ClipList from './ClipList.vue'

const { glanceKey, project, kind, picture } = defineProps<{
  glanceKey: string
  project: string
  kind: string
  picture: string | null
}>()
const emit = defineEmits<{ go: [path: string]; with: [path: string] }>()
const home = ref<HTMLElement>()
const glance = shallowRef<Glance>()
const shown = ref('')
const failed = ref('')
const blind = ref(false)
const calm = matchMedia('(prefers-reduced-motion: reduce)').matches
let stage: Stage | null = null
const playing = usePlaying(
  () => glance.value?.facts?.clips ?? [],
  (stand) => void stage?.pose(stand).catch((error: unknown) => (failed.value = told(error))),
)
const { number, clock } = playing

async function look() {
  const wanted = glanceKey
  const found = await api.glance(project, wanted).catch(() => undefined)
  if (wanted !== glanceKey || !found) return
  glance.value = found
  const scene = found.scene
  if (!scene || !stage || shown.value === scene) return
  try {
    if (!(await stage.show(scene)) || wanted !== glanceKey) return
    shown.value = scene
    playing.choose(-1)
    stage.turn(kind !== 'clips')
    if (kind === 'clips' && found.facts?.clips.length) calm ? playing.choose(0) : playing.play()
  } catch (error) {
    failed.value = told(error)
  }
}

function play(wanted: number) {
  if (wanted !== number.value) playing.choose(wanted)
  playing.play()
}
function hold(wanted: number, seconds: number) {
  if (wanted !== number.value) playing.choose(wanted)
  playing.hold(seconds)
}

onMounted(() => {
  try {
    stage = theStage()
    stage.attach(home.value!)
    stage.setVisible(new Set())
    stage.dress.setLook('textured')
  } catch {
    blind.value = true
  }
  void look()
})
onBeforeUnmount(() => stage?.detach())
watch(
  () => glanceKey,
  () => {
    glance.value = undefined
    failed.value = ''
    void look()
  },
)
useEvents((event) => {
  if (event.reconnected || (event.job?.kind === 'glance' && event.job.status !== 'running')) void look()
})
</script>

<template>
  <div>
    <div class="relative aspect-[4/3] bg-[radial-gradient(ellipse_at_50%_40%,var(--sheet),var(--paper)_75%)]">
      <div ref="home" class="absolute inset-0" data-test="glance" :data-shown="shown" />
      <img
        v-if="(blind || !glance?.scene) && picture"
        :src="`/api/blobs/${picture}`"
        alt=""
        class="absolute inset-0 size-full object-contain"
      />
      <p
        v-if="!glance?.scene && !glance?.problem && !picture"
        class="absolute inset-0 flex items-center justify-center text-[13px] text-faint"
      >
        Opening…
      </p>
      <div
        v-if="glance?.problem || failed || blind"
        class="absolute inset-x-3 bottom-3 max-h-full overflow-auto rounded-md bg-brick-soft px-2 py-1"
        data-test="look-problem"
      >
        <Fault
          :fault="glance?.problem ?? { message: failed || 'This browser gives no WebGL; the picture stands in.' }"
        />
      </div>
    </div>
    <div v-if="glance?.facts" class="border-t border-line text-[12.5px]">
      <ClipList
        v-if="glance.facts.clips.length"
        :clips="glance.facts.clips"
        :active="number"
        :running="clock.running"
        :time="clock.seconds"
        :still="!glance.scene"
        @play="play"
        @hold="hold"
      />
      <p v-if="kind === 'clips'" class="px-4 py-2 text-faint" data-test="played-on">
        <template v-if="glance.facts.played_on">
          Played on
          <button class="font-mono text-[12px] text-sea hover:underline" @click="emit('go', glance.facts.played_on)">
            {{ glance.facts.played_on }}</button>, which has these joints.
          <button
            class="button button-main mt-2 block py-1"
            data-test="open-both"
            @click="emit('with', glance.facts.played_on)"
          >
            Open both on the Bench
          </button>
        </template>
        <template v-else
          >No model or skeleton near these clips has their joints, so they cannot be shown moving.</template
        >
      </p>
      <p v-else-if="kind !== 'skeleton'" class="px-4 py-2">
        <span class="num">{{ count(glance.facts.triangles) }}</span> triangles, {{ glance.facts.parts }}
        {{ glance.facts.parts === 1 ? 'part' : 'parts'
        }}<template v-if="glance.facts.joints.length">, {{ glance.facts.joints.length }} joints</template>
        <span class="num block text-faint">{{ extent(glance.facts.size) }}</span>
        <span v-if="glance.facts.notes.length" class="block text-marigold">{{ glance.facts.notes[0] }}</span>
      </p>
      <div v-else class="px-4 py-2" data-test="joints">
        <p class="mb-1 font-semibold">{{ glance.facts.joints.length }} joints</p>
        <ul class="max-h-56 overflow-auto font-mono text-[12px] leading-5">
          <li
            v-for="(joint, n) in glance.facts.joints"
            :key="n"
            class="truncate"
            :style="{ paddingLeft: `${Math.min(joint.depth, 14) * 12}px` }"
          >
            <span v-if="joint.depth" class="mr-1 text-faint" aria-hidden="true">╰</span>{{ joint.name }}
          </li>
        </ul>
      </div>
    </div>
  </div>
</template>
