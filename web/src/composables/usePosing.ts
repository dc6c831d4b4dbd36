import { computed, ref, shallowRef, watch } from 'vue'
import { Euler, MathUtils, Quaternion, type Vector3 } from 'three'
import { fitting, type PoseWish } from '../api/fitting'
import { NOTHING, turnOf, withPull, without, withTurn, type Posed, type Turn } from '../model/pose'
import { told } from '../model/words'
import type { Grip, Held } from '../viewer/handles'
import type { Stage } from '../viewer/stage'

// Joints turned and pulled on the model. Where that brings them all the server says; what is shown is what is kept.
export function usePosing(
  stage: () => Stage | null,
  scene: () => string,
  joint: () => string,
  // The clip and the moment that a pose starts from.
  start: () => { clip: string; at: number },
) {
  const on = ref(false)
  const grip = ref<Grip>('turn')
  const posed = shallowRef<Posed>(NOTHING)
  const before = shallowRef<Posed[]>([])
  const error = ref('')
  let from = { clip: '', at: 0 }
  // What it was before the handle was taken hold of.
  let held: Posed | null = null
  let [asking, again] = [false, false]

  const wanted = (name = 'pose'): PoseWish => ({
    name,
    ...from,
    ...posed.value,
    share: 100,
  })

  // One question at a time; of those that come meanwhile the last counts.
  async function settle() {
    if (asking) {
      again = true
      return
    }
    asking = true
    try {
      do {
        again = false
        const places = await fitting.pose(scene(), wanted())
        if (on.value) await stage()?.place(places)
        error.value = ''
      } while (again && on.value)
    } catch (problem) {
      error.value = told(problem)
    } finally {
      asking = false
    }
  }
  function set(now: Posed, counts = true) {
    if (counts) before.value = [...before.value, posed.value]
    posed.value = now
    void settle()
  }
  // A drag is one change, however many moments it has.
  function during(now: Posed, done: boolean) {
    held ??= posed.value
    posed.value = now
    if (done) {
      before.value = [...before.value, held]
      held = null
    }
    void settle()
  }
  const handles: Held = {
    turned(by: Quaternion, done: boolean) {
      const start = held ?? posed.value
      const turn = turnOf(start, joint()).map(MathUtils.degToRad) as Turn
      const whole = new Quaternion().setFromEuler(new Euler(...turn, 'ZYX')).multiply(by)
      const { x, y, z } = new Euler().setFromQuaternion(whole, 'ZYX')
      during(withTurn(posed.value, joint(), [x, y, z].map(MathUtils.radToDeg) as Turn), done)
    },
    pulled(to: Vector3, done: boolean) {
      during(withPull(posed.value, joint(), to.toArray()), done)
    },
  }

  function begin() {
    from = start()
    posed.value = NOTHING
    before.value = []
    error.value = ''
    on.value = true
  }
  const end = () => (on.value = false)
  function undo() {
    const last = before.value.at(-1)
    if (!last) return
    before.value = before.value.slice(0, -1)
    set(last, false)
  }
  const turn = (angles: Turn) => set(withTurn(posed.value, joint(), angles))
  const reset = () => set(without(posed.value, joint()))

  watch([on, grip, joint], () => stage()?.setHandles(on.value ? joint() : '', grip.value, handles))
  return {
    on,
    grip,
    posed,
    error,
    undoable: computed(() => before.value.length > 0),
    begin,
    end,
    undo,
    turn,
    reset,
    wanted,
  }
}

export type Posing = ReturnType<typeof usePosing>
