<script setup lang="ts">
/** A switch; `mixed` when it stands for several that are not alike. */
const { on, label } = defineProps<{ on: boolean | 'mixed'; label: string }>()
</script>

<template>
  <button
    role="switch"
    :aria-checked="on"
    :aria-label="label"
    class="relative h-5 w-9 rounded-full border"
    :class="on === true ? 'border-sea bg-sea' : 'border-line bg-sunk'"
  >
    <span
      class="absolute top-0.5 size-3.5 rounded-full bg-sheet shadow transition-[left]"
      :class="on === 'mixed' ? 'left-[10px] bg-sea!' : on ? 'left-[18px]' : 'left-0.5'"
    />
  </button>
</template>
