<script setup lang="ts">
import { onMounted, ref, watch } from 'vue'
import { api, type Profile } from '../../api/client'

const { project, mounted } = defineProps<{ project: string; mounted: boolean }>()
const emit = defineEmits<{ error: [problem: unknown]; edited: [yes: boolean] }>()
const text = ref('')
const stored = ref('')
const checked = ref<Profile>()
const said = ref('')

async function load() {
  const found = await api.profile(project)
  stored.value = found.text
  if (text.value) return // what was typed or brought in meanwhile stays
  text.value = found.text
  checked.value = found
}
watch([text, stored], () => emit('edited', text.value !== stored.value))
let wait = 0
watch(text, (now) => {
  clearTimeout(wait)
  wait = window.setTimeout(async () => {
    const answer = await api.checkProfile(project, now).catch(() => undefined)
    if (answer && now === text.value) checked.value = answer
  }, 250)
})
async function save() {
  try {
    await api.setProfile(project, text.value)
    stored.value = text.value
    said.value = mounted ? 'Kept; the sources are read again by it.' : 'Kept; what you mount is read by it.'
  } catch (problem) {
    emit('error', problem)
  }
}
async function bring(files: FileList | null) {
  if (files?.[0]) text.value = await files[0].text()
}
function begin() {
  text.value = 'profile: 1\nname: My game\nabout: ""\nconventions:\n  axes: [x, y, z]\n  unit_m: 1.0\n'
}
onMounted(() => load().catch((problem) => emit('error', problem)))
const parts = [
  ['layouts', 'Layouts'],
  ['layers', 'Layers'],
  ['keys', 'Keys'],
  ['tables', 'Tables'],
  ['variants', 'Variants'],
] as const
</script>

<template>
  <div class="grid grid-cols-[minmax(0,1fr)_250px] gap-5 text-[13px]">
    <div>
      <textarea
        v-model="text"
        class="field h-[430px] w-full font-mono text-[12px] leading-[1.5]"
        spellcheck="false"
        aria-label="Profile"
        data-test="profile-text"
        placeholder="No profile yet. Bring one in, or begin with an empty one."
      />
      <p
        v-if="checked?.problem"
        class="mt-2 rounded-md bg-brick-soft px-3 py-2 text-[12.5px] break-words text-brick"
        data-test="profile-problem"
      >
        {{ checked.problem }}
      </p>
    </div>
    <aside class="space-y-3">
      <div class="flex flex-col gap-2">
        <button
          class="button button-main"
          :disabled="text === stored || !!checked?.problem"
          data-test="save-profile"
          @click="save"
        >
          {{ mounted ? 'Keep and read again' : 'Keep' }}
        </button>
        <label class="button cursor-pointer"
          >Bring in a file…<input
            type="file"
            accept=".yaml,.yml"
            class="sr-only"
            @change="bring(($event.target as HTMLInputElement).files)"
        /></label>
        <a class="button" :href="`/api/projects/${project}/profile/file`" download>Take it away as one file</a>
        <button v-if="!text.trim()" class="button" @click="begin">Begin an empty one</button>
      </div>
      <p v-if="said" class="text-sea">{{ said }}</p>
      <div v-if="checked && !checked.problem" class="rounded-xl border border-line bg-sheet p-3">
        <p class="font-semibold">
          {{ checked.name || 'Unnamed' }}<template v-if="checked.version">, version {{ checked.version }}</template>
        </p>
        <dl class="mt-1 space-y-1 text-[12.5px]">
          <template v-for="[key, title] in parts" :key="key">
            <div v-if="checked[key].length">
              <dt class="text-faint">{{ title }}</dt>
              <dd>{{ checked[key].join(', ') }}</dd>
            </div>
          </template>
        </dl>
      </div>
      <p class="text-[12px] text-faint">
        Layouts in place, aliases and names by hand go along when the profile is taken away; keys never do.
      </p>
    </aside>
  </div>
</template>
