<script setup lang="ts">
import type { StepUse, ViewContent } from '../../api/client'
import MoreMenu from '../../components/MoreMenu.vue'

type Run = ViewContent['steps'][number]
// `run` and the pictures are those of this very step, or absent while it is worked out anew.
const { use, title, run, rule, first, last } = defineProps<{
  use: StepUse
  title: string
  run: Run | undefined
  before: string | undefined
  after: string | undefined
  rule: string
  first: boolean
  last: boolean
}>()
const emit = defineEmits<{ change: []; toggle: []; move: [by: number]; remove: [] }>()
const words = () => {
  if (!use.on) return 'switched off'
  if (!run) return 'working it out…'
  return run.fault ? `${String(run.fault.message)}` : run.summary
}
const acts = () => [
  { words: 'Change…', run: () => emit('change') },
  ...(first ? [] : [{ words: 'Earlier', run: () => emit('move', -1) }]),
  ...(last ? [] : [{ words: 'Later', run: () => emit('move', 1) }]),
  { words: 'Remove', run: () => emit('remove'), grave: true, test: 'remove-step' },
]
</script>

<template>
  <article
    class="flex w-64 shrink-0 flex-col rounded-lg border bg-sheet"
    :class="run?.fault ? 'border-brick' : 'border-line'"
    data-test="step"
    :data-step="use.step"
  >
    <div class="flex min-h-0 flex-1" :class="{ 'opacity-40': !use.on }">
      <div class="flex min-w-0 flex-1 items-center justify-center border-r border-line">
        <img v-if="before" :src="before" alt="Before" class="h-full object-contain" />
      </div>
      <div class="flex min-w-0 flex-1 items-center justify-center">
        <img v-if="after" :src="after" alt="After" class="h-full object-contain" />
      </div>
    </div>
    <div class="border-t border-line px-2 py-1">
      <div class="flex items-center gap-2">
        <label class="flex min-h-6 min-w-0 flex-1 items-center gap-1.5 text-[13px] font-medium">
          <input
            type="checkbox"
            class="size-4 accent-(--sea)"
            :checked="use.on"
            :aria-label="`${title} on`"
            data-test="step-on"
            @change="emit('toggle')"
          />
          <span class="truncate" :title="rule || title">
            {{ title }}<span v-if="rule" class="font-normal text-faint"> · {{ rule }}</span>
          </span>
        </label>
        <MoreMenu :label="`More about ${title}`" :acts="acts()" upwards />
      </div>
      <p
        class="truncate text-[12px]"
        :class="run?.fault ? 'text-brick' : 'text-faint'"
        :title="run?.fault?.line ?? run?.summary"
      >
        {{ words() }}
      </p>
    </div>
  </article>
</template>
