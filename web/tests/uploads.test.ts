import { expect, it } from 'vitest'
import { stamp, topOf } from '../src/composables/useUploads'

it('mounts the first folder of what was sent, not the place that all is sent to', () => {
  expect(topOf('/data/sent/game/models/crab.glb', 'game/models/crab.glb')).toBe('/data/sent/game')
  expect(topOf('/data/sent/crab.glb', 'crab.glb')).toBe('/data/sent/crab.glb')
})
it('names what was sent together by a time that no file system minds', () => {
  expect(stamp(new Date('2031-02-03T04:05:06Z'))).toBe('2031-02-03 04.05.06')
})
