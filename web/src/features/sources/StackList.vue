<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { api, type Source } from '../../api/client'
import Switch from '../../components/Switch.vue'
import { endedJobs } from '../../composables/useJobs'
import { bytes, count } from '../../model/words'

const { sources, project } = defineProps<{ sources: Source[]; project: string }>()
const emit = defineEmits<{
  order: [ids: string[]]
  error: [problem: unknown]
  problems: []
  keys: []
  remount: [mount: string]
}>()
const dragged = ref<string | null>(null)
const target = ref<number | null>(null)
const leaving = ref<Source | null>(null)
const clearing = ref<string | null>(null)
const list = ref<HTMLElement>()
const kindWords: Record<string, string> = {
  folder: 'loose files',
  zip: 'ZIP',
  file: 'single file',
  archive: 'archive',
  carved: 'finds',
  unreadable: 'not readable',
}
const mounts = computed(() => [...new Set(sources.map((s) => s.mount))])

function move(id: string, to: number) {
  const ids = sources.map((s) => s.id)
  const from = ids.indexOf(id)
  ids.splice(from, 1)
  ids.splice(to > from ? to - 1 : to, 0, id)
  emit('order', ids)
}
async function byKey(event: KeyboardEvent, index: number) {
  if (!event.altKey || !['ArrowUp', 'ArrowDown'].includes(event.key)) return
  event.preventDefault()
  const to = index + (event.key === 'ArrowUp' ? -1 : 2)
  const id = sources[index]!.id
  if (to < 0 || to > sources.length) return
  move(id, to)
  await nextTick()
  list.value?.querySelector<HTMLElement>(`[data-id='${id}'] [data-handle]`)?.focus()
}
/** Sources side by side that share a group, by the first of them; a group of one has no line of its own. */
const groups = computed(() => {
  const found = new Map<string, Source[]>()
  let first: Source | undefined
  for (const s of sources) {
    if (first && s.layer && s.layer === first.layer) found.get(first.id)!.push(s)
    else found.set((first = s).id, [s])
  }
  return new Map([...found].filter(([, members]) => members.length > 1))
})
const inGroup = computed(() => new Set([...groups.value.values()].flat().map((s) => s.id)))
const switched = (members: Source[]) => members.every((s) => s.on) || (members.some((s) => s.on) && 'mixed')
async function switchAll(members: Source[]) {
  const on = !members.every((s) => s.on)
  await act(Promise.all(members.filter((s) => s.on !== on).map((s) => api.changeSource(s.id, { on }))))
}
async function act(work: Promise<unknown>) {
  await work.catch((problem) => emit('error', problem))
}
// Before or behind the line under the pointer, by which half of it that is.
function placeUnder(event: DragEvent, index: number) {
  const line = (event.currentTarget as HTMLElement).getBoundingClientRect()
  return event.clientY > line.top + line.height / 2 ? index + 1 : index
}
function drop() {
  if (dragged.value !== null && target.value !== null) move(dragged.value, target.value)
  dragged.value = target.value = null
}
// Whether a source was verified since this page was opened, and nothing was found wrong.
const verified = (s: Source) => {
  const done = endedJobs.value.some((j) => j.kind === 'verify' && j.status === 'done' && j.payload.source === s.id)
  return done && !s.problems.length
}
const why = (s: Source) =>
  s.state === 'failed'
    ? 'cannot be read'
    : s.state === 'waiting'
      ? 'waits to be read'
      : !s.on
        ? 'switched off'
        : !s.counts
          ? `another language (${s.language})`
          : ''
const below = (mount: string) => sources.filter((s) => s.mount === mount).length
const needsKey = (s: Source) => s.problems.some((p) => p.code.startsWith('key-'))
</script>

<!-- eslint-disable vuejs-accessibility/no-static-element-interactions -- dragging has its keys: Alt with arrows -->
<template>
  <div>
    <ol
      ref="list"
      class="overflow-hidden rounded-xl border border-line bg-sheet"
      aria-label="Stack, highest first"
      @dragover.prevent
      @drop.prevent.stop="drop"
    >
      <template v-for="(s, i) in sources" :key="s.id">
        <li
          v-if="groups.has(s.id)"
          class="flex items-center gap-3 border-t border-line bg-paper px-4 py-1.5 text-[12.5px] first:border-t-0"
          data-test="group"
          :data-group="s.layer"
        >
          <span class="w-[22px]" />
          <Switch
            :on="switched(groups.get(s.id)!)"
            :label="`All of ${s.layer} count`"
            data-test="switch-group"
            @click="switchAll(groups.get(s.id)!)"
          />
          <span class="font-semibold">{{ s.layer }}</span><span class="text-faint"
            >{{ count(groups.get(s.id)!.length) }} sources</span
          >
        </li>
        <li
          class="group border-t border-line first:border-t-0"
          :class="{
            'shadow-[inset_0_2px_0_var(--sea)]': target === i,
            'shadow-[inset_0_-2px_0_var(--sea)]': target === sources.length && i === sources.length - 1,
            'bg-paper/60': !s.counts,
            'pl-4': inGroup.has(s.id),
          }"
          :data-id="s.id"
          :data-label="s.label"
          data-test="source"
          draggable="true"
          @dragstart="dragged = s.id"
          @dragend="dragged = target = null"
          @dragover.prevent="dragged && (target = placeUnder($event, i))"
        >
          <div
            :class="[
              'grid grid-cols-[22px_40px_minmax(0,1fr)_116px_64px_72px_auto] items-center',
              'gap-3 px-4 py-2 text-[13px]',
            ]"
          >
            <button
              class="cursor-grab text-faint"
              data-handle
              :aria-label="`Move ${s.label}; Alt with arrow up or down`"
              title="Drag, or Alt with the arrow keys"
              @keydown="byKey($event, i)"
            >
              <span class="grid grid-cols-2 gap-0.5"
                ><span v-for="n in 6" :key="n" class="size-1 rounded-full bg-faint/60"
              /></span>
            </button>
            <Switch
              :on="s.on"
              :label="`${s.label} counts`"
              data-test="switch"
              @click="act(api.changeSource(s.id, { on: !s.on }))"
            />
            <div class="min-w-0">
              <p class="truncate">
                <span class="font-semibold" :class="{ 'text-faint': !s.counts }">{{ s.label }}</span>
                <span class="text-faint"
                  >{{ kindWords[s.kind] ?? s.kind.replaceAll('_', ' ')
                  }}<template v-if="s.language">, {{ s.language }}</template></span
                >
              </p>
              <p
                v-if="why(s) || s.hashed || s.problems.length || s.any_version || verified(s)"
                class="flex flex-wrap items-center gap-x-3 text-[12px]"
              >
                <span v-if="why(s)" :class="s.state === 'failed' ? 'text-brick' : 'text-faint'">{{ why(s) }}</span>
                <span v-if="s.hashed" class="flex items-center gap-1.5 text-faint" data-test="coverage"
                  ><span class="inline-block h-1.5 w-16 overflow-hidden rounded-full bg-sunk"
                    ><span class="block h-full bg-sea" :style="{ width: `${(s.named / s.hashed) * 100}%` }" /></span
                  >{{ count(s.named) }} of {{ count(s.hashed) }} names known</span
                >
                <button
                  v-if="needsKey(s)"
                  class="font-medium text-brick underline underline-offset-2"
                  @click="emit('keys')"
                >
                  {{
                    s.problems
                      .find((p) => p.code.startsWith('key-'))!
                      .line.split(': ')
                      .slice(1)
                      .join(': ')
                      .split('.')[0]
                  }}
                </button>
                <button
                  v-else-if="s.problems.length"
                  class="text-brick underline underline-offset-2"
                  @click="emit('problems')"
                >
                  {{ count(s.problems.length) }} {{ s.problems.length === 1 ? 'problem' : 'problems' }}
                </button>
                <button
                  v-if="s.problems.some((p) => p.code === 'unknown-version')"
                  class="underline underline-offset-2"
                  data-test="any-version"
                  @click="act(api.changeSource(s.id, { any_version: true }))"
                >
                  Read by the nearest version
                </button>
                <span v-if="verified(s)" class="text-sea" data-test="verified">every entry verified, all well</span>
                <span v-if="s.any_version" class="text-marigold">read by the nearest version</span>
              </p>
            </div>
            <input
              :class="[
                'w-full truncate rounded border border-transparent',
                'bg-transparent px-1 text-[12.5px] text-faint hover:border-line focus:border-line',
              ]"
              :value="s.layer"
              placeholder="no group"
              :aria-label="`Group of ${s.label}`"
              title="The group this source belongs to"
              @change="act(api.changeSource(s.id, { layer: ($event.target as HTMLInputElement).value }))"
            />
            <span class="num text-right">{{ count(s.entries) }}</span>
            <span class="num text-right text-faint">{{ bytes(s.size) }}</span>
            <div class="flex gap-1">
              <button
                class="quiet"
                title="Unpack every entry and compare checksums"
                @click="act(api.verifySource(s.id))"
              >
                Verify
              </button>
              <button class="quiet" @click="act(api.readSource(s.id))">Read again</button>
              <button class="quiet" data-test="remove-source" @click="leaving = leaving?.id === s.id ? null : s">
                Remove
              </button>
            </div>
          </div>
          <div v-if="leaving?.id === s.id" class="flex items-center gap-3 bg-marigold-soft px-4 py-2 text-[13px]">
            <span class="flex-1">Take {{ s.label }} out of the project? Nothing on disk is touched.</span>
            <button
              class="button py-0.5"
              data-test="remove-yes"
              @click="(act(api.removeSource(s.id)), (leaving = null))"
            >
              Take it out
            </button>
            <button class="button py-0.5" @click="leaving = null">Keep it</button>
          </div>
        </li>
      </template>
    </ol>
    <div class="mt-3 space-y-1 text-[12.5px]">
      <div v-for="mount in mounts" :key="mount">
        <p class="flex items-center gap-3 text-faint">
          <span class="min-w-0 flex-1 truncate font-mono text-[12px]" :title="mount">{{ mount }}</span>
          <button
            class="underline underline-offset-2"
            title="Look for new and changed packs"
            @click="emit('remount', mount)"
          >
            Look again
          </button>
          <button
            v-if="below(mount) > 1"
            class="words"
            data-test="unmount"
            title="Take this place with all its sources out of the project; nothing on disk is touched"
            @click="clearing = clearing === mount ? null : mount"
          >
            Take all out
          </button>
        </p>
        <div v-if="clearing === mount" class="mt-1 flex items-center gap-3 rounded-md bg-marigold-soft px-4 py-2">
          <span class="flex-1"
            >Take all {{ count(below(mount)) }} sources of this place out of the project? Nothing on disk is
            touched.</span
          >
          <button
            class="button py-0.5"
            data-test="unmount-yes"
            @click="(act(api.unmount(project, mount)), (clearing = null))"
          >
            Take them out
          </button>
          <button class="button py-0.5" @click="clearing = null">Keep them</button>
        </div>
      </div>
    </div>
  </div>
</template>
