<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, type Folder } from '../../api/client'
import VirtualGrid from '../../components/VirtualGrid.vue'
import { count } from '../../model/words'
import FolderLine from './FolderLine.vue'

const { project, chosen, total, version } = defineProps<{
  project: string
  chosen: string | null
  total: number
  version: number
}>()
const emit = defineEmits<{ choose: [path: string | null] }>()
const PAGE = 200

/** One folder's own folders, as far as they were asked for. */
interface Level {
  folders: Folder[]
  whole: boolean
}
const levels = ref(new Map<string, Level>())
const open = ref(new Set<string>())

/** A line of the tree; without a folder it stands for those not asked for yet. */
interface Line {
  within: string
  depth: number
  folder?: Folder
}
const lines = computed(() => {
  const found: Line[] = []
  const walk = (within: string, depth: number) => {
    const level = levels.value.get(within)
    for (const folder of level?.folders ?? []) {
      found.push({ within, depth, folder })
      if (open.value.has(folder.path)) walk(folder.path, depth + 1)
    }
    if (!level?.whole) found.push({ within, depth })
  }
  walk('', 0)
  return found
})

async function fetchMore(within: string) {
  // Without a beginning there is nothing to go on from: it is on its way.
  const before = levels.value.get(within)?.folders
  if (!before) return
  const found = await api.folders(project, within, before.length).catch(() => undefined)
  if (found && (levels.value.get(within)?.folders ?? []).length === before.length)
    levels.value.set(within, { folders: [...before, ...found], whole: found.length < PAGE })
}

async function refresh(within: string) {
  const wanted = version
  const found = await api.folders(project, within).catch(() => undefined)
  if (found && wanted === version) levels.value.set(within, { folders: found, whole: found.length < PAGE })
}

// Opening a folder goes on through those that hold nothing but one other folder.
async function toggle(folder: Folder) {
  if (open.value.delete(folder.path)) return
  for (let at: Folder | undefined = folder; at;) {
    open.value.add(at.path)
    if (!levels.value.has(at.path)) await refresh(at.path)
    const level: Level | undefined = levels.value.get(at.path)
    const only: Folder | undefined = level?.whole && level.folders.length === 1 ? level.folders[0] : undefined
    at = only?.deeper && only.entries === at.entries ? only : undefined
  }
}

watch(
  () => [project, version] as const,
  ([now], before) => {
    if (now !== before?.[0]) {
      levels.value.clear()
      open.value.clear()
    }
    if (now) void Promise.all([...new Set(['', ...levels.value.keys()])].map(refresh))
  },
  { immediate: true },
)
</script>

<template>
  <nav aria-label="Folders" class="flex flex-col text-[13px]">
    <button
      class="mt-2 flex items-baseline gap-2 px-4 py-1 text-left"
      :class="chosen === null ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
      @click="emit('choose', null)"
    >
      <span class="flex-1">All folders</span><span class="num text-[11.5px] text-faint">{{ count(total) }}</span>
    </button>
    <VirtualGrid
      class="min-h-0 flex-1"
      label="Folders"
      :count="lines.length"
      :cell-height="28"
      :cell-width="null"
      :gap="0"
      :inset="0"
      :selected="-1"
    >
      <template #default="{ index }">
        <FolderLine
          v-if="lines[index]?.folder"
          :folder="lines[index].folder"
          :depth="lines[index].depth"
          :open="open.has(lines[index].folder.path)"
          :chosen="chosen === lines[index].folder.path"
          @choose="emit('choose', $event)"
          @toggle="toggle"
        />
        <p
          v-else-if="lines[index]"
          :key="`more ${lines[index].within} ${index}`"
          class="py-1 text-faint"
          :style="{ paddingLeft: `${30 + lines[index].depth * 13}px` }"
          @vue:mounted="fetchMore(lines[index].within)"
        >
          …
        </p>
      </template>
    </VirtualGrid>
  </nav>
</template>
