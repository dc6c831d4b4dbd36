<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type Delivery, type ViewContent, type Workpiece } from '../../api/client'
import Problem from '../../components/Problem.vue'
import Question from '../../components/Question.vue'
import Sheet from '../../components/Sheet.vue'
import { useEvents } from '../../composables/useEvents'
import { useProject } from '../../composables/useProject'
import { useViewNews } from '../../composables/useViewNews'
import { useWanted } from '../../composables/useWanted'
import { allOf, type Wanted } from '../../model/wanted'
import { bytes, count, extent } from '../../model/words'
import DeliveryCard from './DeliveryCard.vue'
import PieceChoice from './PieceChoice.vue'
import WantedForm from './WantedForm.vue'

const route = useRoute()
const router = useRouter()
const { id: project } = useProject()
const id = computed(() => String(route.params.workpiece ?? ''))
const workpieces = shallowRef<Workpiece[]>([])
const workpiece = computed(() => workpieces.value.find((w) => w.id === id.value))
const content = shallowRef<ViewContent>()
const also = ref<string[]>([])
const wanted = useWanted()
const name = ref('')
const deliveries = ref<Delivery[]>([])
const error = ref<unknown>(null)
const starting = ref(false)

const toPiece = (workpiece: string) =>
  void router.push({ name: 'deliver', params: { project: project.value, workpiece } })

// What is known of those beside it; one that is still in the making adds nothing yet.
const beside = shallowRef<ViewContent[]>([])
watch(also, async (ids) => {
  try {
    const views = await Promise.all(ids.map((one) => api.view(one)))
    if (ids === also.value) beside.value = views.flatMap((view) => view.content ?? [])
  } catch (problem) {
    error.value = problem
  }
})
const shown = computed(() => [...(content.value ? [content.value] : []), ...beside.value])
const losses = computed(() => allOf(shown.value.map((one) => one.losses)))
const clips = computed(() => [...new Set(shown.value.flatMap((one) => one.facts.clips.map((clip) => clip.name)))])

let asked = 0
// The view may still be in the making; the page hears when there is more of it.
const news = useViewNews(() => look(asked, id.value).catch((problem: unknown) => (error.value = problem)))
async function look(mine: number, wanted: string) {
  const view = await news.answerTo(api.view(wanted), () => mine === asked)
  if (view) content.value = view.content ?? undefined
}
async function load() {
  if (!project.value) return
  const mine = ++asked
  const wanted = id.value
  content.value = undefined
  news.forget()
  also.value = also.value.filter((one) => one !== wanted)
  try {
    const found = await Promise.all([api.workpieces(project.value), api.deliveries(project.value)])
    if (mine !== asked) return
    ;[workpieces.value, deliveries.value] = found
    if (!wanted) return
    name.value = workpiece.value?.name ?? ''
    await look(mine, wanted)
  } catch (problem) {
    if (mine === asked) error.value = problem
  }
}

// The Bench keeps there which parts of a workpiece are hidden.
const hidden = computed(() => {
  const listed = JSON.parse(sessionStorage.getItem(`pruxel.hidden.${id.value}`) ?? '[]') as string[]
  return listed.filter((part) => content.value?.facts.parts.some((one) => one.name === part))
})
const without = ref(true)

// Only what the chosen formats are told; nothing for those left as they are.
const sent = (): Wanted => ({
  ...wanted.value,
  plan: without.value && hidden.value.length ? { ...wanted.value.plan, left_out: hidden.value } : wanted.value.plan,
  options: Object.fromEntries(
    Object.entries(wanted.value.options).filter(
      ([f, own]) => wanted.value.formats.includes(f) && Object.keys(own).length,
    ),
  ),
})
const namesake = ref<Delivery>()

async function start() {
  const there = deliveries.value.find((d) => d.name === name.value.trim() && d.below === wanted.value.below && d.size)
  if (there) namesake.value = there
  else await write()
}
async function write(instead?: Delivery) {
  namesake.value = undefined
  starting.value = true
  try {
    error.value = null
    const made = await api.deliver(id.value, also.value, name.value.trim(), sent())
    deliveries.value = [made, ...deliveries.value]
    if (instead) await api.removeDelivery(instead.id)
  } catch (problem) {
    error.value = problem
  } finally {
    starting.value = false
  }
}

// The form as it was for a delivery of before.
function asBefore(delivery: Delivery) {
  wanted.value = {
    formats: delivery.formats,
    options: delivery.options as Wanted['options'],
    plan: Object.fromEntries(Object.entries(delivery.plan).filter(([key]) => key !== 'left_out')),
    below: delivery.below,
  }
  also.value = delivery.also.map((one) => one.id).filter((one) => workpieces.value.some((w) => w.id === one))
  if (delivery.workpiece_id !== id.value) toPiece(delivery.workpiece_id)
  else name.value = delivery.name
  document.querySelector('#name')?.scrollIntoView({ block: 'center' })
}

const taken = computed(() => deliveries.value.reduce((sum, d) => sum + d.size, 0))
const freeing = ref(false)
async function freeAll() {
  freeing.value = false
  try {
    for (const one of deliveries.value.filter((d) => d.size)) await api.freeDelivery(one.id)
  } catch (problem) {
    error.value = problem
  }
}

const example = computed(() => ({
  name: name.value.trim() || 'name',
  piece:
    wanted.value.plan.files === 'per workpiece'
      ? (workpiece.value?.name ?? 'name')
      : wanted.value.plan.files === 'per material'
        ? (content.value?.facts.parts[0]?.materials[0] ?? 'material')
        : (content.value?.facts.parts[0]?.name ?? 'part'),
  clip: content.value?.facts.clips[0]?.name ?? 'clip',
}))

const again = () =>
  api.deliveries(project.value).then(
    (found) => (deliveries.value = found),
    (problem: unknown) => (error.value = problem),
  )
watch([project, id], load, { immediate: true })
useEvents((event) => {
  if ((event.changed === 'deliveries' || event.reconnected) && project.value) void again()
})
</script>

<template>
  <div class="grid h-full grid-cols-[372px_1fr]">
    <aside class="flex min-h-0 flex-col border-r border-line bg-sheet">
      <div class="min-h-0 flex-1 overflow-auto" data-test="form">
        <div class="flex h-44 shrink-0 items-center justify-center bg-gradient-to-b from-paper to-sunk">
          <img
            v-if="content?.pictures.length"
            :src="`/api/blobs/${content.pictures.at(-1)}`"
            alt="What will be delivered"
            class="faded-sides h-full object-contain"
          />
        </div>
        <form id="deliver" class="flex flex-col gap-4 border-t border-line p-5" @submit.prevent="start">
          <div>
            <PieceChoice :id="id" v-model:also="also" :workpieces="workpieces" @choose="toPiece" />
            <p v-if="content" class="mt-1.5 text-[12.5px] text-faint">
              <span class="num">{{ count(shown.reduce((sum, one) => sum + one.facts.triangles, 0)) }} triangles</span>
              <br />
              <template v-if="also.length">All in one scene, unless their files are apart.</template>
              <span v-else class="num">{{ extent(content.facts.size) }}</span>
            </p>
            <label v-if="hidden.length" class="mt-1.5 flex items-start gap-2 text-[12.5px]">
              <input v-model="without" type="checkbox" class="mt-0.5 accent-(--sea)" data-test="without-hidden" />
              <span :title="hidden.join(', ')">
                Leave out {{ hidden.length === 1 ? 'the part' : `the ${count(hidden.length)} parts` }} hidden on the
                Bench
              </span>
            </label>
          </div>
          <div>
            <label class="heading" for="name">Name of the files</label>
            <input id="name" v-model="name" class="field mt-1 w-full" />
          </div>
          <WantedForm v-model="wanted" :losses="losses" :clips="clips" :example="example" @error="error = $event" />
          <Problem v-if="error" :error="error" @close="error = null" />
        </form>
      </div>
      <div class="border-t border-line px-5 py-3">
        <button
          form="deliver"
          class="button button-main w-full py-2.5 text-[15px]"
          :disabled="!id || !wanted.formats.length || !name.trim() || starting"
          data-test="deliver"
        >
          Write and prove
        </button>
      </div>
    </aside>
    <section class="overflow-auto p-6">
      <div class="flex items-baseline justify-between">
        <h1 class="text-[20px] font-semibold tracking-tight">Deliveries</h1>
        <p v-if="taken" class="text-[12.5px] text-faint">
          <span class="num">{{ bytes(taken) }}</span> on disk
          <button class="words ml-2" data-test="free-all" @click="freeing = true">Free the space</button>
        </p>
      </div>
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
        @again="asBefore"
      />
    </section>
    <Question
      v-if="freeing"
      title="Free the space of all deliveries?"
      act="Delete all their files"
      @close="freeing = false"
      @yes="freeAll"
    >
      <p>
        <span class="num">{{ bytes(taken) }}</span> in folders and zips are deleted. What was written and how it was
        proven stays listed, and can be delivered again.
      </p>
    </Question>
    <Sheet v-if="namesake" open title="One of this name is there" @close="namesake = undefined">
      <p class="mb-4 text-[13px]">
        <b>{{ namesake.name }}</b> was delivered before, as {{ namesake.formats.join(', ') }}. Both can stay: each has a
        folder of its own.
      </p>
      <div class="flex justify-end gap-2">
        <button class="button" @click="namesake = undefined">Cancel</button>
        <button class="button" data-test="in-place" @click="write(namesake)">Write in its place</button>
        <button class="button button-main" data-test="beside" @click="write()">Write beside it</button>
      </div>
    </Sheet>
  </div>
</template>
