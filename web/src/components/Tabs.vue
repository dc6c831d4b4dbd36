<script setup lang="ts">
// A row of tabs: the arrow keys, Home and End go from one to the next.
const { tabs } = defineProps<{ tabs: readonly (readonly [name: string, title: string])[]; label: string }>()
const chosen = defineModel<string>({ required: true })

function byKey(event: KeyboardEvent) {
  const at = tabs.findIndex(([name]) => name === chosen.value)
  const places: Record<string, number> = {
    ArrowRight: (at + 1) % tabs.length,
    ArrowLeft: (at + tabs.length - 1) % tabs.length,
    Home: 0,
    End: tabs.length - 1,
  }
  const to = tabs[places[event.key] ?? -1]
  if (!to) return
  event.preventDefault()
  chosen.value = to[0]
  const row = event.currentTarget as HTMLElement
  row.querySelector<HTMLElement>(`[data-test='tab-${to[0]}']`)?.focus()
}
</script>

<template>
  <div class="flex gap-4" role="tablist" :aria-label="label" tabindex="-1" @keydown="byKey">
    <button
      v-for="[name, title] in tabs"
      :key="name"
      role="tab"
      :tabindex="chosen === name ? 0 : -1"
      :aria-selected="chosen === name"
      class="-mb-px min-h-6 border-b-2 pb-1.5"
      :class="chosen === name ? 'border-sea font-semibold text-sea' : 'border-transparent text-faint hover:text-ink'"
      :data-test="`tab-${name}`"
      @click="chosen = name"
    >
      {{ title }}
    </button>
  </div>
</template>
