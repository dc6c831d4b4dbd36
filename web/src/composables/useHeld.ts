import { onScopeDispose, ref, type Ref } from 'vue'
import { holderOf } from '../model/keys'

// Whether a key is held down; not while a field has it, and not once the window loses the keyboard.
export function useHeld(key: string): Ref<boolean> {
  const held = ref(false)
  const down = (event: KeyboardEvent) => {
    const [inner] = event.composedPath()
    const free = holderOf(inner instanceof Element ? inner : null) !== 'field' && !event.ctrlKey && !event.metaKey
    if (event.key === key && free) held.value = true
  }
  const up = (event: KeyboardEvent) => {
    if (event.key === key) held.value = false
  }
  const away = () => (held.value = false)
  window.addEventListener('keydown', down)
  window.addEventListener('keyup', up)
  window.addEventListener('blur', away)
  onScopeDispose(() => {
    window.removeEventListener('keydown', down)
    window.removeEventListener('keyup', up)
    window.removeEventListener('blur', away)
  })
  return held
}
