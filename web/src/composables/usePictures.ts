import { onScopeDispose } from 'vue'
import { api, type Entry } from '../api/client'

const RESTING_MS = 350
const MOST = 48

/** Asks for pictures of what somebody looks at, once it rests in sight; each entry is asked for only once. */
export function usePictures(project: () => string, row: (index: number) => Entry | undefined) {
  const asked = new Set<number>()
  let timer = 0

  function ask(cells: number[]) {
    const lacking = cells
      .map(row)
      .filter((entry): entry is Entry => !!entry && entry.picture === null && !asked.has(entry.id))
    if (!lacking.length) return
    const entries = lacking.slice(0, MOST).map((entry) => entry.id)
    entries.forEach((id) => asked.add(id))
    void api.drawInSight(project(), entries).catch(() => entries.forEach((id) => asked.delete(id)))
  }

  onScopeDispose(() => clearTimeout(timer))
  return (cells: number[]) => {
    clearTimeout(timer)
    timer = window.setTimeout(() => ask(cells), RESTING_MS)
  }
}
