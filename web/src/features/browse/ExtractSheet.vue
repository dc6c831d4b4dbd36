<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, type Collision, type Selection, type Wish } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { bytes, count } from '../../model/words'

const { project, paths, wish } = defineProps<{ project: string; paths: string[]; wish: Wish }>()
const emit = defineEmits<{ close: [] }>()
const what = ref<'tray' | 'found' | 'folder' | 'everything'>(paths.length ? 'tray' : 'found')
const name = ref('files')
const shape = ref<'keep' | 'flat' | 'strip'>('keep')
const prefix = ref(wish.folder ?? '')
const versions = ref<'winning' | 'all' | 'each'>('winning')
const collisions = ref<Collision[]>()
const choices = ref<Record<string, string>>({})
const png = ref(false)
const measured = ref<Selection>()
const error = ref<unknown>(null)
const chosen = computed(() => {
  if (what.value === 'tray') return { paths }
  if (what.value === 'found') return { query: { ...wish } }
  return { query: what.value === 'folder' ? { folder: wish.folder } : {} }
})
watch(
  chosen,
  async (now) => {
    measured.value = collisions.value = undefined
    choices.value = {}
    try {
      const found = await api.selection(project, now)
      if (now === chosen.value) measured.value = found
    } catch (problem) {
      if (now === chosen.value) error.value = problem
    }
  },
  { immediate: true },
)
watch([versions, chosen], async ([now]) => {
  if (now === 'each' && !collisions.value)
    collisions.value = await api
      .collisions(project, chosen.value)
      .catch((problem) => ((error.value = problem), undefined))
})
const places = computed(() =>
  (
    [
      ['tray', `the tray (${count(paths.length)})`, paths.length > 0],
      ['found', 'what the search finds', true],
      ['folder', `the folder ${wish.folder}`, !!wish.folder],
      ['everything', 'everything', true],
    ] as const
  ).filter(([, , there]) => there),
)
const asked = () => ({
  ...chosen.value,
  name: name.value,
  shape: shape.value,
  prefix: prefix.value,
  versions: versions.value === 'all' ? ('all' as const) : ('winning' as const),
  choices: versions.value === 'each' ? choices.value : {},
  png: png.value,
})
async function start() {
  try {
    await api.extract(project, asked())
    emit('close')
  } catch (problem) {
    error.value = problem
  }
}
async function zip() {
  try {
    location.href = (await api.zip(project, asked())).address
  } catch (problem) {
    error.value = problem
  }
}
</script>

<template>
  <Sheet open title="Extract raw files" @close="emit('close')">
    <form class="space-y-4 text-[13px]" @submit.prevent="start">
      <Problem v-if="error" :error="error" @close="error = null" />
      <div class="grid grid-cols-[110px_1fr] items-baseline gap-y-2.5">
        <span class="text-faint">Take</span>
        <div class="flex flex-wrap gap-x-4 gap-y-1">
          <label v-for="[value, title] in places" :key="value" class="flex items-center gap-1.5"
            ><input v-model="what" type="radio" :value="value" class="accent-sea" />{{ title }}</label
          >
        </div>
        <span class="text-faint">Folders</span>
        <div class="flex flex-wrap gap-x-4 gap-y-1">
          <label class="flex items-center gap-1.5"
            ><input v-model="shape" type="radio" value="keep" class="accent-sea" />keep them</label
          >
          <label class="flex items-center gap-1.5"
            ><input v-model="shape" type="radio" value="flat" class="accent-sea" data-test="flat" />none, all in
            one</label
          >
          <label class="flex items-center gap-1.5"
            ><input v-model="shape" type="radio" value="strip" class="accent-sea" />without
            <input
              v-model="prefix"
              class="field w-36 py-0.5 font-mono"
              aria-label="Leading folders to leave out"
              @focus="shape = 'strip'"
          /></label>
        </div>
        <template v-if="measured?.several">
          <span class="text-faint">Versions</span>
          <div>
            <p class="text-marigold">
              <span class="num">{{ count(measured.several) }}</span>
              {{ measured.several === 1 ? 'path is' : 'paths are' }} held by several sources.
            </p>
            <label class="mr-4 inline-flex items-center gap-1.5"
              ><input v-model="versions" type="radio" value="winning" class="accent-sea" />keep the higher layer</label
            >
            <label class="inline-flex items-center gap-1.5"
              ><input v-model="versions" type="radio" value="all" class="accent-sea" data-test="all-versions" />keep
              all, lower ones named after their source</label
            >
            <label class="flex items-center gap-1.5"
              ><input v-model="versions" type="radio" value="each" class="accent-sea" data-test="ask-each" />ask me for
              each</label
            >
            <ul
              v-if="versions === 'each' && collisions"
              class="mt-1.5 max-h-44 overflow-auto rounded-md border border-line"
              data-test="collisions"
            >
              <li
                v-for="held in collisions"
                :key="held.path"
                class="flex items-center gap-3 border-b border-line px-2.5 py-1 last:border-0"
              >
                <span class="min-w-0 flex-1 truncate font-mono text-[12px]" :title="held.path">{{ held.path }}</span>
                <select
                  class="field max-w-52 py-0.5"
                  :aria-label="`Version of ${held.path}`"
                  :value="choices[held.path] ?? held.holders[0]?.source_id"
                  @change="choices[held.path] = ($event.target as HTMLSelectElement).value"
                >
                  <option v-for="holder in held.holders" :key="holder.source_id" :value="holder.source_id">
                    {{ holder.source }}, {{ bytes(holder.size) }}
                  </option>
                </select>
              </li>
              <li v-if="collisions.length < measured.several" class="px-2.5 py-1 text-faint">
                The other {{ count(measured.several - collisions.length) }} keep the higher layer.
              </li>
            </ul>
          </div>
        </template>
        <span class="text-faint">Textures</span>
        <label class="flex items-center gap-1.5"
          ><input v-model="png" type="checkbox" class="accent-sea" data-test="png" />a PNG beside each</label
        >
        <label class="text-faint" for="extract-name">Folder</label>
        <input
          id="extract-name"
          v-model="name"
          class="field w-56 py-1"
          title="Below the folder of extractions; slashes make folders"
        />
      </div>
      <p class="rounded-md bg-paper px-3 py-2" data-test="measured">
        <template v-if="measured"
          ><span class="num">{{ count(measured.files) }}</span> {{ measured.files === 1 ? 'file' : 'files' }},
          <span class="num">{{ bytes(measured.size) }}</span>;
          <span class="num">{{ bytes(measured.free) }}</span> free<template
            v-if="shape === 'flat' && measured.same_name"
            >; {{ count(measured.same_name) }} share a name and get a number</template
          ></template
        >
        <template v-else>Counting…</template>
      </p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" :disabled="!measured?.files" data-test="zip" @click="zip">
          As one zip
        </button>
        <button type="button" class="button" @click="emit('close')">Close</button>
        <button class="button button-main" :disabled="!measured?.files || !name.trim()" data-test="start-extract">
          Extract to a folder
        </button>
      </div>
    </form>
  </Sheet>
</template>
