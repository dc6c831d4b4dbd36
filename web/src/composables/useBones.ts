import { ref, shallowRef, watch } from 'vue'
import type { Keys } from '../model/curves'
import type { Joint } from '../viewer/bones'
import type { Stage } from '../viewer/stage'

// The joints over the model: whether they are shown, which are, and the one that is chosen.
export function useBones(stage: () => Stage | null, clip: () => number) {
  const on = ref(false)
  const joints = shallowRef<Joint[]>([])
  const hidden = ref(new Set<string>())
  const chosen = ref('')
  const keys = shallowRef<Keys[]>([])
  // The joint that is pointed at, and where.
  const pointed = ref({ name: '', x: 0, y: 0 })

  function use() {
    joints.value = stage()?.setBones(on.value, hidden.value, chosen.value) ?? []
    read()
  }
  const read = () => (keys.value = chosen.value ? (stage()?.keysOf(clip(), chosen.value) ?? []) : [])
  function point(across: number, down: number, x: number, y: number) {
    if (on.value) pointed.value = { name: stage()?.jointAt(across, down) ?? '', x, y }
  }
  // True when a joint was there.
  function pick(across: number, down: number): boolean {
    const name = on.value ? (stage()?.jointAt(across, down) ?? '') : ''
    if (name) chosen.value = name === chosen.value ? '' : name
    return Boolean(name)
  }
  watch(on, (now) => {
    if (!now) pointed.value = { name: '', x: 0, y: 0 }
  })
  watch([on, hidden, chosen], use)
  return {
    on,
    joints,
    hidden,
    chosen,
    keys,
    pointed,
    use,
    read,
    point,
    pick,
  }
}
