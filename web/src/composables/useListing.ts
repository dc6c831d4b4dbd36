import { onScopeDispose, ref, shallowRef, watch } from 'vue'
import { api, type Entry, type Facets, type Wish } from '../api/client'

const PAGE = 120
const MOST_PAGES = 8
const TYPING_MS = 90

/** A list of any length of which only a few pages are held: rows are asked for as they come into sight. */
export function useListing(project: () => string, wish: () => Wish) {
  const pages = shallowRef(new Map<number, Entry[]>())
  const facets = ref<Facets>()
  const total = ref(0)
  const loading = ref(true)
  const settled = ref(0)
  const error = ref<unknown>(null)
  const asked = new Set<number>()
  let stop = new AbortController()
  let timer = 0

  const failed = (problem: unknown) => {
    if (!(problem instanceof DOMException)) error.value = problem
  }

  async function fetchPage(number: number, fresh = false) {
    if (asked.has(number) && !fresh) return
    asked.add(number)
    const { signal } = stop
    const before = pages.value.get(number - 1)
    const after = !wish().down && (wish().sort ?? 'path') === 'path' && before?.length === PAGE ? before[PAGE - 1]?.path : null
    try {
      const found = await api.entries(project(), wish(), number * PAGE, PAGE, after, signal)
      if (signal.aborted) return
      const kept = fresh ? new Map<number, Entry[]>() : new Map(pages.value)
      kept.set(number, found.entries)
      for (const far of [...kept.keys()].sort((a, b) => Math.abs(b - number) - Math.abs(a - number)).slice(0, Math.max(0, kept.size - MOST_PAGES))) {
        kept.delete(far)
        asked.delete(far)
      }
      pages.value = kept
      if (fresh) asked.forEach((n) => n !== number && asked.delete(n))
      if (found.entries.length < PAGE) total.value = number * PAGE + found.entries.length
      else total.value = Math.max(total.value, (number + 1) * PAGE)
    } catch (problem) {
      asked.delete(number)
      failed(problem)
    }
  }

  async function load() {
    clearTimeout(timer)
    if (!project()) return
    stop.abort()
    stop = new AbortController()
    const { signal } = stop
    loading.value = true
    error.value = null
    asked.clear()
    total.value = 0
    const counted = api.facets(project(), wish(), signal).then((found) => {
      if (signal.aborted) return
      facets.value = found
      total.value = Math.max(found.total, total.value)
    }, failed)
    await fetchPage(0, true)
    if (!signal.aborted) loading.value = false
    await counted
    if (!signal.aborted) settled.value++
  }

  /** The row at a place, or undefined while its page is on the way. */
  function row(index: number) {
    const number = Math.floor(index / PAGE)
    const page = pages.value.get(number)
    if (!page && index < total.value) void fetchPage(number)
    return page?.[index % PAGE]
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
  onScopeDispose(() => stop.abort())
  return { facets, total, loading, settled, error, row, load, change }
}
