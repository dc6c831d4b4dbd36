<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Entry, type Look, type Version } from '../../api/client'
import Fault from '../../components/Fault.vue'
import Tabs from '../../components/Tabs.vue'
import { useEvents } from '../../composables/useEvents'
import { OPENABLE } from '../../model/kinds'
import { bytes, count, folderOf, last, told } from '../../model/words'
import LookBytes from './look/LookBytes.vue'
import LookLevel from './look/LookLevel.vue'
import LookMaterial from './look/LookMaterial.vue'
import LookModel from './look/LookModel.vue'
import LookSound from './look/LookSound.vue'
import LookTable from './look/LookTable.vue'
import LookTexture from './look/LookTexture.vue'
import MarkForm from './MarkForm.vue'
import NamingSheet from './NamingSheet.vue'
import ReferenceList from './ReferenceList.vue'
import VersionList from './VersionList.vue'

const { entry, picked, project } = defineProps<{ entry: Entry | undefined; picked: boolean; project: string }>()
const emit = defineEmits<{
  open: [source?: string]
  go: [path: string]
  together: [paths: string[]]
  pick: []
  take: []
  carve: []
  inside: []
  marked: [values: Partial<Entry>]
}>()
const router = useRouter()
const look = shallowRef<Look>()
const error = ref('')
// A version that another one lies over, looked at in its stead.
const version = shallowRef<Version>()
const shown = computed(() => version.value?.id ?? entry?.id ?? 0)
const naming = ref(false)
const tab = ref('look')
const tabs = computed(() => [
  ['look', 'Look'] as const,
  ['versions', entry && entry.versions > 1 ? `Versions ${entry.versions}` : 'Versions'] as const,
  ['references', 'References'] as const,
  ['bytes', 'Bytes'] as const,
])
// Nothing but bytes to show: no part that fits the kind is set.
const plain = computed(() => {
  const found = look.value
  return (
    !!found &&
    [found.texture, found.glance, found.material, found.level, found.table, found.text, found.sound].every(
      (p) => p == null,
    )
  )
})
const openable = computed(() => entry && OPENABLE.has(entry.kind))
const needy = computed(() => entry && ['model', 'material', 'level'].includes(entry.kind))
const undescribed = computed(() => entry?.kind === 'unknown')

let asked = 0
async function load() {
  const mine = ++asked
  if (!entry) return
  error.value = ''
  try {
    const found = await api.look(shown.value)
    if (mine !== asked) return
    look.value = found
    if (!entry.seen) {
      void api.mark(project, { path: entry.path, folder: false, seen: true }).catch(() => undefined)
      emit('marked', { seen: true })
    }
  } catch (problem) {
    if (mine === asked) error.value = told(problem)
  }
}
let wait = 0
watch(
  () => entry?.id,
  () => {
    look.value = version.value = undefined
    clearTimeout(wait)
    wait = window.setTimeout(load, 60)
  },
  { immediate: true },
)
function lookAt(wanted: Version | undefined) {
  version.value = wanted?.wins ? undefined : wanted
  look.value = undefined
  tab.value = 'look'
  void load()
}
const describe = () => router.push({ name: 'bytes', params: { project, entry: String(shown.value) } })
useEvents((event) => event.changed === 'sources' && load())
</script>

<template>
  <aside
    class="flex min-h-0 flex-col border-l border-line bg-sheet"
    aria-label="Quick look"
    data-test="quick-look"
    :data-looked="look || error ? entry?.path : ''"
  >
    <template v-if="entry">
      <header class="border-b border-line px-4 pt-3">
        <div class="flex items-start gap-2">
          <div class="min-w-0 flex-1">
            <h2 class="truncate text-[16px] font-semibold" :title="last(entry.path)">
              {{ entry.alias || last(entry.path) }}
            </h2>
            <p class="truncate font-mono text-[12px] text-faint" :title="entry.path">
              {{ entry.alias ? entry.path : folderOf(entry.path) || 'top folder'
              }}<template v-if="entry.within"> · {{ entry.within }}</template>
            </p>
          </div>
          <button v-if="openable" class="button button-main py-1" data-test="open-bench" @click="emit('open')">
            Open on the Bench
          </button>
        </div>
        <Tabs v-model="tab" :tabs="tabs" label="About this entry" class="mt-2 text-[13px]" />
      </header>
      <div class="min-h-0 flex-1 overflow-auto">
        <p
          v-if="version"
          class="flex items-center gap-2 bg-marigold-soft px-4 py-1.5 text-[12.5px]"
          data-test="other-version"
        >
          <span class="min-w-0 flex-1 truncate">As {{ version.source }} has it</span>
          <button class="words" @click="lookAt(undefined)">The one that counts</button>
        </p>
        <template v-if="tab === 'look'">
          <div v-if="error || look?.problem" class="m-4 rounded-md bg-brick-soft px-3 py-2" data-test="look-problem">
            <Fault :fault="look?.problem ?? { message: error }" />
          </div>
          <div v-if="undescribed" class="border-b border-line px-4 py-3 text-[13px]" data-test="undescribed">
            <p class="font-semibold">Nothing here describes this format yet</p>
            <p class="mb-2 text-faint">
              What its bytes are can be guessed, and described in a layout that then reads all files like it.
            </p>
            <div class="flex flex-wrap gap-1.5">
              <button class="button button-main py-1" data-test="describe" @click="describe">
                Find out what it holds
              </button>
              <button class="button py-1" @click="emit('carve')">Search inside</button>
            </div>
          </div>
          <LookModel
            v-if="look?.glance"
            :key="look.kind"
            :glance-key="look.glance"
            :project="project"
            :kind="look.kind"
            :picture="entry.picture ?? null"
            @go="emit('go', $event)"
            @with="emit('together', [$event, entry.path])"
          />
          <LookTexture v-else-if="look?.texture" :entry="shown" :texture="look.texture" />
          <LookMaterial v-else-if="look?.material" :material="look.material" @go="emit('go', $event)" />
          <LookLevel v-else-if="look?.level" :level="look.level" @go="emit('go', $event)" />
          <LookTable v-else-if="look?.table" :table="look.table" @names="naming = true" />
          <LookSound v-else-if="look?.sound" :entry="shown" :sound="look.sound" />
          <pre
            v-else-if="look?.text != null"
            class="max-h-96 overflow-auto px-4 py-3 font-mono text-[12px] whitespace-pre-wrap"
            tabindex="0"
            data-test="text"
            >{{ look.text || 'This file is empty.' }}</pre>
          <LookBytes v-else-if="plain && !look?.problem" :entry="shown" />
          <div
            v-else-if="!error && !look?.problem"
            class="flex aspect-[4/3] items-center justify-center bg-paper text-[13px] text-faint"
          >
            <img v-if="entry.picture" :src="`/api/blobs/${entry.picture}`" alt="" class="size-full object-contain" />
          </div>
          <MarkForm :key="entry.id" :entry="entry" :project="project" @marked="emit('marked', $event)" />
        </template>
        <VersionList v-else-if="tab === 'versions'" :entry="entry.id" @open="emit('open', $event)" @look="lookAt" />
        <ReferenceList v-else-if="tab === 'references'" :entry="entry.id" :project="project" @go="emit('go', $event)" />
        <template v-else>
          <div class="px-4 pt-3">
            <button class="button py-1" data-test="bytes-view" @click="describe">All bytes, with a layout</button>
          </div>
          <LookBytes :entry="shown" />
        </template>
      </div>
      <footer class="space-y-2 border-t border-line px-4 py-2.5 text-[12.5px]">
        <p class="truncate text-faint">
          {{ entry.kind }}<template v-if="entry.variant">, {{ entry.variant }}</template
          >, <span class="num">{{ bytes(entry.size) }}</span>, from {{ entry.source
          }}<template v-if="entry.used">, used by {{ count(entry.used) }}</template>
        </p>
        <div class="flex flex-wrap gap-1.5">
          <button class="button py-1" :aria-pressed="picked" data-test="pick" @click="emit('pick')">
            {{ picked ? 'Take off the tray' : 'Put on the tray' }}
          </button>
          <button
            v-if="needy"
            class="button py-1"
            title="This entry and everything it names, onto the tray"
            data-test="take-all"
            @click="emit('take')"
          >
            With all it needs
          </button>
          <button v-if="entry.kind === 'pack'" class="button py-1" data-test="look-inside" @click="emit('inside')">
            Look inside
          </button>
          <button
            v-else
            class="button py-1"
            title="Search these bytes for pictures, models and archives"
            data-test="carve"
            @click="emit('carve')"
          >
            Search inside
          </button>
          <a class="button py-1" :href="`/api/entries/${entry.id}/raw`" download data-test="save">Save</a>
        </div>
      </footer>
    </template>
    <NamingSheet
      v-if="naming && entry && look?.table"
      :project="project"
      :entry="shown"
      :columns="look.table.columns"
      @close="naming = false"
    />
    <p v-if="!entry" class="m-auto p-8 text-center text-[13px] text-faint">Choose an entry to see it here.</p>
  </aside>
</template>
