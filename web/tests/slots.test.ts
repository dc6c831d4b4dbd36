import { expect, it } from 'vitest'
import type { Slot, StepUse } from '../src/api/client'
import { pictured, standing, sureness, withFilled } from '../src/model/slots'

const slot: Slot = { name: 'hat', params: { slot: 'hat', entry: '', to: 'head', at: [0, 1, 0] }, variants: [] }
const fill = (name: string, entry: string, on = true): StepUse => ({
  step: 'fill_slot',
  params: { slot: name, entry, near: 0.5 },
  on,
})
const weld: StepUse = { step: 'weld_vertices', params: {}, on: true }

it('tells what stands in a slot by the last step that is on', () => {
  expect(standing([], 'hat')).toBe('')
  expect(standing([fill('hat', 'a'), fill('hair', 'b'), fill('hat', 'c', false)], 'hat')).toBe('a')
  expect(standing([fill('hat', 'a'), fill('hat', '')], 'hat')).toBe('')
})
it('fills a slot for the first time behind all steps, where the slot says', () => {
  const made = withFilled([weld], slot, 'x')
  expect(made).toEqual([weld, { step: 'fill_slot', params: { ...slot.params, entry: 'x' }, on: true }])
  expect(standing(made, 'hat')).toBe('x')
})
it('changes the step that a slot has, keeps its other values, and what comes behind stays', () => {
  const made = withFilled([fill('hat', 'a'), weld, fill('hair', 'b')], slot, 'x')
  expect(made).toEqual([fill('hat', 'x'), weld, fill('hair', 'b')])
  expect(withFilled([fill('hat', 'a', false)], slot, '')).toEqual([fill('hat', '')])
})
it('has a word for how sure something is', () => {
  expect([1, 0.7, 0.3].map(sureness)).toEqual(['sure', 'likely', 'a guess'])
})
it('takes over a picture of just the entry that was drawn', () => {
  const some = [1, 2].map((entry) => ({ entry, path: `${entry}`, sureness: 1, why: '', picture: null }))
  expect(pictured(some, { entry: 2, key: 'k' }).map((one) => one.picture)).toEqual([null, 'k'])
})
