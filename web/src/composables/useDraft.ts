import { onScopeDispose, ref, shallowRef, watch } from 'vue'
import { api, type Described } from '../api/client'

const PATIENCE_MS = 350

/** A layout in the making for an entry: its text, kept for the session, and what it reads of the entry, asked anew. */
export function useDraft(entry: () => number) {
  const place = () => `pruxel.draft.${entry()}`
  const text = ref(sessionStorage.getItem(place()) ?? '')
  const described = shallowRef<Described>()
  const asking = ref(false)
  const error = shallowRef<unknown>(null)
  let soon = 0
  let stop = new AbortController()

  async function ask() {
    stop.abort()
    stop = new AbortController()
    const { signal } = stop
    const wanted = text.value
    if (!wanted.trim()) {
      described.value = undefined
      asking.value = false
      return
    }
    asking.value = true
    try {
      const found = await api.described(entry(), wanted, signal)
      if (signal.aborted) return
      // While the text is wrong, what was read last stays to be seen beside the mistakes.
      described.value = found.faults.length && described.value ? { ...described.value, faults: found.faults } : found
      error.value = null
    } catch (problem) {
      if (!signal.aborted) error.value = problem
    }
    if (!signal.aborted) asking.value = false
  }

  watch(text, (value) => {
    if (value) sessionStorage.setItem(place(), value)
    else sessionStorage.removeItem(place())
    asking.value = true
    clearTimeout(soon)
    soon = window.setTimeout(ask, PATIENCE_MS)
  })
  watch(entry, () => {
    described.value = undefined
    text.value = sessionStorage.getItem(place()) ?? ''
  })
  if (text.value) void ask()
  onScopeDispose(() => {
    clearTimeout(soon)
    stop.abort()
  })
  return { text, described, asking, error }
}
