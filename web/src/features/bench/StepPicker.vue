<script setup lang="ts">
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/vue'
import { computed, ref } from 'vue'
import type { StepKind, ViewContent } from '../../api/client'
import Sheet from '../../components/Sheet.vue'
import { actsOn, grouped, proposals, type Proposal } from '../../model/steps'

const { kinds, content, hidden } = defineProps<{
  kinds: StepKind[]
  content: ViewContent | undefined
  hidden: Set<string>
}>()
const emit = defineEmits<{ close: []; pick: [kind: StepKind]; propose: [proposal: Proposal] }>()
const words = ref('')
const groups = computed(() => grouped(kinds, words.value))
const proposed = computed(() => proposals(content?.findings, words.value))
const parts = computed(() => content?.facts.parts ?? [])
const shown = computed(() => parts.value.filter((p) => !hidden.has(p.name)).length)
const titles: Record<string, string> = {
  assemble: 'Parts',
  materials: 'Materials',
  uvs: 'Texture coordinates',
  geometry: 'Geometry and place',
  motion: 'Clips and poses',
  skin: 'Joints and weights',
}

function take(choice: StepKind | Proposal) {
  if ('params' in choice) emit('propose', choice)
  else emit('pick', choice)
}
</script>

<template>
  <Sheet open wide title="Add a step" @close="emit('close')">
    <Combobox :model-value="null" nullable immediate @update:model-value="(choice) => choice && take(choice)">
      <ComboboxInput
        class="field w-full"
        placeholder="Search: weld, normals, mirror…"
        aria-label="Search for a step"
        data-test="search-steps"
        autocomplete="off"
        @change="words = ($event.target as HTMLInputElement).value"
      />
      <ComboboxOptions static class="mt-3 max-h-[56vh] overflow-auto focus:outline-none">
        <template v-if="proposed.length">
          <li class="heading px-2 pt-1 pb-1" role="presentation">Proposed by findings</li>
          <ComboboxOption
            v-for="(one, i) in proposed"
            :key="`p${i}`"
            v-slot="{ active }"
            :value="one"
            as="template"
            data-test="proposed"
          >
            <li class="flex cursor-pointer gap-4 rounded px-2 py-1.5" :class="active && 'bg-sea-soft'">
              <span class="w-56 shrink-0 text-[13.5px] font-medium">{{ one.label }}</span>
              <span class="min-w-0 flex-1 text-[12.5px] text-faint">{{ one.title }}</span>
            </li>
          </ComboboxOption>
        </template>
        <template v-for="[group, steps] in groups" :key="group">
          <li class="heading px-2 pt-3 pb-1" role="presentation">{{ titles[group] ?? group }}</li>
          <ComboboxOption
            v-for="kind in steps"
            :key="kind.name"
            v-slot="{ active }"
            :value="kind"
            as="template"
            :data-test="`add-${kind.name}`"
          >
            <li class="flex cursor-pointer gap-4 rounded px-2 py-1.5" :class="active && 'bg-sea-soft'">
              <span class="w-56 shrink-0 text-[13.5px] font-medium">
                {{ kind.title }}
                <span class="block text-[12px] font-normal text-faint">
                  on {{ actsOn(kind, parts.length, shown) }}
                </span>
              </span>
              <span class="min-w-0 flex-1 text-[12.5px] text-faint">{{ kind.about }}</span>
            </li>
          </ComboboxOption>
        </template>
        <li v-if="!groups.length && !proposed.length" class="px-2 py-3 text-[13px] text-faint" role="presentation">
          No step is called so.
        </li>
      </ComboboxOptions>
    </Combobox>
  </Sheet>
</template>
