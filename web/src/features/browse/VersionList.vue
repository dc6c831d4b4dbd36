<script setup lang="ts">
import { ref, watch } from 'vue'
import { api, type Version } from '../../api/client'
import { OPENABLE } from '../../model/kinds'
import { bytes, told } from '../../model/words'

const { entry } = defineProps<{ entry: number }>()
const emit = defineEmits<{ open: [source: string]; look: [version: Version] }>()
const versions = ref<Version[]>([])
const error = ref('')
watch(
  () => entry,
  async (wanted) => {
    error.value = ''
    versions.value = []
    try {
      const found = await api.versions(wanted)
      if (wanted === entry) versions.value = found
    } catch (problem) {
      error.value = told(problem)
    }
  },
  { immediate: true },
)
const words = (v: Version) => {
  if (v.wins) return 'this one counts'
  const why = v.counts ? 'lies under it' : 'is switched off or in another language'
  return `${why}, ${v.differs.length ? 'other content' : 'same content'}`
}
</script>

<template>
  <div class="px-4 py-3 text-[13px]">
    <p v-if="error" class="rounded-md bg-brick-soft px-2 py-1 text-brick">{{ error }}</p>
    <ol class="space-y-2">
      <li
        v-for="v in versions"
        :key="v.id"
        class="rounded-lg border p-2.5"
        :class="v.wins ? 'border-sea bg-sea-soft/50' : 'border-line'"
        data-test="version"
      >
        <div class="flex items-baseline justify-between gap-2">
          <span class="truncate font-semibold">{{ v.source }}</span><span class="num text-[12px]">{{
            bytes(v.size)
          }}</span>
        </div>
        <p class="text-[12px]" :class="v.wins ? 'text-sea' : v.differs.length ? 'text-marigold' : 'text-faint'">
          {{ words(v) }}
        </p>
        <ul
          v-if="v.differs.length"
          class="mt-1 list-disc pl-4 text-[12px] break-words marker:text-faint"
          data-test="differs"
        >
          <li v-for="line in v.differs" :key="line">{{ line }}</li>
        </ul>
        <div class="mt-1.5 flex gap-1.5">
          <button class="button py-0.5" data-test="look-version" @click="emit('look', v)">Look at this one</button>
          <button v-if="OPENABLE.has(v.kind)" class="button py-0.5" @click="emit('open', v.source_id)">Open</button>
          <a class="button py-0.5" :href="`/api/entries/${v.id}/raw`">Save</a>
        </div>
      </li>
    </ol>
    <p v-if="!versions.length && !error" class="text-faint">Comparing…</p>
    <p v-if="versions.length === 1" class="mt-3 text-[12.5px] text-faint">Only one source holds this path.</p>
  </div>
</template>
