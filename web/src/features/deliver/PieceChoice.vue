<script setup lang="ts">
import { computed } from 'vue'
import type { Workpiece } from '../../api/client'

// Which workpieces are delivered: one, whose address this is, and others beside it.
const { workpieces, id, also } = defineProps<{ workpieces: Workpiece[]; id: string; also: string[] }>()
const emit = defineEmits<{ choose: [id: string]; 'update:also': [ids: string[]] }>()
const others = computed(() => workpieces.filter((w) => w.id !== id && !also.includes(w.id)))
const added = computed(() => also.flatMap((one) => workpieces.find((w) => w.id === one) ?? []))
function add(event: Event) {
  const choice = event.target as HTMLSelectElement
  emit('update:also', [...also, choice.value])
  choice.value = ''
}
</script>

<template>
  <label class="heading" for="workpiece">{{ also.length ? 'Workpieces' : 'Workpiece' }}</label>
  <select
    id="workpiece"
    class="field mt-1 w-full"
    :value="id"
    @change="emit('choose', ($event.target as HTMLSelectElement).value)"
  >
    <option value="" disabled>Choose one</option>
    <option v-for="w in workpieces" :key="w.id" :value="w.id">{{ w.name }}</option>
  </select>
  <ul v-if="added.length" class="mt-1.5 space-y-1" data-test="also">
    <li v-for="w in added" :key="w.id" class="flex items-center rounded-md bg-paper py-1 pr-1 pl-3 text-[13px]">
      <span class="min-w-0 flex-1 truncate" :title="w.name">{{ w.name }}</span>
      <button
        type="button"
        class="words px-1.5"
        :aria-label="`Leave out ${w.name}`"
        @click="
          emit(
            'update:also',
            also.filter((one) => one !== w.id),
          )
        "
      >
        Leave out
      </button>
    </li>
  </ul>
  <template v-if="id && others.length">
    <label class="sr-only" for="beside">Another workpiece in the same delivery</label>
    <select id="beside" class="field mt-1.5 w-full text-faint" value="" @change="add">
      <option value="" disabled>And another…</option>
      <option v-for="w in others" :key="w.id" :value="w.id">{{ w.name }}</option>
    </select>
  </template>
</template>
