<script setup lang="ts">
import { nextTick, onMounted, ref, shallowRef, useTemplateRef } from 'vue'
import { api, type Link, type Variant } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { useEvents } from '../../composables/useEvents'
import { useProject } from '../../composables/useProject'
import { pictured, sureness } from '../../model/slots'
import { last } from '../../model/words'

// What may stand where a link leads now, or where nothing was found; the surest first.
const { link } = defineProps<{ link: Link }>()
const emit = defineEmits<{ choose: [entry: string, slot: string] }>()
const { id: project } = useProject()
const found = shallowRef<Variant[]>()
const slot = ref('')
const error = ref<unknown>(null)
const list = useTemplateRef<HTMLElement>('list')

async function look() {
  const named = link.entry || link.name || 'skeleton'
  try {
    if (link.kind === 'texture') {
      const likely = await api.texturesLike(project.value, { named, gap: link.slot })
      slot.value = likely.slot
      found.value = likely.candidates
    } else found.value = await api.entriesLike(project.value, { named, kind: link.kind })
  } catch (problem) {
    error.value = problem
  }
  // Where the button that asked is gone, a key goes on with the likeliest.
  await nextTick()
  if (document.activeElement === document.body) list.value?.querySelector<HTMLElement>('button:not(:disabled)')?.focus()
}
onMounted(look)
useEvents((event) => {
  if (event.picture && found.value) found.value = pictured(found.value, event.picture)
})
</script>

<template>
  <div>
    <Problem v-if="error" :error="error" class="mt-2" @close="error = null" />
    <p v-else-if="!found" class="py-1 text-[13px] text-faint" role="status">Looking…</p>
    <p v-else-if="!found.length" class="rounded-md bg-sunk px-3 py-2 text-[13px]">
      No {{ link.kind }} of the sources is called like it. Mount the folder or pack that holds it.
    </p>
    <ul v-else ref="list" class="max-h-72 space-y-1 overflow-auto" :aria-label="`What may be meant: ${link.kind}s`">
      <li v-for="one in found" :key="one.path">
        <button
          class="flex w-full items-center gap-2 rounded-md border border-line bg-sheet p-1.5 text-left hover:border-sea disabled:border-sea disabled:bg-sea-soft"
          :title="`${one.path}: ${one.why}`"
          :disabled="one.path === link.entry"
          data-test="candidate"
          @click="emit('choose', one.path, slot)"
        >
          <span
            v-if="link.kind !== 'material'"
            class="flex size-12 shrink-0 items-center justify-center overflow-hidden rounded bg-sunk"
          >
            <img v-if="one.picture" :src="`/api/blobs/${one.picture}`" alt="" class="size-full object-cover" />
          </span>
          <span class="min-w-0 flex-1 text-[12.5px] leading-snug">
            <span class="block truncate font-medium">{{ last(one.path) }}</span>
            <span class="line-clamp-2 text-faint">
              {{ one.path === link.entry ? 'what it is now' : `${sureness(one.sureness)}: ${one.why}` }}
            </span>
          </span>
        </button>
      </li>
    </ul>
  </div>
</template>
