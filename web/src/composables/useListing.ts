import { ref, watch } from 'vue'
import { api, type Entry, type Facets, type Wish } from '../api/client'
import { usePages } from './usePages'

const PAGE = 120
const TYPING_MS = 90

/** The entries that a wish finds, by pages, and how many there are of each kind. */
export function useListing(project: () => string, wish: () => Wish) {
  const facets = ref<Facets>()
  const total = ref(0)
  const loading = ref(true)
  const settled = ref(0)
  const error = ref<unknown>(null)
  let timer = 0
  // What this search has shown so far: rows fetched, whether the last one is among them, and how many were counted.
  let reached = 0
  let ended = false
  let counted = 0

  const failed = (problem: unknown) => {
    if (!(problem instanceof DOMException)) error.value = problem
  }

  const {
    pages,
    begin,
    row: paged,
  } = usePages<Entry>(
    PAGE,
    async (number, signal) => {
      const before = pages.value.get(number - 1)
      const after =
        !wish().down && (wish().sort ?? 'path') === 'path' && before?.length === PAGE ? before[PAGE - 1]?.path : null
      const { entries } = await api.entries(project(), wish(), number * PAGE, PAGE, after, signal)
      // A page asked for by the old total may lie beyond the end, and says nothing of where that is.
      if (!signal.aborted && (entries.length || !number)) {
        reached = Math.max(reached, number * PAGE + entries.length)
        ended ||= entries.length < PAGE
        tally()
      }
      return entries
    },
    failed,
  )

  /** The old total stays until the new search has rows, so that the list does not vanish in between. */
  function tally() {
    if (reached || ended) total.value = ended ? reached : Math.max(reached, counted)
  }

  /** Ask anew. False when a newer question came between: what is shown then is not the answer to this one. */
  async function load(): Promise<boolean> {
    clearTimeout(timer)
    if (!project()) return false
    loading.value = true
    error.value = null
    reached = counted = 0
    ended = false
    const { first, signal } = begin()
    const counting = api.facets(project(), wish(), signal).then((found) => {
      if (signal.aborted) return
      facets.value = found
      counted = found.total
      tally()
    }, failed)
    await first
    if (!signal.aborted) loading.value = false
    await counting
    if (!signal.aborted) settled.value++
    return !signal.aborted && error.value === null
  }

  /** The row at a place, or undefined while its page is on the way. */
  function row(index: number) {
    return index < total.value || pages.value.has(Math.floor(index / PAGE)) ? paged(index) : undefined
  }

  function change(id: number, values: Partial<Entry>) {
    for (const page of pages.value.values()) {
      const found = page.find((e) => e.id === id)
      if (found) Object.assign(found, values)
    }
    pages.value = new Map(pages.value)
  }

  watch(wish, (now, before) => {
    clearTimeout(timer)
    if (now.search !== before?.search) timer = window.setTimeout(load, TYPING_MS)
    else void load()
  })
  return { facets, total, loading, settled, error, row, load, change }
}
