<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type Delivery, type ViewContent, type Workpiece } from '../../api/client'
import Problem from '../../components/Problem.vue'
import { useEvents } from '../../composables/useEvents'
import { useProject } from '../../composables/useProject'
import { count, length } from '../../model/words'
import DeliveryCard from './DeliveryCard.vue'
import FormatChoice from './FormatChoice.vue'

const route = useRoute()
const router = useRouter()
const { id: project } = useProject()
const id = computed(() => String(route.params.workpiece ?? ''))
const workpieces = shallowRef<Workpiece[]>([])
const workpiece = computed(() => workpieces.value.find((w) => w.id === id.value))
const content = shallowRef<ViewContent>()
const KEPT = 'pruxel.formats'
const chosen = ref<string[]>(JSON.parse(sessionStorage.getItem(KEPT) ?? '["glb"]') as string[])
watch(chosen, (now) => sessionStorage.setItem(KEPT, JSON.stringify(now)))
const KEPT_OPTIONS = 'pruxel.formats.options'
type Options = Record<string, Record<string, unknown>>
const options = ref(JSON.parse(sessionStorage.getItem(KEPT_OPTIONS) ?? '{}') as Options)
watch(options, (now) => sessionStorage.setItem(KEPT_OPTIONS, JSON.stringify(now)))
const name = ref('')
const deliveries = ref<Delivery[]>([])
const error = ref<unknown>(null)
const starting = ref(false)

let asked = 0
async function load() {
  if (!project.value) return
  const mine = ++asked
  const wanted = id.value
  content.value = undefined
  try {
    const found = await Promise.all([api.workpieces(project.value), api.deliveries(project.value)])
    if (mine !== asked) return
    ;[workpieces.value, deliveries.value] = found
    if (!wanted) return
    name.value = workpiece.value?.name ?? ''
    const view = await api.view(wanted)
    if (mine === asked) content.value = view.content ?? undefined
  } catch (problem) {
    if (mine === asked) error.value = problem
  }
}

// What was chosen for the formats that are written; nothing for those left as they are.
const wanted = () =>
  Object.fromEntries(
    chosen.value.filter((f) => Object.keys(options.value[f] ?? {}).length).map((f) => [f, options.value[f] ?? {}]),
  )

async function start() {
  starting.value = true
  try {
    error.value = null
    const made = await api.deliver(id.value, name.value.trim(), chosen.value, wanted())
    deliveries.value = [made, ...deliveries.value]
  } catch (problem) {
    error.value = problem
  } finally {
    starting.value = false
  }
}

const again = () =>
  api.deliveries(project.value).then(
    (found) => (deliveries.value = found),
    (problem: unknown) => (error.value = problem),
  )
watch([project, id], load, { immediate: true })
useEvents((event) => (event.changed === 'deliveries' || event.reconnected) && project.value && again())
</script>

<template>
  <div class="grid h-full grid-cols-[372px_1fr]">
    <aside class="flex flex-col overflow-auto border-r border-line bg-sheet">
      <div class="flex aspect-[16/11] shrink-0 items-center justify-center bg-gradient-to-b from-paper to-sunk">
        <img
          v-if="content?.pictures.length"
          :src="`/api/blobs/${content.pictures.at(-1)}`"
          alt="What will be delivered"
          class="h-full object-contain"
        />
      </div>
      <form class="flex flex-1 flex-col gap-4 border-t border-line p-5" @submit.prevent="start">
        <div>
          <label class="heading" for="workpiece">Workpiece</label>
          <select
            id="workpiece"
            class="field mt-1 w-full"
            :value="id"
            @change="
              router.push({
                name: 'deliver',
                params: { project, workpiece: ($event.target as HTMLSelectElement).value },
              })
            "
          >
            <option value="" disabled>Choose one</option>
            <option v-for="w in workpieces" :key="w.id" :value="w.id">{{ w.name }}</option>
          </select>
          <p v-if="content" class="num mt-1.5 text-[12.5px] text-faint">
            {{ count(content.facts.triangles) }} triangles<br />{{ content.facts.size.map(length).join(' × ') }}
          </p>
        </div>
        <div>
          <label class="heading" for="name">Name of the files</label>
          <input id="name" v-model="name" class="field mt-1 w-full" />
        </div>
        <FormatChoice
          v-model="chosen"
          v-model:options="options"
          :losses="content?.losses ?? {}"
          @error="error = $event"
        />
        <Problem v-if="error" :error="error" @close="error = null" />
        <button
          class="button button-main mt-auto py-2.5 text-[15px]"
          :disabled="!id || !chosen.length || !name.trim() || starting"
          data-test="deliver"
        >
          Write and prove
        </button>
      </form>
    </aside>
    <section class="overflow-auto p-6">
      <h1 class="text-[20px] font-semibold tracking-tight">Deliveries</h1>
      <p class="mb-4 text-faint">
        Every file is read back by a reader that shares no code with ours, and compared with what was on the Bench.
      </p>
      <div v-if="!deliveries.length" class="hatched rounded-xl border border-line p-10 text-center">
        <p class="text-[16px] font-semibold">Nothing delivered yet</p>
        <p class="text-faint">
          {{
            id
              ? 'Choose formats at the left, then “Write and prove”.'
              : 'Choose a workpiece at the left, or open one from Browse.'
          }}
        </p>
      </div>
      <DeliveryCard
        v-for="(delivery, i) in deliveries"
        :key="delivery.id"
        :delivery="delivery"
        :open="i === 0"
        @error="error = $event"
      />
    </section>
  </div>
</template>
