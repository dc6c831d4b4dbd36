// What stands in the slots of a thing made of parts, and the steps with something else there.
import type { Slot, StepUse, Variant } from '../api/client'

// What somebody is made of says who it is: others have their own.
export const fillsSlot = (step: StepUse) => step.step === 'fill_slot'
const fills = (step: StepUse, slot: string) => fillsSlot(step) && step.params?.slot === slot

/** The entry that stands in a slot; an empty text where nothing does. */
export function standing(steps: StepUse[], slot: string): string {
  const last = steps.filter((step) => step.on !== false && fills(step, slot)).at(-1)
  return String(last?.params?.entry ?? '')
}

/** The steps with another entry in the slot, at its own step where it has one: what comes behind goes on from there. */
export function withFilled(steps: StepUse[], slot: Slot, entry: string): StepUse[] {
  const at = steps.map((step) => fills(step, slot.name)).lastIndexOf(true)
  if (at < 0) return [...steps, { step: 'fill_slot', params: { ...slot.params, entry }, on: true }]
  return steps.map((step, n) => (n === at ? { ...step, params: { ...step.params, entry }, on: true } : step))
}

/** The same with a picture that was drawn meanwhile. */
export const pictured = (variants: Variant[], drawn: { entry: number; key: string }): Variant[] =>
  variants.map((one) => (one.entry === drawn.entry ? { ...one, picture: drawn.key } : one))

/** A word for how sure a link is. */
export function sureness(value: number): string {
  return value >= 0.9 ? 'sure' : value >= 0.6 ? 'likely' : 'a guess'
}
