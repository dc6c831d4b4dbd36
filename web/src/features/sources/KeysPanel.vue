<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, type Key, type NameList, type Results, type Source } from '../../api/client'
import { useEvents } from '../../composables/useEvents'
import { count } from '../../model/words'
import NamingSheet from '../browse/NamingSheet.vue'

const { project, sources } = defineProps<{ project: string; sources: Source[] }>()
const emit = defineEmits<{ error: [problem: unknown] }>()
const keys = ref<Key[]>([])
const lists = ref<NameList[]>([])
const name = ref('')
const value = ref('')
const naming = ref(false)
const harvestId = ref('')
const harvested = ref<Results>()
const hashed = computed(() => sources.filter((s) => s.hashed))
const won = computed(() => harvested.value?.won ?? [])

async function load() {
  try {
    ;[keys.value, lists.value] = await Promise.all([api.keys(project), api.names(project)])
  } catch (problem) {
    emit('error', problem)
  }
}
async function put() {
  try {
    keys.value = await api.putKey(project, name.value, value.value)
    value.value = ''
  } catch (problem) {
    emit('error', problem)
  }
}
async function drop(named: string) {
  try {
    keys.value = await api.removeKey(project, named)
  } catch (problem) {
    emit('error', problem)
  }
}
async function send(files: FileList | null) {
  try {
    for (const file of files ?? []) lists.value = await api.addNames(project, file.name, file)
  } catch (problem) {
    emit('error', problem)
  }
}
async function lookAtHarvest() {
  const found = await api.job(harvestId.value)
  if (found.status === 'done') harvested.value = await api.results(harvestId.value)
}
async function harvest() {
  harvested.value = undefined
  try {
    harvestId.value = (await api.harvest(project)).id
    await lookAtHarvest() // its end may have been announced before its number was known here
  } catch (problem) {
    emit('error', problem)
  }
}
onMounted(load)
useEvents(async (event) => {
  if (['keys', 'names', 'sources'].includes(event.changed ?? '')) void load()
  if (event.job?.id === harvestId.value && event.job.status === 'done') await lookAtHarvest()
})
const state = (key: Key) => {
  const wrong = sources.some((s) => s.problems.some((p) => p.line.includes(`'${key.name}'`) && p.code === 'key-wrong'))
  return !key.here ? 'wanted' : wrong ? 'does not open its pack' : 'on the ring'
}
</script>

<template>
  <div class="grid grid-cols-2 gap-5 text-[13px]">
    <section class="rounded-xl border border-line bg-sheet p-4">
      <h2 class="mb-1 text-[15px] font-semibold">Keys</h2>
      <p class="mb-3 text-[12.5px] text-faint">
        For encrypted packs. A key stays on this machine; it is never shown again, logged or exported.
      </p>
      <ul class="mb-3 divide-y divide-line">
        <li
          v-for="key in keys"
          :key="key.name"
          class="flex items-center gap-3 py-1.5"
          data-test="key"
          :data-name="key.name"
        >
          <div class="min-w-0 flex-1">
            <p class="font-mono font-medium">{{ key.name }}</p>
            <p class="truncate text-[12px] text-faint" :title="key.about">{{ key.shown || key.about }}</p>
          </div>
          <span class="text-[12.5px]" :class="state(key) === 'on the ring' ? 'text-sea' : 'text-brick'">{{
            state(key)
          }}</span>
          <button v-if="key.here" class="button py-0.5" @click="drop(key.name)">Remove</button>
          <button v-else class="button py-0.5" data-test="type-key" @click="name = key.name">Type it</button>
        </li>
        <li v-if="!keys.length" class="py-1.5 text-faint">No pack asks for one.</li>
      </ul>
      <form class="flex gap-2" @submit.prevent="put">
        <input
          v-model="name"
          class="field w-28 font-mono"
          placeholder="name"
          aria-label="Name of the key"
          data-test="key-name"
        />
        <input
          v-model="value"
          class="field min-w-0 flex-1 font-mono"
          type="password"
          autocomplete="off"
          placeholder="hex or base64"
          aria-label="The key"
          data-test="key-value"
        />
        <button class="button button-main" :disabled="!name.trim() || !value.trim()" data-test="put-key">Add</button>
      </form>
    </section>
    <section class="rounded-xl border border-line bg-sheet p-4">
      <h2 class="mb-1 text-[15px] font-semibold">Names</h2>
      <p class="mb-3 text-[12.5px] text-faint">
        Some packs keep only hashes of their paths. Lists of paths, one a line, give them their names; gzip is welcome.
      </p>
      <ul class="mb-3 divide-y divide-line">
        <li v-for="s in hashed" :key="s.id" class="flex items-center gap-3 py-1.5">
          <span class="min-w-0 flex-1 truncate font-medium">{{ s.label }}</span><span
            class="h-1.5 w-24 overflow-hidden rounded-full bg-sunk"
            ><span class="block h-full bg-sea" :style="{ width: `${(s.named / s.hashed) * 100}%` }" /></span
          ><span class="num text-[12px]" data-test="known">{{ count(s.named) }} / {{ count(s.hashed) }}</span>
        </li>
        <li v-for="list in lists" :key="list.id" class="flex items-center gap-3 py-1.5" data-test="name-list">
          <span class="min-w-0 flex-1 truncate">{{ list.label }}</span><span class="num text-[12px] text-faint"
            >{{ count(list.names) }} names<template v-if="list.dropped"
              >, {{ count(list.dropped) }} lines dropped</template
            ></span
          ><button class="button py-0.5" @click="api.removeNames(list.id)">Remove</button>
        </li>
        <li v-if="!hashed.length && !lists.length" class="py-1.5 text-faint">No pack of hashes is mounted.</li>
      </ul>
      <div class="flex gap-2">
        <label class="button cursor-pointer"
          >Add lists…<input
            type="file"
            multiple
            class="sr-only"
            data-test="add-names"
            @change="send(($event.target as HTMLInputElement).files)"
        /></label>
        <button
          class="button"
          title="Names that mean something, for codes in folder and file names"
          data-test="naming"
          @click="naming = true"
        >
          Code names…
        </button>
        <button
          class="button"
          :class="{ 'button-main': hashed.some((s) => s.named < s.hashed) }"
          :disabled="!hashed.length"
          title="Look in the game's own entries for names"
          data-test="harvest"
          @click="harvest"
        >
          Harvest from the game
        </button>
      </div>
      <NamingSheet v-if="naming" :project="project" @close="naming = false" />
      <div v-if="harvested" class="mt-3 border-t border-line pt-2" data-test="harvested">
        <p class="mb-1 font-medium">
          {{ won.length ? `${count(harvested.number)} names won` : 'No further name was found' }}
        </p>
        <ul class="max-h-44 overflow-auto text-[12px]">
          <li v-for="w in won" :key="w.name" class="flex justify-between gap-3">
            <span class="truncate font-mono">{{ w.name }}</span><span class="whitespace-nowrap text-faint">{{
              w.how
            }}</span>
          </li>
        </ul>
      </div>
    </section>
  </div>
</template>
