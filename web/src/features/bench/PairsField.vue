<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { fitting, type JointsMet } from '../../api/fitting'
import { corrected, saidOf, SURE } from '../../model/pairs'
import { told } from '../../model/words'
import PairSheet from './PairSheet.vue'

// Which joint of the clips is which here: what is found, how surely and why, and what somebody says instead.
const { scene, project, entry, workpiece } = defineProps<{
  scene: string
  project: string
  entry: string
  workpiece: string
  path: string
}>()
const lines = defineModel<string[]>({ required: true })
const met = shallowRef<JointsMet>()
const failed = ref('')
const all = ref(false)
const open = ref(false)
const kept = ref(false)
let asked = 0
let begun = false

async function ask() {
  const mine = ++asked
  if (!scene || !(entry || workpiece)) {
    met.value = undefined
    return
  }
  try {
    const found = await fitting.meet(scene, { project, entry, workpiece, said: lines.value })
    if (mine !== asked) return
    met.value = found
    failed.value = ''
    // What the profile knows of these two stands in the step, so that the step says all that it does.
    if (!begun && found.known.length && !lines.value.length) lines.value = found.known
    begun = true
  } catch (problem) {
    if (mine !== asked) return
    met.value = undefined
    failed.value = told(problem)
  }
}
// Other clips, other pairs that are known of them.
watch([() => entry, () => workpiece], () => (begun = false))
let waiting: ReturnType<typeof setTimeout> | undefined
watch(
  [() => scene, () => entry, () => workpiece, lines],
  () => {
    clearTimeout(waiting)
    waiting = setTimeout(() => void ask(), 300)
  },
  { immediate: true },
)

const said = computed(() => saidOf(lines.value))
const pairs = computed(() => new Map(met.value?.pairs.map((pair) => [pair.source, pair])))
// What nobody needs to look at is what is sure, and what no clip moves.
const rows = computed(() =>
  (met.value?.theirs ?? []).filter(({ name, moves }) => {
    const pair = pairs.value.get(name)
    return all.value || said.value.has(name) || (moves && (!pair || pair.sureness < SURE))
  }),
)
const moved = computed(() => met.value?.theirs.filter(({ moves }) => moves) ?? [])
const meets = computed(() => moved.value.filter(({ name }) => pairs.value.has(name)).length)
const ours = computed(() => met.value?.ours.map(({ name }) => name) ?? [])
const unkept = computed(() => lines.value.some((line) => !met.value?.known.includes(line)))
watch(lines, () => (kept.value = false))
async function keep() {
  try {
    await fitting.keep(project, lines.value)
    kept.value = true
    await ask()
  } catch (problem) {
    failed.value = told(problem)
  }
}
const AS_FOUND = '\n'
function choose(theirs: string, mine: string) {
  lines.value = corrected(lines.value, theirs, mine === AS_FOUND ? undefined : mine)
}
</script>

<template>
  <div :id="path" class="text-[12.5px]" data-test="pairs">
    <p v-if="failed" class="text-brick" role="alert">{{ failed }}</p>
    <p v-else-if="!entry && !workpiece" class="text-faint">Choose the clips first.</p>
    <p v-else-if="!met" class="text-faint" role="status">Looking for joints that are the same…</p>
    <template v-else>
      <p class="mb-1">
        <span class="num">{{ meets }}</span> of <span class="num">{{ moved.length }}</span> joints that move are met.
        <button type="button" class="words" data-test="all-pairs" @click="all = !all">
          {{ all ? 'Only what is unsure' : 'Show all' }}
        </button>
      </p>
      <p class="mb-2 flex flex-wrap items-center gap-2">
        <button type="button" class="button py-0.5" data-test="both-skeletons" @click="open = true">
          On both skeletons…
        </button>
        <button
          v-if="lines.length && unkept"
          type="button"
          class="words"
          title="In the game's profile, for every model with these joints"
          data-test="keep-pairs"
          @click="keep"
        >
          Keep in the profile
        </button>
        <span v-if="kept" class="text-faint" role="status">Kept.</span>
      </p>
      <ul v-if="rows.length" class="max-h-72 space-y-1.5 overflow-auto">
        <li v-for="{ name } in rows" :key="name" :data-test="`pair-${name}`">
          <label class="block">
            <span class="flex items-baseline gap-2">
              <span class="min-w-0 flex-1 truncate font-mono text-[12px]" :title="name">{{ name }}</span>
              <span
                v-if="pairs.get(name)"
                class="num shrink-0"
                :class="pairs.get(name)!.sureness < SURE ? 'text-marigold' : 'text-faint'"
                >{{ Math.round(pairs.get(name)!.sureness * 100) }} %</span
              >
            </span>
            <select
              class="field w-full py-0.5 font-mono text-[12px]"
              :value="said.has(name) ? said.get(name) : AS_FOUND"
              :title="pairs.get(name)?.why ?? 'nothing here is like it'"
              @change="choose(name, ($event.target as HTMLSelectElement).value)"
            >
              <option :value="AS_FOUND">
                {{ said.has(name) ? 'as it is found' : (pairs.get(name)?.target ?? 'none') }}
              </option>
              <option value="">moves none</option>
              <option v-for="one in ours" :key="one" :value="one">{{ one }}</option>
            </select>
            <span class="text-faint">{{ pairs.get(name)?.why ?? 'nothing here is like it' }}</span>
          </label>
        </li>
      </ul>
      <PairSheet
        v-if="open"
        :met="met"
        :said="said"
        @choose="(theirs, mine) => choose(theirs, mine ?? AS_FOUND)"
        @close="open = false"
      />
    </template>
  </div>
</template>
