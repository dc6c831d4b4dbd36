<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { ref } from 'vue'
import type { StepKind, StepUse, ViewContent, Workpiece } from '../../api/client'
import StepForm from './StepForm.vue'

const { workpiece, content, kinds } = defineProps<{ workpiece: Workpiece | undefined; content: ViewContent | undefined; kinds: StepKind[]; hidden: Set<string> }>()
const emit = defineEmits<{ set: [steps: StepUse[]]; add: [step: string, params: Record<string, unknown>]; undo: []; redo: []; deliver: [] }>()
const adding = ref<StepKind>()
const editing = ref<number>()
const steps = () => workpiece?.steps ?? []
const title = (name: string) => kinds.find((k) => k.name === name)?.title ?? name
const change = (i: number, use: Partial<StepUse>) => emit('set', steps().map((s, n) => (n === i ? { ...s, ...use } : s)))
const remove = (i: number) => emit('set', steps().filter((_, n) => n !== i))

function move(i: number, by: number) {
  const list = [...steps()]
  const [taken] = list.splice(i, 1)
  list.splice(i + by, 0, taken!)
  emit('set', list)
}

function edited(params: Record<string, unknown>) {
  if (editing.value === undefined) emit('add', adding.value!.name, params)
  else change(editing.value, { params })
  adding.value = editing.value = undefined
}
const picture = (i: number) => content?.pictures[i] && `/api/blobs/${content.pictures[i]}`
</script>

<template>
  <footer class="flex h-[164px] items-stretch gap-3 border-t border-line bg-sunk px-4 py-3">
    <div class="flex w-32 shrink-0 flex-col justify-between">
      <div>
        <h2 class="heading">Steps</h2>
        <p class="text-[12px] text-faint">{{ steps().length ? `${steps().filter((s) => s.on).length} of ${steps().length} on` : 'none yet' }}</p>
      </div>
      <div class="flex gap-1">
        <button class="button flex-1 px-1.5" :disabled="!workpiece?.can_undo" title="Undo (Ctrl+Z)" data-test="undo" @click="emit('undo')">Undo</button>
        <button class="button flex-1 px-1.5" :disabled="!workpiece?.can_redo" title="Redo (Ctrl+Y)" @click="emit('redo')">Redo</button>
      </div>
    </div>
    <div class="flex min-w-0 flex-1 items-stretch gap-2 overflow-x-auto">
      <figure class="flex w-36 shrink-0 flex-col overflow-hidden rounded-lg border border-line bg-sheet">
        <div class="flex min-h-0 flex-1 items-center justify-center"><img v-if="picture(0)" :src="picture(0)" alt="As it came" class="h-full object-contain" /></div>
        <figcaption class="border-t border-line px-2 py-1 text-[12.5px]">As it came</figcaption>
      </figure>
      <article
        v-for="(use, i) in steps()"
        :key="i"
        class="flex w-64 shrink-0 flex-col overflow-hidden rounded-lg border bg-sheet"
        :class="content?.steps[i]?.fault ? 'border-brick' : 'border-line'"
        data-test="step"
        :data-step="use.step"
      >
        <div class="flex min-h-0 flex-1" :class="{ 'opacity-40': !use.on }">
          <div class="flex min-w-0 flex-1 items-center justify-center border-r border-line"><img v-if="picture(i)" :src="picture(i)" alt="Before" title="before" class="h-full object-contain" /></div>
          <div class="flex min-w-0 flex-1 items-center justify-center"><img v-if="picture(i + 1)" :src="picture(i + 1)" alt="After" title="after" class="h-full object-contain" /></div>
        </div>
        <div class="border-t border-line px-2 py-1">
          <div class="flex items-center gap-2">
            <label class="flex min-w-0 flex-1 items-center gap-1.5 text-[13px] font-medium">
              <input type="checkbox" class="accent-(--sea)" :checked="use.on" :aria-label="`${title(use.step)} on`" data-test="step-on" @change="change(i, { on: !use.on })" />
              <span class="truncate">{{ title(use.step) }}</span>
            </label>
            <Menu as="div" class="relative">
              <MenuButton class="rounded px-1.5 text-[12.5px] text-faint hover:bg-sunk" :aria-label="`More about ${title(use.step)}`">More</MenuButton>
              <MenuItems class="fixed z-30 -mt-40 flex w-36 flex-col rounded-md border border-line bg-sheet p-1 text-[13px] shadow-lg">
                <MenuItem><button class="rounded px-2 py-1 text-left ui-active:bg-sunk hover:bg-sunk" @click="((editing = i), (adding = kinds.find((k) => k.name === use.step)))">Change…</button></MenuItem>
                <MenuItem :disabled="i === 0"><button class="rounded px-2 py-1 text-left hover:bg-sunk disabled:opacity-40" :disabled="i === 0" @click="move(i, -1)">Earlier</button></MenuItem>
                <MenuItem :disabled="i === steps().length - 1"><button class="rounded px-2 py-1 text-left hover:bg-sunk disabled:opacity-40" :disabled="i === steps().length - 1" @click="move(i, 1)">Later</button></MenuItem>
                <MenuItem><button class="rounded px-2 py-1 text-left text-brick hover:bg-sunk" data-test="remove-step" @click="remove(i)">Remove</button></MenuItem>
              </MenuItems>
            </Menu>
          </div>
          <p class="truncate text-[12px]" :class="content?.steps[i]?.fault ? 'text-brick' : 'text-faint'" :title="content?.steps[i]?.fault?.line ?? content?.steps[i]?.summary">
            {{ content?.steps[i]?.fault?.line ?? (use.on ? content?.steps[i]?.summary : 'switched off') }}
          </p>
        </div>
      </article>
      <Menu as="div" class="relative flex shrink-0">
        <MenuButton class="flex w-28 items-center justify-center rounded-lg border border-dashed border-faint text-[13px] font-medium hover:bg-sheet" data-test="add-step">Add a step</MenuButton>
        <MenuItems class="fixed bottom-40 z-30 w-72 rounded-md border border-line bg-sheet p-1 shadow-lg">
          <MenuItem v-for="kind in kinds" :key="kind.name">
            <button class="w-full rounded px-3 py-1.5 text-left hover:bg-sunk" @click="((editing = undefined), (adding = kind))">
              <span class="block text-[13.5px] font-medium">{{ kind.title }}</span><span class="block text-[12px] text-faint">{{ kind.about }}</span>
            </button>
          </MenuItem>
        </MenuItems>
      </Menu>
    </div>
    <button class="button button-main w-32 shrink-0 flex-col gap-0 text-[15px]" :disabled="!content" data-test="go-deliver" @click="emit('deliver')">Deliver…<span class="text-[12px] font-normal opacity-85">write and prove</span></button>
    <StepForm
      v-if="adding"
      :kind="adding"
      :values="editing === undefined ? {} : (steps()[editing]?.params ?? {})"
      :parts="content?.facts.parts.map((p) => p.name) ?? []"
      :hidden="hidden"
      @close="adding = editing = undefined"
      @done="edited"
    />
  </footer>
</template>
