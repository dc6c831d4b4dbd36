<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { Part } from '../../api/client'
import { GROUPINGS, grouped, type Grouping } from '../../model/parts'
import { count, extent } from '../../model/words'

const MANY = 8

const { parts, chosen } = defineProps<{ parts: Part[]; chosen: string[] }>()
const emit = defineEmits<{
  choose: [parts: string[], more: boolean]
  isolate: []
  putAway: []
  keepShown: []
}>()
const hidden = defineModel<Set<string>>('hidden', { required: true })
const list = ref<HTMLElement>()
const words = ref('')
const by = ref<Grouping>('one list')
const groups = computed(() => grouped(parts, by.value, words.value))
const those = computed(() => parts.filter((part) => chosen.includes(part.name)))
const one = computed(() => (those.value.length === 1 ? those.value[0] : undefined))
const triangles = computed(() => those.value.reduce((sum, part) => sum + part.triangles, 0))
const found = computed(() => groups.value.flatMap(([, some]) => some.map((part) => part.name)))

function toggle(name: string) {
  const changed = new Set(hidden.value)
  if (!changed.delete(name)) changed.add(name)
  hidden.value = changed
}
function show(some: Part[], visible: boolean) {
  const changed = new Set(hidden.value)
  for (const { name } of some) {
    if (visible) changed.delete(name)
    else changed.add(name)
  }
  hidden.value = changed
}
const only = (name: string) => (hidden.value = new Set(parts.filter((p) => p.name !== name).map((p) => p.name)))
const choose = (some: Part[], event: MouseEvent) =>
  emit('choose', names(some), event.shiftKey || event.ctrlKey || event.metaKey)
const names = (some: Part[]) => some.map((part) => part.name)
watch(
  () => chosen,
  () => void nextTick(() => list.value?.querySelector('[data-chosen]')?.scrollIntoView({ block: 'nearest' })),
)
</script>

<template>
  <aside class="flex min-h-0 flex-col" aria-label="Parts">
    <header class="flex items-baseline justify-between px-4 pt-3 pb-1">
      <h2 class="heading">Parts</h2>
      <span v-if="parts.length" class="num text-[12px] text-faint">
        {{ parts.length - hidden.size }} of {{ parts.length }} shown
      </span>
    </header>
    <div v-if="parts.length > MANY" class="flex gap-1.5 px-4 pb-2">
      <input
        v-model="words"
        class="field min-w-0 flex-1 px-2 py-1 text-[13px]"
        placeholder="Find: claw_*"
        aria-label="Find parts"
        data-test="find-parts"
      />
      <select
        v-model="by"
        class="field w-20 px-1 py-1 text-[12.5px]"
        aria-label="Parts together by"
        data-test="group-parts"
      >
        <option v-for="way in GROUPINGS" :key="way">{{ way }}</option>
      </select>
    </div>
    <ul ref="list" class="min-h-0 flex-1 overflow-auto pb-2">
      <template v-for="[title, some] in groups" :key="title">
        <li v-if="title" class="flex min-h-7 items-center gap-2 px-4 pt-1 text-[12px] text-faint">
          <input
            type="checkbox"
            class="size-4 accent-(--sea)"
            :checked="some.some((part) => !hidden.has(part.name))"
            :aria-label="`Show all of ${title}`"
            @change="show(some, ($event.target as HTMLInputElement).checked)"
          />
          <button
            class="min-w-0 flex-1 truncate text-left font-semibold hover:text-sea"
            :title="`Choose all of ${title}`"
            data-test="choose-group"
            @click="choose(some, $event)"
          >
            {{ title }}
          </button>
          <span class="num">{{ some.length }}</span>
        </li>
        <li
          v-for="part in some"
          :key="part.name"
          class="group flex min-h-7 items-center gap-2 px-4"
          :class="chosen.includes(part.name) ? 'bg-sea-soft' : 'hover:bg-sunk'"
          :data-chosen="chosen.includes(part.name) || undefined"
          :title="`${part.name}: ${part.materials.join(', ')}`"
        >
          <input
            :id="`part-${part.name}`"
            type="checkbox"
            class="size-4 accent-(--sea)"
            :checked="!hidden.has(part.name)"
            :data-part="part.name"
            :aria-label="`Show ${part.name}`"
            @change="toggle(part.name)"
          />
          <button
            class="min-w-0 flex-1 truncate py-1 text-left text-[13.5px]"
            :class="hidden.has(part.name) ? 'text-faint' : chosen.includes(part.name) ? 'font-semibold' : ''"
            :aria-pressed="chosen.includes(part.name)"
            :data-choose="part.name"
            @click="choose([part], $event)"
          >
            {{ part.name }}
          </button>
          <span v-if="part.role !== 'visual'" class="rounded bg-marigold-soft px-1 text-[11.5px] text-marigold">
            {{ part.role }}
          </span>
          <span v-else-if="part.detail" class="rounded bg-marigold-soft px-1 text-[11.5px] text-marigold">
            level {{ part.detail }}
          </span>
          <button
            class="sr-only text-[12px] text-sea underline group-hover:not-sr-only focus:not-sr-only"
            :aria-label="`Show only ${part.name}`"
            @click="only(part.name)"
          >
            only
          </button>
          <span class="num text-[12px] text-faint group-hover:hidden group-focus-within:hidden">
            {{ count(part.triangles) }}
          </span>
        </li>
      </template>
      <li v-if="words.trim() && found.length > 1" class="px-4 py-1">
        <button class="text-[12.5px] text-sea underline" data-test="choose-found" @click="emit('choose', found, false)">
          Choose these {{ count(found.length) }}
        </button>
      </li>
      <li v-if="parts.length && !groups.length" class="px-4 py-2 text-[13px] text-faint">No part is called so.</li>
    </ul>
    <dl v-if="one" class="space-y-0.5 border-t border-line px-4 py-2 text-[12.5px]" aria-label="The chosen part">
      <div class="flex justify-between gap-2">
        <dt class="truncate font-semibold" :title="one.name">{{ one.name }}</dt>
        <dd class="flex gap-2">
          <button class="text-sea underline" title="Show it alone (i)" @click="emit('isolate')">alone</button>
          <button class="text-sea underline" title="Put it out of sight (o)" @click="emit('putAway')">hide</button>
        </dd>
      </div>
      <div class="flex justify-between gap-2">
        <dt class="text-faint">Triangles, vertices</dt>
        <dd class="num">{{ count(one.triangles) }}, {{ count(one.vertices) }}</dd>
      </div>
      <div class="flex justify-between gap-2">
        <dt class="text-faint">Size</dt>
        <dd class="num text-right">{{ extent(one.size) }}</dd>
      </div>
      <div class="flex justify-between gap-2">
        <dt class="text-faint">Materials</dt>
        <dd class="truncate text-right" :title="one.materials.join(', ')">{{ one.materials.join(', ') || 'none' }}</dd>
      </div>
    </dl>
    <div
      v-else-if="those.length"
      class="space-y-1 border-t border-line px-4 py-2 text-[12.5px]"
      data-test="chosen-parts"
    >
      <p class="flex justify-between gap-2">
        <b>{{ those.length }} parts chosen</b>
        <span class="num text-faint">{{ count(triangles) }}</span>
      </p>
      <p class="flex gap-3">
        <button class="text-sea underline" title="Show them alone (i)" @click="emit('isolate')">alone</button>
        <button class="text-sea underline" title="Put them out of sight (o)" @click="emit('putAway')">hide</button>
        <button class="text-sea underline" title="Choose nothing (Esc)" @click="emit('choose', [], false)">none</button>
      </p>
    </div>
    <p
      v-else-if="parts.length > 1"
      class="truncate border-t border-line px-4 py-1.5 text-[12px] text-faint"
      title="A click on the model or in the list chooses a part; with Shift more of them, and a drag with Shift those in a frame."
    >
      Shift chooses more, or in a frame.
    </p>
    <footer v-if="hidden.size" class="flex gap-2 border-t border-line p-3">
      <button class="button flex-1" @click="hidden = new Set()">Show all</button>
      <button
        class="button flex-1"
        title="Adds a step that drops the hidden parts"
        :disabled="hidden.size === parts.length"
        @click="emit('keepShown')"
      >
        Drop hidden
      </button>
    </footer>
  </aside>
</template>
