import { onScopeDispose, shallowRef } from 'vue'
import { api } from '../api/client'
import { bytesOf, PAGE } from '../model/hex'

const MOST_PAGES = 24

/** The bytes of an entry, by pages as they are looked at; only a few are held. */
export function useBytes(entry: () => number, failed: (problem: unknown) => void) {
  const pages = shallowRef(new Map<number, Uint8Array>())
  const asked = new Set<number>()
  let round = 0

  function forget() {
    round++
    asked.clear()
    pages.value = new Map()
  }

  async function fetchPage(number: number) {
    if (asked.has(number)) return
    asked.add(number)
    const mine = round
    try {
      const found = await api.bytes(entry(), number * PAGE, PAGE)
      if (mine !== round) return
      const kept = new Map(pages.value)
      kept.set(number, bytesOf(found.hex))
      for (const old of [...kept.keys()].slice(0, Math.max(0, kept.size - MOST_PAGES))) {
        kept.delete(old)
        asked.delete(old)
      }
      pages.value = kept
    } catch (problem) {
      asked.delete(number)
      if (mine === round) failed(problem)
    }
  }

  /** The byte at a place; undefined while it is on its way. */
  function byteAt(offset: number): number | undefined {
    const number = Math.floor(offset / PAGE)
    const page = pages.value.get(number)
    if (!page) void fetchPage(number)
    return page?.[offset % PAGE]
  }

  onScopeDispose(() => round++)
  return { byteAt, forget }
}
