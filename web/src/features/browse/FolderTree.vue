<script setup lang="ts">
import { ref, watch } from 'vue'
import { api, type Folder } from '../../api/client'
import { count, last } from '../../model/words'

const { project, chosen, total, version } = defineProps<{ project: string; chosen: string | null; total: number; version: number }>()
const emit = defineEmits<{ choose: [path: string | null] }>()
const LEVEL = 500
const children = ref(new Map<string, Folder[]>())
const open = ref(new Set<string>())

interface Line {
  folder: Folder
  depth: number
  more: boolean
}
const lines = ref<Line[]>([])

function lay() {
  const found: Line[] = []
  const walk = (path: string, depth: number) => {
    const list = children.value.get(path) ?? []
    for (const folder of list) {
      found.push({ folder, depth, more: false })
      if (open.value.has(folder.path)) walk(folder.path, depth + 1)
    }
    if (list.length && list.length % LEVEL === 0) found.push({ folder: { ...list[0]!, path }, depth, more: true })
  }
  walk('', 0)
  lines.value = found
}

async function fetchLevel(path: string, offset = 0) {
  const found = await api.folders(project, path, offset).catch(() => [])
  children.value.set(path, offset ? [...(children.value.get(path) ?? []), ...found] : found)
  lay()
}

function toggle(folder: Folder) {
  if (open.value.delete(folder.path)) lay()
  else {
    open.value.add(folder.path)
    if (children.value.has(folder.path)) lay()
    else void fetchLevel(folder.path)
  }
}

watch(
  () => [project, version],
  async () => {
    if (!project) return
    await Promise.all(['', ...open.value].map((path) => fetchLevel(path)))
  },
  { immediate: true },
)
</script>

<template>
  <nav aria-label="Folders" class="text-[13px]">
    <button class="flex w-full items-baseline gap-2 px-4 py-1 text-left" :class="chosen === null ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'" @click="emit('choose', null)">
      <span class="flex-1">All folders</span><span class="num text-[11.5px] text-faint">{{ count(total) }}</span>
    </button>
    <div v-for="line in lines" :key="`${line.folder.path}${line.more}`" class="flex items-baseline pr-4" :class="chosen === line.folder.path && !line.more ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'" :style="{ paddingLeft: `${10 + line.depth * 13}px` }" data-test="folder" :data-folder="line.more ? undefined : line.folder.path">
      <button v-if="line.more" class="py-1 pl-5 text-left text-faint underline" @click="fetchLevel(line.folder.path, children.get(line.folder.path)?.length ?? 0)">more folders…</button>
      <template v-else>
        <button v-if="line.folder.deeper" class="w-5 shrink-0 py-1 text-faint" :aria-label="`${open.has(line.folder.path) ? 'Close' : 'Open'} ${last(line.folder.path)}`" :aria-expanded="open.has(line.folder.path)" @click="toggle(line.folder)">{{ open.has(line.folder.path) ? '−' : '+' }}</button>
        <span v-else class="w-5 shrink-0" />
        <button class="flex min-w-0 flex-1 items-baseline gap-2 py-1 text-left" :title="line.folder.purpose ? `${line.folder.path}: ${line.folder.purpose}` : line.folder.path" @click="emit('choose', line.folder.path)" @dblclick="line.folder.deeper && toggle(line.folder)">
          <span class="min-w-0 flex-1 truncate">{{ line.folder.alias || last(line.folder.path) }}<span v-if="line.folder.alias || line.folder.purpose" class="ml-1.5 text-[12px] font-normal text-faint">{{ line.folder.alias ? last(line.folder.path) : line.folder.purpose }}</span></span>
          <span class="num text-[11.5px] text-faint">{{ count(line.folder.entries) }}</span>
        </button>
      </template>
    </div>
  </nav>
</template>
