import { computed, ref, shallowRef, watch } from 'vue'
import { api, type Guesses, type Job } from '../api/client'
import { runningJobs } from './useJobs'
import { useEvents } from './useEvents'

/** What an entry of an unknown format may hold: asked once, found by a job, and the same after a reload. */
export function useGuesses(entry: () => number, project: () => string, failed: (problem: unknown) => void) {
  const guesses = shallowRef<Guesses>()
  const key = ref('')
  const job = computed<Job | undefined>(() => runningJobs.value.find((one) => one.id === guesses.value?.job))
  const waiting = computed(() => !!key.value && !['done', 'failed', 'cancelled'].includes(guesses.value?.status ?? ''))

  async function look() {
    if (!key.value) return
    const wanted = key.value
    const found = await api.guesses(project(), wanted).catch(() => undefined)
    if (found && wanted === key.value) guesses.value = found
  }

  async function ask() {
    const mine = entry()
    try {
      const found = await api.askGuesses(mine)
      if (mine !== entry()) return
      key.value = found
      await look()
    } catch (problem) {
      failed(problem)
    }
  }

  watch(entry, () => {
    guesses.value = undefined
    key.value = ''
  })
  useEvents((event) => {
    if (event.reconnected || (event.job?.kind === 'guess' && event.job.status !== 'running')) void look()
  })
  return { guesses, job, waiting, ask }
}
