<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { graphOf, type Keys } from '../../model/curves'
import { withBelow, type Joint } from '../../viewer/bones'
import type { Posing } from '../../composables/usePosing'
import JointCurves from './JointCurves.vue'
import JointTurn from './JointTurn.vue'

const { joints, chosen, keys, seconds, playing, posing } = defineProps<{
  joints: Joint[]
  chosen: string
  keys: Keys[]
  seconds: number
  // The name of the clip, if one plays.
  playing: string
  posing: Posing
}>()
const emit = defineEmits<{ choose: [joint: string]; end: [] }>()
const hidden = defineModel<Set<string>>('hidden', { required: true })
const list = ref<HTMLElement>()
const words = ref('')
const away = computed(() => withBelow(joints, hidden.value))
const shown = computed(() => joints.filter((j) => j.name.toLowerCase().includes(words.value.toLowerCase())))
const graphs = computed(() => keys.flatMap((one) => graphOf(one) ?? []))
const idle = computed(() => joints.filter((joint) => joint.idle).length)

function toggle(name: string) {
  const changed = new Set(hidden.value)
  if (!changed.delete(name)) changed.add(name)
  hidden.value = changed
}
watch(
  () => chosen,
  () => void nextTick(() => list.value?.querySelector('[data-chosen]')?.scrollIntoView({ block: 'nearest' })),
)
</script>

<template>
  <section
    class="flex w-60 flex-col rounded-lg border border-line bg-sheet/95 text-[12.5px] shadow-sm"
    aria-label="Joints"
    data-test="joints-panel"
  >
    <header class="flex items-baseline justify-between gap-2 px-3 pt-2">
      <h2 class="heading">Joints</h2>
      <span class="num text-[12px] text-faint">{{ joints.length }}</span>
      <button class="words ml-auto" aria-label="Put the joints away" @click="emit('end')">Close</button>
    </header>
    <p class="flex gap-2.5 px-3 py-1 text-[11.5px] text-faint">
      <span><i class="mr-1 inline-block size-2 rounded-full bg-[#d58a12]" />left</span>
      <span><i class="mr-1 inline-block size-2 rounded-full bg-[#4b5d8f]" />middle</span>
      <span><i class="mr-1 inline-block size-2 rounded-full bg-[#2a8c80]" />right</span>
      <span v-if="idle" title="No vertex follows these"
        ><i class="mr-1 inline-block size-2 rounded-full bg-[#9a958a]" />holds nothing</span
      >
    </p>
    <input
      v-if="joints.length > 12"
      v-model="words"
      class="field mx-3 mb-1 py-0.5"
      placeholder="Search joints"
      aria-label="Search joints"
      autocomplete="off"
    />
    <ul ref="list" class="min-h-16 flex-1 overflow-auto px-1.5 pb-1.5">
      <li
        v-for="joint in shown"
        :key="joint.name"
        class="group flex items-center rounded hover:bg-sunk"
        :class="joint.name === chosen && 'bg-sea-soft'"
        :data-chosen="joint.name === chosen || undefined"
      >
        <button
          class="min-w-0 flex-1 truncate py-0.5 text-left font-mono text-[12px]"
          :class="[away.has(joint.name) && 'text-faint line-through', joint.idle && 'italic']"
          :style="{ paddingLeft: `${6 + Math.min(joint.depth, 9) * 9}px` }"
          :aria-pressed="joint.name === chosen"
          :title="joint.idle ? `${joint.name}: no vertex follows it` : joint.name"
          :data-test="`joint-${joint.name}`"
          @click="emit('choose', joint.name === chosen ? '' : joint.name)"
        >
          {{ joint.name }}
        </button>
        <button
          class="words shrink-0 px-1.5 text-[11.5px]"
          :class="!hidden.has(joint.name) && 'opacity-0 group-hover:opacity-100 focus-visible:opacity-100'"
          :aria-label="`${hidden.has(joint.name) ? 'Show' : 'Hide'} ${joint.name} and all below it`"
          @click="toggle(joint.name)"
        >
          {{ hidden.has(joint.name) ? 'show' : 'hide' }}
        </button>
      </li>
    </ul>
    <div v-if="chosen" class="border-t border-line px-3 py-2" data-test="curves">
      <p class="truncate font-mono text-[12px] font-semibold">{{ chosen }}</p>
      <JointTurn v-if="posing.on.value" :posing="posing" :joint="chosen" />
      <template v-else>
        <JointCurves v-for="graph in graphs" :key="graph.title" :graph="graph" :seconds="seconds" />
        <p v-if="!graphs.length" class="text-faint">
          {{ playing ? `${playing} does not move it.` : 'Choose a clip to see its curves.' }}
        </p>
      </template>
    </div>
  </section>
</template>
