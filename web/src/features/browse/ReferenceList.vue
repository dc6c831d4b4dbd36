<script setup lang="ts">
import { ref, watch } from 'vue'
import { api, type References } from '../../api/client'
import { useEvents } from '../../composables/useEvents'
import { count, told } from '../../model/words'

const { entry, project } = defineProps<{ entry: number; project: string }>()
const emit = defineEmits<{ go: [path: string] }>()
const found = ref<References>()
const error = ref('')
let asked = 0
async function load() {
  const mine = ++asked
  try {
    const answer = await api.references(entry)
    if (mine !== asked) return
    found.value = answer
    error.value = ''
  } catch (problem) {
    if (mine === asked) error.value = told(problem)
  }
}
async function readAll() {
  try {
    await api.readReferences(project)
  } catch (problem) {
    error.value = told(problem)
  }
}
watch(() => entry, load, { immediate: true })
useEvents((event) => event.changed === 'references' && load())
</script>

<template>
  <div class="space-y-4 px-4 py-3 text-[12.5px]">
    <p v-if="error" class="rounded-md bg-brick-soft px-2 py-1 text-brick">{{ error }}</p>
    <section v-if="found">
      <h3 class="heading mb-1">It uses</h3>
      <ul class="space-y-1.5">
        <li v-for="r in found.uses" :key="r.name" data-test="uses">
          <button
            v-if="r.path"
            class="text-left font-mono text-[12px] break-all underline decoration-line underline-offset-2"
            @click="emit('go', r.path)"
          >
            {{ r.path }}
          </button>
          <template v-else>
            <span class="hatched rounded px-1 font-mono text-[12px] break-all">{{ r.name }}</span>
            <span class="text-brick">leads nowhere</span>
            <p v-if="r.near.length" class="text-faint">
              Near names:
              <button
                v-for="near in r.near"
                :key="near"
                class="mr-2 font-mono text-[12px] underline decoration-line"
                @click="emit('go', near)"
              >
                {{ near }}
              </button>
            </p>
          </template>
        </li>
        <li v-if="!found.uses.length" class="text-faint">Nothing that could be read.</li>
      </ul>
    </section>
    <section v-if="found">
      <h3 class="heading mb-1">
        It is used by <span v-if="found.used_by.length" class="num">{{ count(found.used_by.length) }}</span>
      </h3>
      <ul class="space-y-1">
        <li v-for="path in found.used_by" :key="path" data-test="used-by">
          <button
            class="text-left font-mono text-[12px] break-all underline decoration-line underline-offset-2"
            @click="emit('go', path)"
          >
            {{ path }}
          </button>
        </li>
      </ul>
      <p v-if="!found.used_by.length" class="mb-2 text-faint">Nobody, as far as the game was read through.</p>
      <button class="button mt-1 py-1" data-test="read-references" @click="readAll">Read the whole game through</button>
    </section>
  </div>
</template>
