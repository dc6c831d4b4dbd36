<script setup lang="ts">
import { computed, ref } from 'vue'
import Sheet from '../components/Sheet.vue'
import { acts, useKeys, type KeyAct } from '../composables/useKeys'

const open = ref(false)
useKeys('Everywhere', [['?', 'Show this list', () => (open.value = true)]])
const groups = computed(() => {
  const found = new Map<string, KeyAct[]>()
  for (const act of acts) found.set(act.group, [...(found.get(act.group) ?? []), act])
  return [...found]
})
defineExpose({ show: () => (open.value = true) })
</script>

<template>
  <Sheet :open="open" title="What the keyboard does" @close="open = false">
    <section v-for="[group, list] in groups" :key="group" class="mb-4">
      <h3 class="heading mb-1">{{ group }}</h3>
      <dl class="divide-y divide-line">
        <div v-for="act in list" :key="act.words" class="flex justify-between py-1.5">
          <dt>{{ act.words }}</dt>
          <dd class="flex gap-1.5">
            <kbd v-for="key in act.keys.split(' ')" :key="key" class="num rounded border border-line bg-paper px-1.5">{{
              key
            }}</kbd>
          </dd>
        </div>
      </dl>
    </section>
    <div class="flex justify-end"><button class="button" @click="open = false">Close</button></div>
  </Sheet>
</template>
