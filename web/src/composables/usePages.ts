import { onScopeDispose, shallowRef } from 'vue'

const MOST_PAGES = 8

/** Rows of a list of any length, asked for by pages as they come into sight; only a few pages are held. */
export function usePages<T>(
  size: number,
  ask: (number: number, signal: AbortSignal) => Promise<T[]>,
  failed: (problem: unknown) => void,
) {
  const pages = shallowRef(new Map<number, T[]>())
  const asked = new Set<number>()
  let stop = new AbortController()

  async function fetchPage(number: number, fresh: boolean) {
    if (asked.has(number)) return
    asked.add(number)
    const { signal } = stop
    try {
      const found = await ask(number, signal)
      if (signal.aborted) return
      const kept = fresh ? new Map<number, T[]>() : new Map(pages.value)
      kept.set(number, found)
      for (const far of [...kept.keys()]
        .sort((a, b) => Math.abs(b - number) - Math.abs(a - number))
        .slice(0, Math.max(0, kept.size - MOST_PAGES))) {
        kept.delete(far)
        asked.delete(far)
      }
      pages.value = kept
      if (fresh) asked.forEach((n) => n !== number && asked.delete(n))
    } catch (problem) {
      if (signal.aborted) return
      asked.delete(number)
      failed(problem)
    }
  }

  /** Ask anew, and stop what was asked before; what is shown stays until the first page is there. */
  function begin() {
    stop.abort()
    stop = new AbortController()
    asked.clear()
    return { first: fetchPage(0, true), signal: stop.signal }
  }

  /** The row at a place, or undefined while its page is on the way. */
  function row(index: number) {
    const number = Math.floor(index / size)
    const page = pages.value.get(number)
    if (!page) void fetchPage(number, false)
    return page?.[index % size]
  }

  onScopeDispose(() => stop.abort())
  return { pages, begin, row }
}
