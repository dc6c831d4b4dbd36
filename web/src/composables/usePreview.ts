import { computed, ref, shallowRef, type Ref } from 'vue'
import { api, ApiError, type StepUse, type ViewContent } from '../api/client'
import { jobById, lookUp } from './useJobs'
import { useViewNews } from './useViewNews'

// Steps that are tried and not kept: what they come to, as soon as it is known, and what is wrong with them.
export function usePreview(workpiece: Ref<string>) {
  const steps = shallowRef<StepUse[]>()
  const content = shallowRef<ViewContent>()
  const refused = ref('')
  const job = ref<string | null>(null)
  const news = useViewNews(ask)
  let asked = 0
  let last: Promise<unknown> = Promise.resolve()

  async function ask() {
    const mine = ++asked
    // One at a time: of two on their way the older could arrive last, and the server would drop the newer for it.
    await last.catch(() => undefined)
    if (mine !== asked || !steps.value) return
    const question = api.preview(workpiece.value, steps.value)
    last = question
    try {
      const found = await news.answerTo(question, () => mine === asked)
      if (!found) return
      refused.value = ''
      job.value = found.job
      if (found.content) content.value = found.content
      else if (found.job && !jobById(found.job)) await lookUp(found.job)
    } catch (problem) {
      if (mine === asked) refused.value = problem instanceof ApiError ? problem.problem.detail : String(problem)
    }
  }
  function tryOut(wanted: StepUse[] | null) {
    steps.value = wanted ?? undefined
    if (wanted) return void ask()
    asked += 1
    news.forget()
    content.value = undefined
    refused.value = ''
    job.value = null
  }
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
