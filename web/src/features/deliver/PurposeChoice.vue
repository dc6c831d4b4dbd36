<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Purpose } from '../../api/client'
import NameForm from '../../components/NameForm.vue'
import { fromPurpose, purposeOf, said, type Wanted } from '../../model/wanted'

// Starting points: choosing one fills the form, and what is changed then may be kept under a name of its own.
const { ours, kept, starting } = defineProps<{
  ours: Purpose[]
  kept: Purpose[]
  starting: Record<string, unknown>
}>()
const wanted = defineModel<Wanted>({ required: true })
const emit = defineEmits<{ error: [problem: unknown]; changed: [] }>()
const keeping = ref(false)
const all = computed(() => [...ours, ...kept])
const current = computed(() => purposeOf(wanted.value, all.value, starting))
const own = computed(() => kept.some((purpose) => purpose.name === current.value?.name))

const choose = (purpose: Purpose) => (wanted.value = { ...wanted.value, ...fromPurpose(purpose, starting) })
const nameOf = (title: string) =>
  `my-${title
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, '-')
    .replaceAll(/^-+|-+$/g, '')}`.slice(0, 40)

async function keep(title: string) {
  keeping.value = false
  const { formats, options, plan } = wanted.value
  const purpose = {
    name: nameOf(title),
    title: title.slice(0, 60),
    about: '',
    formats,
    options,
    plan: said(plan, starting),
  }
  try {
    await api.keepPurpose(purpose as Purpose)
    emit('changed')
  } catch (problem) {
    emit('error', problem)
  }
}
async function forget() {
  if (!current.value) return
  try {
    await api.forgetPurpose(current.value.name)
    emit('changed')
  } catch (problem) {
    emit('error', problem)
  }
}
</script>

<template>
  <fieldset class="min-w-0">
    <legend class="heading mb-1">What for</legend>
    <div class="grid grid-cols-2 gap-1.5">
      <button
        v-for="purpose in all"
        :key="purpose.name"
        type="button"
        class="truncate rounded-md border border-line px-2.5 py-1.5 text-left text-[13px] font-medium hover:bg-sunk aria-pressed:border-sea aria-pressed:bg-sea-soft aria-pressed:text-sea"
        :aria-pressed="current?.name === purpose.name"
        :title="purpose.about"
        :data-test="`purpose-${purpose.name}`"
        @click="choose(purpose)"
      >
        {{ purpose.title }}
      </button>
    </div>
    <p class="mt-1.5 min-h-9 text-[12.5px] leading-snug text-faint" data-test="purpose-about">
      <template v-if="current">
        {{ current.about || 'Kept by you.' }}
        <button v-if="own" type="button" class="words" data-test="forget-purpose" @click="forget">Forget it</button>
      </template>
      <template v-else>
        As you have it below.
        <button
          type="button"
          class="words"
          :disabled="!wanted.formats.length"
          data-test="keep-purpose"
          @click="keeping = true"
        >
          Keep it under a name
        </button>
      </template>
    </p>
    <NameForm
      v-if="keeping"
      title="Keep this purpose"
      act="Keep"
      name=""
      note="Formats, their options and the files, for all projects. A name that you used before is given anew."
      @close="keeping = false"
      @named="keep"
    />
  </fieldset>
</template>
