import { computed, ref, watch } from 'vue'
import type { Entry } from '../api/client'

export interface Pick {
  path: string
  size: number
  kind: string
}

const picks = ref(new Map<string, Pick>())
let project = ''

const key = () => `pruxel.tray.${project}`

/** The tray of a project: what was picked, from anywhere, kept in the browser. */
export function useTray(id: () => string) {
  watch(
    id,
    (now) => {
      project = now
      const kept: Pick[] = JSON.parse(localStorage.getItem(key()) ?? '[]')
      picks.value = new Map(kept.map((p) => [p.path, p]))
    },
    { immediate: true },
  )
  const keep = () => localStorage.setItem(key(), JSON.stringify([...picks.value.values()]))
  const plain = ({ path, size, kind }: Pick): Pick => ({ path, size, kind })
  const toggle = (entry: Pick | Entry) => {
    if (!picks.value.delete(entry.path)) picks.value.set(entry.path, plain(entry))
    keep()
  }
  const add = (list: (Pick | Entry)[]) => {
    for (const one of list) picks.value.set(one.path, plain(one))
    keep()
  }
  const clear = () => {
    picks.value.clear()
    keep()
  }
  return {
    picks,
    toggle,
    add,
    clear,
    has: (path: string) => picks.value.has(path),
    size: computed(() => [...picks.value.values()].reduce((sum, p) => sum + p.size, 0)),
    models: computed(() => [...picks.value.values()].filter((p) => p.kind === 'model')),
    clips: computed(() => [...picks.value.values()].filter((p) => p.kind === 'clips')),
  }
}
