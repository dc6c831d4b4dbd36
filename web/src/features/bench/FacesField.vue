<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import type { Part } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { FAR, useFaces } from '../../composables/useFaces'
import { faceCount, type FaceSet } from '../../model/faces'
import { count } from '../../model/words'

// Faces of parts: clicked or framed on the model, or written as numbers.
const { scene, parts } = defineProps<{ scene: string; parts: Part[]; path: string }>()
const value = defineModel<FaceSet[]>({ required: true })
const { active, chosen, grow, angle, boxing, through, error, begin, end, farther } = useFaces()
const total = computed(() => faceCount(value.value))
const PATTERN = '\\s*(\\d+(-\\d+)?\\s*(,\\s*|$))*'

function write(sets: FaceSet[]) {
  value.value = sets
  if (active.value) begin(scene, sets)
}
function put(i: number, faces: string) {
  write(value.value.map((set, n) => (n === i ? { ...set, faces } : set)))
}
const whole = ref('')
function addAll() {
  const part = parts.find((one) => one.name === whole.value)
  if (!part) return
  const others = value.value.filter((set) => set.part !== part.name)
  write([...others, { part: part.name, faces: `0-${part.triangles - 1}` }])
}
watch(chosen, (now) => active.value && (value.value = now))
onBeforeUnmount(end)
</script>

<template>
  <div :id="path" class="space-y-2 rounded-md border border-line p-2" role="group" aria-label="Faces">
    <div class="flex items-center gap-2">
      <button
        type="button"
        class="button py-1"
        :class="{ 'button-main': active }"
        :aria-pressed="active"
        data-test="choose-faces"
        @click="active ? end() : begin(scene, value)"
      >
        {{ active ? 'Choosing: done' : 'Choose on the model' }}
      </button>
      <span class="num ml-auto text-[12.5px] text-faint" aria-live="polite" data-test="faces-chosen">
        {{ total ? `${count(total)} chosen` : 'all' }}
      </span>
    </div>
    <template v-if="active">
      <div class="flex overflow-hidden rounded-md border border-line" role="group" aria-label="How far a click reaches">
        <button
          v-for="[how, words] in FAR"
          :key="how"
          type="button"
          class="flex-1 px-1 py-1 text-[12px]"
          :class="grow === how ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
          :aria-pressed="grow === how"
          @click="grow = how"
        >
          {{ words }}
        </button>
      </div>
      <label v-if="grow === 'what is level' && !boxing" class="flex items-center gap-2 text-[12.5px]">
        bends by up to
        <input
          v-model.number="angle"
          type="range"
          min="1"
          max="60"
          class="min-w-0 flex-1 accent-(--sea)"
          aria-label="How far it bends, in degrees"
        />
        <span class="num w-8 text-right">{{ angle }}°</span>
      </label>
      <div class="flex flex-wrap items-center gap-x-3 gap-y-1 text-[12.5px]">
        <label class="flex items-center gap-1.5">
          <input v-model="boxing" type="checkbox" class="accent-(--sea)" data-test="box-faces" /> Drag a frame
        </label>
        <label v-if="boxing" class="flex items-center gap-1.5">
          <input v-model="through" type="checkbox" class="accent-(--sea)" /> what looks away too
        </label>
      </div>
      <p class="text-[12px] leading-snug text-faint">
        {{
          boxing
            ? 'What lies wholly in the frame is chosen; with Shift, chosen no longer.'
            : 'A click chooses; on what is chosen it takes away.'
        }}
      </p>
      <div v-if="total" class="flex gap-1.5">
        <button type="button" class="button flex-1 px-1 py-0.5 text-[12.5px]" @click="farther('their neighbours')">
          Neighbours
        </button>
        <button type="button" class="button flex-1 px-1 py-0.5 text-[12.5px]" @click="farther('the whole piece')">
          Pieces
        </button>
        <button type="button" class="button flex-1 px-1 py-0.5 text-[12.5px]" @click="write([])">None</button>
      </div>
      <Problem v-if="error" :error="error" @close="error = null" />
    </template>
    <div v-for="(set, i) in value" :key="set.part" class="text-[12.5px]">
      <label class="mb-0.5 block truncate text-faint" :for="`${path}-${i}`">{{ set.part }}</label>
      <input
        :id="`${path}-${i}`"
        class="field num w-full px-2 py-1 text-[12.5px]"
        :value="set.faces"
        :pattern="PATTERN"
        title="Numbers and ranges: 0-11, 40"
        @change="put(i, ($event.target as HTMLInputElement).value)"
      />
    </div>
    <div class="flex gap-1.5">
      <select
        v-model="whole"
        class="field min-w-0 flex-1 px-1 py-1 text-[12.5px]"
        aria-label="A part, all of it"
        data-test="all-of"
      >
        <option value="">All of a part…</option>
        <option v-for="part in parts" :key="part.name" :value="part.name">{{ part.name }}</option>
      </select>
      <button type="button" class="button py-0.5 text-[12.5px]" :disabled="!whole" data-test="add-all" @click="addAll">
        Add
      </button>
    </div>
  </div>
</template>
