import { onScopeDispose, shallowReactive } from 'vue'

export interface KeyAct {
  keys: string
  words: string
  group: string
  run: (event: KeyboardEvent) => void
}

/** Everything the keyboard does right now; the list under `?` shows this. */
export const acts = shallowReactive(new Set<KeyAct>())

const typing = (target: EventTarget | null) => target instanceof HTMLElement && target.matches('input:not([type=checkbox]), textarea, select, [contenteditable]')

const written = (event: KeyboardEvent) => {
  const control = event.ctrlKey || event.metaKey ? 'Ctrl+' : ''
  const shift = event.shiftKey && event.key.length > 1 ? 'Shift+' : ''
  return control + shift + (event.key.length === 1 && control ? event.key.toUpperCase() : event.key)
}

window.addEventListener('keydown', (event) => {
  const pressed = written(event)
  if (typing(event.target) && pressed !== 'Escape') return
  if (document.querySelector('[role=dialog]') && pressed !== 'Escape') return
  for (const act of [...acts].reverse()) {
    if (act.keys.split(' ').includes(pressed)) {
      event.preventDefault()
      act.run(event)
      return
    }
  }
})

/** Bind keys (alternatives separated by spaces) while the calling scope lives. */
export function useKeys(group: string, bindings: [keys: string, words: string, run: (event: KeyboardEvent) => void][]) {
  const mine = bindings.map(([keys, words, run]) => ({ keys, words, group, run }))
  mine.forEach((act) => acts.add(act))
  onScopeDispose(() => mine.forEach((act) => acts.delete(act)))
}
