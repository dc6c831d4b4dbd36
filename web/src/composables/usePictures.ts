import { onScopeDispose } from 'vue'
import { api, type Entry } from '../api/client'

const RESTING_MS = 350
const MOST = 48

/**
 * Asks for pictures of what somebody looks at, once it rests in sight; each entry is asked for only once as what it is
 * taken for: a source that is still read may not know yet that it can be drawn.
 */
export function usePictures(project: () => string, row: (index: number) => Entry | undefined) {
  const asked = new Set<string>()
  const known = (entry: Entry) => `${entry.id} ${entry.kind}`
  let timer = 0

  function ask(cells: number[]) {
    const lacking = cells
      .map(row)
      .filter((entry): entry is Entry => !!entry && entry.picture === null && !asked.has(known(entry)))
      .slice(0, MOST)
    if (!lacking.length) return
    lacking.forEach((entry) => asked.add(known(entry)))
    const failed = () => lacking.forEach((entry) => asked.delete(known(entry)))
    const entries = lacking.map((entry) => entry.id)
    void api.drawInSight(project(), entries).catch(failed)
  }

  onScopeDispose(() => clearTimeout(timer))
  return (cells: number[]) => {
    clearTimeout(timer)
    timer = window.setTimeout(() => ask(cells), RESTING_MS)
  }
}
