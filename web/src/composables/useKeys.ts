import { onScopeDispose, shallowReactive } from 'vue'
import { holderOf, isTaken, written } from '../model/keys'

export interface KeyAct {
  keys: string
  words: string
  group: string
  run: (event: KeyboardEvent) => void
}

// Everything the keyboard does right now; the list under `?` shows this.
export const acts = shallowReactive(new Set<KeyAct>())

window.addEventListener('keydown', (event) => {
  const pressed = written(event)
  // The innermost element, also where it stands in a root of its own.
  const [inner] = event.composedPath()
  const holder = holderOf(inner instanceof Element ? inner : null)
  if (isTaken(pressed, holder) || event.defaultPrevented) return
  // An open sheet has the keyboard to itself; a form beside the model leaves Escape alone.
  if (document.querySelector('[aria-modal=true]')) return
  if (document.querySelector('[role=dialog], [role=menu]') && pressed !== 'Escape') return
  for (const act of [...acts].reverse()) {
    if (act.keys.split(' ').includes(pressed)) {
      event.preventDefault()
      act.run(event)
      return
    }
  }
})

type Binding = [keys: string, words: string, run: (event: KeyboardEvent) => void]

// Bind keys (alternatives separated by spaces) while the calling scope lives.
export function useKeys(group: string, bindings: Binding[]): void {
  const mine = bindings.map(([keys, words, run]) => ({ keys, words, group, run }))
  mine.forEach((act) => acts.add(act))
  onScopeDispose(() => mine.forEach((act) => acts.delete(act)))
}
