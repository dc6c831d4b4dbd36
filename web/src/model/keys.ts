// What a key press is called in the list of keys: `Ctrl+Shift+Z`, `ArrowDown`, `f`.
export interface Press {
  key: string
  ctrlKey: boolean
  metaKey: boolean
  shiftKey: boolean
  altKey: boolean
}

export function written(press: Press): string {
  const control = press.ctrlKey || press.metaKey
  const letter = press.key.length === 1
  const shift = press.shiftKey && (!letter || control) ? 'Shift+' : ''
  const alt = press.altKey ? 'Alt+' : ''
  return (control ? 'Ctrl+' : '') + alt + shift + (letter && control ? press.key.toUpperCase() : press.key)
}

// What takes a key for itself while it has the focus: a field takes letters, a control takes Enter, Space and arrows.
export type Holder = 'field' | 'choice' | 'mover' | 'control' | 'list' | 'nothing'

export function holderOf(element: Element | null): Holder {
  if (!element) return 'nothing'
  if (element.matches('textarea, [contenteditable=true], input:not([type=checkbox], [type=radio], [type=range])'))
    return 'field'
  if (element.matches('select')) return 'choice'
  if (element.matches('input[type=range], input[type=radio], [role=tab], [role=slider]')) return 'mover'
  if (element.matches('[role=listbox], [role=option]')) return 'list'
  if (element.matches('button, a[href], summary, input[type=checkbox], [role=switch], [role=menuitem]'))
    return 'control'
  return 'nothing'
}

const MOVING = new Set(['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown', 'Home', 'End', 'PageUp', 'PageDown'])

// Whether a press is left to what has the focus.
export function isTaken(pressed: string, holder: Holder): boolean {
  if (pressed === 'Escape') return false
  if (holder === 'field') return true
  if (holder === 'choice') return MOVING.has(pressed) || pressed === 'Enter' || pressed === ' ' || pressed.length === 1
  if (holder === 'mover') return MOVING.has(pressed) || pressed === 'Enter' || pressed === ' '
  if (holder === 'control') return pressed === 'Enter' || pressed === ' '
  return false
}
