import { computed, ref, shallowRef } from 'vue'
import { api, type Chosen, type FacesWanted } from '../api/client'
import { holds, type FaceSet } from '../model/faces'

export const FAR: [FacesWanted['grow'], string][] = [
  ['no farther', 'Just it'],
  ['what is level', 'What is level'],
  ['the whole piece', 'Its piece'],
]

// Faces that are chosen on the model for the form of a step: one form and one model at a time.
const active = ref(false)
const scene = ref('')
const chosen = shallowRef<FaceSet[]>([])
const grow = ref<FacesWanted['grow']>('what is level')
const angle = ref(10)
const boxing = ref(false)
const through = ref(false)
const error = ref<unknown>(null)
const PLAIN = { shown: [], through: false, take_away: false }
let last: Promise<unknown> = Promise.resolve()
let mine = 0

// Clicks are answered one after the other: each goes on from what the one before came to.
function ask(wanted: Partial<FacesWanted>): Promise<unknown> {
  const asked = mine
  last = last.then(async () => {
    if (asked !== mine) return
    try {
      const whole = { ...PLAIN, grow: grow.value, angle: angle.value, ...wanted, chosen: chosen.value }
      const found: Chosen[] = await api.chooseFaces(scene.value, whole)
      if (asked !== mine) return
      error.value = null
      chosen.value = found.map(({ part, faces }) => ({ part, faces }))
    } catch (problem) {
      if (asked === mine) error.value = problem
    }
  })
  return last
}

export function useFaces() {
  function begin(shown: string, before: FaceSet[]) {
    mine += 1
    scene.value = shown
    chosen.value = before
    error.value = null
    active.value = true
  }
  function end() {
    mine += 1
    active.value = boxing.value = false
    error.value = null
  }
  // A face that is chosen already is chosen no longer.
  const at = (part: string, face: number) =>
    ask({
      at: { part, face },
      take_away: chosen.value.some((set) => set.part === part && holds(set.faces, face)),
    })
  const inWindow = (window: NonNullable<FacesWanted['window']>, shown: string[], away: boolean) =>
    ask({ window, shown, through: through.value, take_away: away, grow: 'no farther' })
  const farther = (how: FacesWanted['grow']) => ask({ grow: how })
  const clear = () => (chosen.value = [])
  const shownScene = computed(() => (active.value ? scene.value : ''))
  return { active, shownScene, chosen, grow, angle, boxing, through, error, begin, end, at, inWindow, farther, clear }
}
