import { computed, ref, shallowRef, type Ref } from 'vue'
import { api, ApiError, type StepUse, type ViewContent } from '../api/client'
import { jobById, lookUp } from './useJobs'
import { useEvents } from './useEvents'

// Steps that are tried and not kept: what they come to, as soon as it is known, and what is wrong with them.
export function usePreview(workpiece: Ref<string>) {
  const steps = shallowRef<StepUse[]>()
  const content = shallowRef<ViewContent>()
  const refused = ref('')
  const key = ref('')
  const job = ref<string | null>(null)
  let asked = 0

  async function ask() {
    const mine = ++asked
    if (!steps.value) return
    try {
      const found = await api.preview(workpiece.value, steps.value)
      if (mine !== asked) return
      refused.value = ''
      key.value = found.key
      job.value = found.job
      if (found.content) content.value = found.content
      else if (found.job && !jobById(found.job)) await lookUp(found.job)
    } catch (problem) {
      if (mine === asked) refused.value = problem instanceof ApiError ? problem.problem.detail : String(problem)
    }
  }
  function tryOut(wanted: StepUse[] | null) {
    steps.value = wanted ?? undefined
    if (!wanted) {
      asked += 1
      content.value = undefined
      refused.value = key.value = ''
      job.value = null
    } else void ask()
  }
  useEvents((event) => {
    if (steps.value && (event.reconnected || (event.view && event.view === key.value))) void ask()
  })
  // The step that is tried: what it did, or why it did not.
  const words = computed(() => {
    if (refused.value) return refused.value
    if (job.value) {
      const known = jobById(job.value)
      return known?.status === 'failed' ? String(known.fault?.message ?? 'it cannot be tried') : 'working it out…'
    }
    const last = content.value?.steps.at(-1)
    return last?.fault?.message ?? last?.summary ?? ''
  })
  const bad = computed(() => Boolean(refused.value || content.value?.steps.at(-1)?.fault))
  return { on: computed(() => steps.value !== undefined), content, words, bad, tryOut }
}
