<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { api, type Finding, type StepUse, type TexturesLike } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { useEvents } from '../../composables/useEvents'
import { useProject } from '../../composables/useProject'
import { pictured, sureness } from '../../model/slots'
import { last } from '../../model/words'

// Looks for what a material names and nobody could supply; what is chosen becomes a step.
const { finding } = defineProps<{ finding: Finding }>()
const emit = defineEmits<{ link: [step: StepUse] }>()
const { id: project } = useProject()
const found = shallowRef<TexturesLike>()
const looking = ref(false)
const error = ref<unknown>(null)
const said = (label: string) => String(finding.evidence.find((one) => one.label === label)?.value ?? '')
const material = computed(() => said('material'))

async function look() {
  looking.value = true
  error.value = null
  try {
    found.value = await api.texturesLike(project.value, said('named'), said('slot'))
  } catch (problem) {
    error.value = problem
  }
  looking.value = false
}
useEvents((event) => {
  if (event.picture && found.value)
    found.value = { ...found.value, candidates: pictured(found.value.candidates, event.picture) }
})
const link = (entry: string) =>
  emit('link', {
    step: 'link_texture',
    params: { entry, materials: [material.value], slot: found.value?.slot },
    on: true,
    because: finding.rule,
  })
</script>

<template>
  <div class="mt-3">
    <button v-if="!found" class="button w-full" :disabled="looking" data-test="find-texture" @click="look">
      {{ looking ? 'Looking…' : 'Look for it in the sources' }}
    </button>
    <Problem v-if="error" :error="error" class="mt-2" @close="error = null" />
    <template v-if="found">
      <p v-if="!found.candidates.length" class="rounded-md bg-sunk px-3 py-2 text-[13px]">
        No texture of the sources is called like it. Mount the folder or pack that holds it.
      </p>
      <ul v-else class="max-h-72 space-y-1 overflow-auto" aria-label="Textures that may be meant">
        <li v-for="one in found.candidates" :key="one.path">
          <button
            class="flex w-full items-center gap-2 rounded-md border border-line bg-sheet p-1.5 text-left hover:border-sea"
            :title="`${one.path}: ${one.why}`"
            data-test="candidate"
            @click="link(one.path)"
          >
            <span class="flex size-12 shrink-0 items-center justify-center overflow-hidden rounded bg-sunk">
              <img v-if="one.picture" :src="`/api/blobs/${one.picture}`" alt="" class="size-full object-cover" />
            </span>
            <span class="min-w-0 flex-1 text-[12.5px] leading-snug">
              <span class="block truncate font-medium">{{ last(one.path) }}</span>
              <span class="line-clamp-2 text-faint">{{ sureness(one.sureness) }}: {{ one.why }}</span>
            </span>
          </button>
        </li>
      </ul>
    </template>
  </div>
</template>
