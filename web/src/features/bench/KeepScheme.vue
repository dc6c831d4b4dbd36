<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Link, type Scheme } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Sheet from '../../components/Sheet.vue'
import { packedPatterns } from '../../model/links'

// What a step says of channels, kept in the game's profile for all textures that are called so.
const { project, links, form } = defineProps<{ project: string; links: Link[]; form: Record<string, unknown> }>()
const emit = defineEmits<{ close: []; kept: [name: string] }>()
const CHANNELS = ['red', 'green', 'blue', 'alpha'] as const
const name = ref('')
const match = ref(packedPatterns(links, form).join(', '))
const patterns = computed(() => match.value.split(',').flatMap((one) => one.trim() || []))
const error = ref<unknown>(null)
const keeping = ref(false)

async function keep() {
  keeping.value = true
  try {
    const meanings = Object.fromEntries(CHANNELS.map((channel) => [channel, form[channel]])) as Partial<Scheme>
    await api.keepScheme(project, { ...meanings, name: name.value.trim(), match: patterns.value } as Scheme)
    emit('kept', name.value.trim())
  } catch (problem) {
    error.value = problem
    keeping.value = false
  }
}
</script>

<template>
  <Sheet open title="Keep these channels for the game" @close="emit('close')">
    <form class="space-y-4 text-[13px]" @submit.prevent="keep">
      <Problem v-if="error" :error="error" @close="error = null" />
      <dl class="grid grid-cols-4 gap-2 rounded-md border border-line bg-paper px-3 py-2">
        <div v-for="channel in CHANNELS" :key="channel">
          <dt class="text-faint">{{ channel }}</dt>
          <dd class="font-medium">{{ form[channel] }}</dd>
        </div>
      </dl>
      <label class="block">
        <span class="mb-1 block font-semibold">Name</span>
        <input v-model="name" class="field w-full" maxlength="200" required data-test="scheme-name" />
      </label>
      <label class="block">
        <span class="mb-1 block font-semibold">
          Textures
          <span class="font-normal text-faint">paths, * for any letters, ** for any folders; commas between</span>
        </span>
        <input v-model="match" class="field num w-full" maxlength="4000" required data-test="scheme-match" />
      </label>
      <p class="text-faint">
        It goes into the profile, before the schemes that are there. Sources are read again; then every model that wears
        such a texture says so, and one press takes it apart.
      </p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button
          class="button button-main"
          :disabled="!name.trim() || !patterns.length || keeping"
          data-test="scheme-keep"
        >
          Keep it
        </button>
      </div>
    </form>
  </Sheet>
</template>
