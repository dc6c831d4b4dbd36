<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router'
import { api, type Fit, type ProblemRow, type Source } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Question from '../../components/Question.vue'
import Tabs from '../../components/Tabs.vue'
import ProgressLine from '../../components/ProgressLine.vue'
import { useEvents } from '../../composables/useEvents'
import { runningJobs } from '../../composables/useJobs'
import { useKeys } from '../../composables/useKeys'
import { loadProjects, useProject } from '../../composables/useProject'
import { uploadFault, uploads, useUploads } from '../../composables/useUploads'
import { bytes, count } from '../../model/words'
import KeysPanel from './KeysPanel.vue'
import PlacePicker from './PlacePicker.vue'
import ProblemList from './ProblemList.vue'
import ProfilePanel from './ProfilePanel.vue'
import StackList from './StackList.vue'

const route = useRoute()
const router = useRouter()
const { id, project } = useProject()
const sources = ref<Source[]>([])
const PATIENCE_MS = 1500
let soon = 0
const problems = ref<ProblemRow[]>([])
const loaded = ref(false)
const error = ref<unknown>(null)
const picking = ref(false)
const path = ref('')
const newName = ref('')
const fits = ref<Fit[]>([])
const tab = computed({
  get: () => String(route.query.tab ?? 'stack'),
  set: (name) => void router.replace({ query: name === 'stack' ? {} : { tab: name } }),
})
// Whether the profile was changed and not kept, and what to do once somebody says that it may be lost.
const edited = ref(false)
const leaving = ref<((go: boolean) => void) | null>(null)
const scans = computed(() =>
  runningJobs.value.filter((j) =>
    ['scan', 'rename', 'verify', 'harvest', 'forget', 'index', 'references'].includes(j.kind),
  ),
)
const live = computed(() => sources.value.filter((s) => s.counts))
const summary = computed(() => ({
  entries: live.value.reduce((n, s) => n + s.entries, 0),
  size: live.value.reduce((n, s) => n + s.size, 0),
}))
const tabs = computed(
  () =>
    [
      ['stack', `Stack ${sources.value.length || ''}`],
      ['keys', 'Keys and names'],
      ['profile', 'Profile'],
      ['problems', `Problems ${problems.value.length || ''}`],
    ] as const,
)
const upload = useUploads()
const told = computed(() => {
  if (!sources.value.length)
    return 'Mount folders and packs. Where two hold the same path, the higher one wins and the lower is kept.'
  const { entries, size } = summary.value
  const held = `${count(entries)} ${entries === 1 ? 'entry' : 'entries'}, ${bytes(size)}`
  const counting = `${count(live.value.length)} of ${count(sources.value.length)} sources count, ${held}`
  return `${counting}. Where several hold a path, the upper one wins.`
})

let asked = 0
async function load() {
  if (!id.value) return
  const mine = ++asked // answers may come in another order than questions went
  try {
    const found = await Promise.all([api.sources(id.value), api.problems(id.value)])
    if (mine !== asked) return
    ;[sources.value, problems.value] = found
    loaded.value = true
  } catch (found) {
    error.value = found
  }
}

async function mount(place: string) {
  picking.value = false
  if (!place.trim()) return
  try {
    error.value = null
    await api.mount(id.value, place.trim())
    path.value = ''
    fits.value = []
  } catch (found) {
    error.value = found
  }
}

async function look() {
  error.value = null
  try {
    fits.value = await api.fits(path.value.trim())
    if (!fits.value.length)
      error.value = new Error(
        'No profile that is known fits this folder. Mount it all the same: archives and open formats need none.',
      )
  } catch (found) {
    error.value = found
  }
}

async function useFit(fit: Fit) {
  try {
    if (fit.text) await api.setProfile(id.value, fit.text)
    await mount(path.value)
  } catch (found) {
    error.value = found
  }
}

async function order(ids: string[]) {
  const before = sources.value
  sources.value = ids.map((one) => before.find((s) => s.id === one)!)
  asked++
  try {
    await api.orderSources(id.value, ids)
    await load()
  } catch (found) {
    sources.value = before
    error.value = found
  }
}

async function create() {
  if (!newName.value.trim()) return
  try {
    const made = await api.createProject(newName.value.trim())
    newName.value = ''
    await loadProjects()
    await router.push({ name: 'sources', params: { project: made.id } })
  } catch (found) {
    error.value = found
  }
}

async function chooseLanguage(language: string) {
  try {
    await api.chooseLanguage(id.value, language || null)
    await loadProjects()
  } catch (found) {
    error.value = found
  }
}

function answered(go: boolean) {
  leaving.value?.(go)
  leaving.value = null
}
onBeforeRouteLeave(() => !edited.value || new Promise<boolean>((say) => (leaving.value = say)))

watch(id, load, { immediate: true })
useEvents((event) => {
  if (event.reconnected || ['sources', 'keys', 'names', 'references'].includes(event.changed ?? '')) void load()
  if (event.changed === 'sources') void loadProjects()
  // Entries that cannot be drawn come one by one, sometimes by the thousand.
  if (event.changed === 'problems') soon ||= window.setTimeout(() => ((soon = 0), void load()), PATIENCE_MS)
})
useKeys('Sources', [['a', 'Add a source', () => (picking.value = true)]])
</script>

<template>
  <div class="relative h-full overflow-auto">
    <div class="mx-auto max-w-4xl space-y-4 px-8 py-6">
      <div class="flex items-end justify-between gap-6">
        <div>
          <h1 class="text-[22px] font-semibold tracking-tight">Where the files come from</h1>
          <p class="max-w-prose text-[13px] text-faint">
            {{ told }}
          </p>
        </div>
        <button
          v-if="sources.length"
          class="button button-main"
          @click="router.push({ name: 'browse', params: { project: id } })"
        >
          Browse the entries
        </button>
      </div>

      <Problem v-if="error" :error="error" @close="error = null" />
      <Problem v-if="uploadFault" :error="uploadFault" @close="uploadFault = null" />

      <form class="flex gap-2" @submit.prevent="mount(path)">
        <input
          v-model="path"
          class="field min-w-0 flex-1 font-mono"
          placeholder="Path on this machine, or drop files here"
          aria-label="Path to mount"
          data-test="mount-path"
        />
        <button type="button" class="button" @click="picking = true">Choose…</button>
        <label class="button cursor-pointer"
          >Send files…<input
            type="file"
            multiple
            class="sr-only"
            data-test="upload"
            @change="upload.files(id, ($event.target as HTMLInputElement).files)"
        /></label>
        <button
          v-if="!sources.length"
          type="button"
          class="button"
          :disabled="!path.trim()"
          data-test="tell"
          @click="look"
        >
          Tell me what you see
        </button>
        <button type="submit" class="button button-main" :disabled="!path.trim()" data-test="mount">Mount</button>
      </form>

      <section
        v-for="fit in sources.length ? [] : fits"
        :key="fit.file"
        class="rounded-xl border border-sea bg-sea-soft/40 p-4 text-[13px]"
        data-test="fit"
      >
        <div class="flex items-start justify-between gap-4">
          <div>
            <p class="font-semibold">
              {{ fit.name }}<template v-if="fit.version">, version {{ fit.version }}</template>
            </p>
            <p class="text-faint">{{ fit.about }}</p>
          </div>
          <button class="button button-main" data-test="use-fit" @click="useFit(fit)">Mount with this profile</button>
        </div>
        <ul class="mt-2 list-inside list-disc text-[12.5px]">
          <li v-for="reason in fit.reasons" :key="reason">{{ reason }}</li>
        </ul>
      </section>

      <template v-if="loaded">
        <div class="flex items-center border-b border-line">
          <Tabs v-model="tab" :tabs="tabs" label="About the sources" class="text-[14px]" />
          <label v-if="project?.languages.length" class="ml-auto flex items-center gap-2 pb-1.5 text-[13px]"
            ><span class="text-faint">Language</span>
            <select
              class="field py-0.5"
              data-test="language"
              :value="project.language ?? ''"
              @change="chooseLanguage(($event.target as HTMLSelectElement).value)"
            >
              <option v-for="l in project.languages" :key="l" :value="l">{{ l }}</option>
              <option value="">none</option>
            </select>
          </label>
        </div>
        <!-- Below the tabs, so that these do not move away under the pointer when work begins or ends. -->
        <div
          v-for="job in scans"
          :key="job.id"
          class="flex items-center gap-4 rounded-xl border border-line bg-sheet px-4 py-2.5"
        >
          <ProgressLine :job="job" class="flex-1" />
          <button class="button" @click="api.cancel(job.id)">Cancel</button>
        </div>
        <div
          v-for="one in uploads"
          :key="one.name"
          class="rounded-xl border border-line bg-sheet px-4 py-2.5 text-[13px]"
          data-test="upload-line"
        >
          <div class="flex justify-between gap-3">
            <span class="truncate">Sending {{ one.name }}</span
            ><span class="num text-faint">{{ bytes(one.have) }} of {{ bytes(one.size) }}</span>
          </div>
          <div class="mt-1 h-1.5 overflow-hidden rounded-full bg-sunk">
            <div class="h-full bg-sea" :style="{ width: `${(one.have / Math.max(one.size, 1)) * 100}%` }" />
          </div>
        </div>
        <StackList
          v-if="tab === 'stack' && sources.length"
          :sources="sources"
          :project="id"
          @order="order"
          @error="error = $event"
          @problems="tab = 'problems'"
          @keys="tab = 'keys'"
          @remount="mount"
        />
        <div
          v-else-if="tab === 'stack' && !scans.length"
          class="hatched rounded-xl border border-line p-10 text-center"
        >
          <p class="text-[16px] font-semibold">Nothing is mounted yet</p>
          <p class="mx-auto mb-4 max-w-md">
            Choose a folder with game files, one pack, or a single model; packs inside a folder are opened too. Have you
            a profile of this game? Bring it in first. The project “Brinepost” shows how it looks.
          </p>
          <div class="flex justify-center gap-2">
            <button class="button" data-test="profile-first" @click="tab = 'profile'">Bring in a profile…</button>
            <button class="button button-main" @click="picking = true">Choose a folder or file…</button>
          </div>
        </div>
        <KeysPanel v-else-if="tab === 'keys'" :project="id" :sources="sources" @error="error = $event" />
        <ProfilePanel
          v-show="tab === 'profile'"
          :project="id"
          :mounted="!!sources.length"
          @error="error = $event"
          @edited="edited = $event"
        />
        <ProblemList v-if="tab === 'problems'" :problems="problems" :project="id" @error="error = $event" />
      </template>

      <form class="flex items-center gap-2 border-t border-line pt-4 text-[13px]" @submit.prevent="create">
        <span class="text-faint">Other files, other work:</span>
        <input
          v-model="newName"
          class="field w-56"
          placeholder="Name of a new project"
          aria-label="Name of a new project"
          data-test="project-name"
        />
        <button class="button" :disabled="!newName.trim()" data-test="create-project">Start a project</button>
      </form>
    </div>
    <Question
      v-if="leaving"
      title="Leave the changed profile?"
      act="Leave it"
      @close="answered(false)"
      @yes="answered(true)"
    >
      What you changed in the profile is not kept yet.
    </Question>
    <PlacePicker v-if="picking" @close="picking = false" @pick="mount" />
  </div>
</template>
