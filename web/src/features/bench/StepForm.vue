<script setup lang="ts">
import { computed, reactive } from 'vue'
import type { StepKind } from '../../api/client'
import Sheet from '../../components/Sheet.vue'

interface Parameter {
  type?: string
  title?: string
  description?: string
  default?: unknown
  enum?: string[]
}
const { kind, values, parts, hidden } = defineProps<{ kind: StepKind; values: Record<string, unknown>; parts: string[]; hidden: Set<string> }>()
const emit = defineEmits<{ close: []; done: [params: Record<string, unknown>] }>()
const parameters = computed(() => Object.entries((kind.parameters.properties ?? {}) as Record<string, Parameter>))
const named = [...new Set([...parts, ...((values.parts as string[] | undefined) ?? [])])]
const start = (name: string, p: Parameter) => values[name] ?? (p.type === 'array' ? (hidden.size ? parts.filter((x) => !hidden.has(x)) : []) : (p.default ?? (p.type === 'number' ? 1 : '')))
const form = reactive<Record<string, unknown>>(Object.fromEntries(parameters.value.map(([name, p]) => [name, start(name, p)])))
</script>

<template>
  <Sheet open :title="kind.title" @close="emit('close')">
    <form class="space-y-4" @submit.prevent="emit('done', { ...form })">
      <p class="text-faint">{{ kind.about }}</p>
      <div v-for="[name, p] in parameters" :key="name">
        <label class="mb-1 block text-[13px] font-semibold" :for="`p-${name}`">{{ p.title ?? name }} <span class="font-normal text-faint">{{ p.description }}</span></label>
        <select v-if="p.type === 'array'" :id="`p-${name}`" v-model="form[name]" multiple class="field h-40 w-full">
          <option v-for="part in named" :key="part" :value="part">{{ part }}</option>
        </select>
        <select v-else-if="p.enum" :id="`p-${name}`" v-model="form[name]" class="field">
          <option v-for="choice in p.enum" :key="choice">{{ choice }}</option>
        </select>
        <input v-else-if="p.type === 'boolean'" :id="`p-${name}`" v-model="form[name]" type="checkbox" class="size-4 accent-(--sea)" />
        <input v-else :id="`p-${name}`" v-model.number="form[name]" class="field num" :type="p.type === 'number' ? 'number' : 'text'" step="any" />
      </div>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button class="button button-main" data-test="step-done">Run the step</button>
      </div>
    </form>
  </Sheet>
</template>
