import { useEvents } from './useEvents'

// A view is asked for, and asked for again whenever the server tells that there is more of it. The news may be faster
// than the answer that says which view they are about: those are not missed.
export function useViewNews(again: () => unknown) {
  let awaited: string | null = null
  let asking = 0
  const meanwhile = new Set<string>()

  useEvents((event) => {
    if (event.view && asking) meanwhile.add(event.view)
    if (awaited !== null && (event.reconnected || (event.view && event.view === awaited))) void again()
  })

  // The answer to a question about a view, null where it came to `still` not being wanted any more.
  async function answerTo<T extends { key: string }>(question: Promise<T>, still: () => boolean): Promise<T | null> {
    asking += 1
    awaited ??= ''
    try {
      const found = await question
      if (!still()) return null
      awaited = found.key
      if (meanwhile.has(found.key)) queueMicrotask(again)
      return found
    } finally {
      asking -= 1
      if (!asking) meanwhile.clear()
    }
  }
  function forget() {
    awaited = null
  }
  return { answerTo, forget }
}
