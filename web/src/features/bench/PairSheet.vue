<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import type { JointsMet } from '../../api/fitting'
import Sheet from '../../components/Sheet.vue'
import { SURE } from '../../model/pairs'
import SkeletonFigure from './SkeletonFigure.vue'

// Both skeletons side by side, as they rest: a joint of the clips is chosen on one, the joint that it moves on the other.
const { met, said } = defineProps<{ met: JointsMet; said: Map<string, string> }>()
const emit = defineEmits<{ choose: [theirs: string, ours: string | undefined]; close: [] }>()
const chosen = ref(met.theirs.find(({ moves }) => moves)?.name ?? met.theirs[0]?.name ?? '')
const over = ref('')
const turn = ref(0)
const pairs = computed(() => new Map(met.pairs.map((pair) => [pair.source, pair])))
const back = computed(() => new Map(met.pairs.map((pair) => [pair.target, pair])))
const pair = computed(() => pairs.value.get(chosen.value))

type Look = 'sure' | 'unsure' | 'said' | 'alone'
function lookOf(theirs: string): Look {
  const found = pairs.value.get(theirs)
  if (said.has(theirs)) return 'said'
  return !found ? 'alone' : found.sureness < SURE ? 'unsure' : 'sure'
}
const theirLooks = computed(() => new Map(met.theirs.map(({ name }) => [name, lookOf(name)])))
const ourLooks = computed(
  () =>
    new Map(met.ours.map(({ name }) => [name, back.value.has(name) ? lookOf(back.value.get(name)!.source) : 'alone'])),
)
const WORDS: Record<Look, string> = { sure: 'sure', unsure: 'unsure', said: 'said by hand', alone: 'no partner' }

const table = useTemplateRef<HTMLElement>('table')
async function choose(name: string) {
  if (!name) return
  chosen.value = name
  await nextTick()
  table.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' })
}
function onKey(event: KeyboardEvent) {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (step === undefined) return
  event.preventDefault()
  const names = met.theirs.map(({ name }) => name)
  void choose(names[Math.min(Math.max(names.indexOf(chosen.value) + step, 0), names.length - 1)] ?? '')
}
</script>

<template>
  <Sheet open wide title="Which joint is which" @close="emit('close')">
    <div class="grid grid-cols-[1fr_220px_1fr] gap-3" data-test="pair-sheet">
      <SkeletonFigure
        title="The clips' skeleton"
        :joints="met.theirs"
        :looks="theirLooks"
        :chosen="chosen"
        :near="back.get(over)?.source ?? ''"
        :turn="turn"
        @choose="choose"
        @over="over = pairs.get($event)?.target ?? ''"
      />
      <div class="flex min-h-0 flex-col">
        <p class="mb-1 text-[12px] font-semibold">Joints, and how sure that is</p>
        <ul
          ref="table"
          role="listbox"
          tabindex="0"
          aria-label="Joints of the clips"
          class="h-[314px] overflow-auto rounded-md border border-line text-[12px]"
          data-test="pair-list"
          @keydown="onKey"
        >
          <li
            v-for="{ name } in met.theirs"
            :key="name"
            role="option"
            :aria-selected="name === chosen"
            class="cursor-pointer border-b border-line px-2 py-1 last:border-0"
            :class="name === chosen ? 'bg-sea-soft' : ''"
            tabindex="-1"
            @click="choose(name)"
            @keydown.enter="choose(name)"
          >
            <span class="flex items-baseline gap-1">
              <span class="min-w-0 flex-1 truncate font-mono" :title="name">{{ name }}</span>
              <span class="num" :class="lookOf(name) === 'sure' ? 'text-faint' : 'text-marigold'">
                {{ pairs.get(name) ? `${Math.round(pairs.get(name)!.sureness * 100)} %` : '—' }}
              </span>
            </span>
            <span class="block truncate font-mono text-faint" :title="pairs.get(name)?.target">
              {{ pairs.get(name)?.target ?? 'none' }}
            </span>
          </li>
        </ul>
      </div>
      <SkeletonFigure
        title="This model's skeleton"
        :joints="met.ours"
        :looks="ourLooks"
        :chosen="pair?.target ?? ''"
        :near="over"
        :turn="turn"
        @choose="emit('choose', chosen, $event)"
        @over="over = $event"
      />
    </div>
    <p class="mt-3 min-h-10 text-[13px]" role="status" data-test="pair-words">
      <b class="font-mono">{{ chosen }}</b>
      {{ pair ? 'is taken for' : 'moves none of these' }}
      <b v-if="pair" class="font-mono">{{ pair.target }}</b>
      <span class="text-faint">
        {{ pair ? `${Math.round(pair.sureness * 100)} %, ${pair.why}.` : '.' }}
        Click the joint on the right that it shall move.
      </span>
    </p>
    <div class="mt-2 flex items-center gap-2 text-[12.5px]">
      <label class="flex items-center gap-2">
        Turn
        <input
          v-model.number="turn"
          type="range"
          min="-180"
          max="180"
          step="5"
          class="w-24 accent-sea"
          data-test="pair-turn"
        />
      </label>
      <span v-for="(words, look) in WORDS" :key="look" class="flex items-center gap-1 whitespace-nowrap text-faint">
        <i class="inline-block size-2.5 rounded-full" :class="`joint-${look}`" />{{ words }}
      </span>
      <button
        type="button"
        class="button ml-auto"
        :disabled="!said.has(chosen)"
        data-test="pair-as-found"
        @click="emit('choose', chosen, undefined)"
      >
        As it was found
      </button>
      <button type="button" class="button" :disabled="!pair" data-test="pair-none" @click="emit('choose', chosen, '')">
        Moves none
      </button>
      <button type="button" class="button button-main" @click="emit('close')">Done</button>
    </div>
  </Sheet>
</template>

<style scoped>
.joint-sure {
  background: var(--color-sea);
}
.joint-unsure {
  background: var(--color-marigold);
}
.joint-said {
  background: var(--color-ink);
}
.joint-alone {
  background: transparent;
  border: 1.5px solid var(--color-faint);
}
</style>
