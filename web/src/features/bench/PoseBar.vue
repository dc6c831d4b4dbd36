<script setup lang="ts">
import { ref } from 'vue'
import { useKeys } from '../../composables/useKeys'
import type { Posing } from '../../composables/usePosing'
import { freeName, touched } from '../../model/pose'

const { posing, joint, taken } = defineProps<{ posing: Posing; joint: string; taken: string[] }>()
const emit = defineEmits<{ keep: [params: Record<string, unknown>]; end: [] }>()
const { grip, posed, error, undoable } = posing
const name = ref(freeName(taken))
const grips = [
  ['turn', 'Turn', 'Rings that turn the joint about its own axes (1)'],
  ['pull', 'Pull', 'Arrows that pull it: the two bones above follow (2)'],
] as const

function keep() {
  if (!touched(posed.value).length || !name.value.trim()) return
  emit('keep', { ...posing.wanted(name.value.trim()) })
}
useKeys('Pose', [
  ['1', 'Turn the joint', () => (grip.value = 'turn')],
  ['2', 'Pull the joint', () => (grip.value = 'pull')],
  ['Ctrl+Z', 'Take the last change of the pose back', posing.undo],
  ['Escape', 'Leave the pose', () => emit('end')],
])
</script>

<template>
  <form
    class="flex flex-wrap items-center gap-2 border-t border-marigold bg-marigold-soft px-3 py-1.5 text-[12.5px]"
    aria-label="Pose"
    data-test="pose-bar"
    @submit.prevent="keep"
  >
    <b class="text-marigold">Pose</b>
    <div class="flex overflow-hidden rounded-md border border-line bg-sheet" role="group" aria-label="What handles do">
      <button
        v-for="[one, words, title] in grips"
        :key="one"
        type="button"
        class="px-2.5 py-1"
        :class="grip === one ? 'bg-sea-soft font-semibold text-sea' : 'hover:bg-sunk'"
        :aria-pressed="grip === one"
        :title="title"
        :data-test="`grip-${one}`"
        @click="grip = one"
      >
        {{ words }}
      </button>
    </div>
    <span class="min-w-0 flex-1 truncate" :class="error ? 'text-brick' : 'text-faint'" role="status">
      <template v-if="error">{{ error }}</template>
      <template v-else-if="!joint">Choose a joint: its dot, or its name.</template>
      <template v-else-if="!touched(posed).length">Drag a handle, or give angles.</template>
      <template v-else>{{ touched(posed).join(', ') }}</template>
    </span>
    <button type="button" class="button py-1" :disabled="!undoable" data-test="pose-undo" @click="posing.undo">
      Undo
    </button>
    <label class="flex items-center gap-1.5">
      <span class="text-faint">Keep as</span>
      <input v-model="name" class="field w-32 py-0.5" maxlength="200" autocomplete="off" data-test="pose-name" />
    </label>
    <button type="button" class="button py-1" data-test="pose-end" @click="emit('end')">Cancel</button>
    <button class="button button-main py-1" :disabled="!touched(posed).length || !name.trim()" data-test="pose-keep">
      Keep the pose
    </button>
  </form>
</template>
