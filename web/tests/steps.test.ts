import { describe, expect, it } from 'vitest'
import type { Finding, StepKind } from '../src/api/client'
import { fits } from '../src/model/parts'
import { actsOn, grouped, proposals } from '../src/model/steps'

const kind = (name: string, title: string, group: string, about = '', parts = true) =>
  ({ name, title, group, about, acts_on_parts: parts, parameters: {} }) as StepKind
const KINDS = [
  kind('weld', 'Weld vertices', 'geometry', 'Brings near vertices to one place'),
  kind('agree', 'Make faces agree', 'geometry'),
  kind('split', 'Split parts', 'assemble', 'Makes several of one, also by texture tile'),
  kind('odd', 'Something else', 'elsewhere'),
  kind('wear', 'Wear a variant', 'materials', '', false),
]
const finding = (label: string, params: object, title = 'found') =>
  ({ title, suggestion: { step: 'weld', label, params } }) as unknown as Finding

describe('the list of steps', () => {
  it('stands in groups in the order of the work, by name within', () => {
    expect(grouped(KINDS, '').map(([group, kinds]) => [group, kinds.map((k) => k.name)])).toEqual([
      ['assemble', ['split']],
      ['materials', ['wear']],
      ['geometry', ['agree', 'weld']],
      ['elsewhere', ['odd']],
    ])
  })
  it('is searched by all words, in any case, also in what a step does', () => {
    expect(grouped(KINDS, 'TILE texture').flatMap(([, kinds]) => kinds.map((k) => k.name))).toEqual(['split'])
    expect(grouped(KINDS, 'geom').flatMap(([, kinds]) => kinds)).toHaveLength(2)
    expect(grouped(KINDS, 'no such thing')).toEqual([])
  })
  it('begins with what findings propose, each once', () => {
    const found = [finding('Weld', { a: 1 }), finding('Weld', { a: 1 }), finding('Weld', { a: 2 }), { title: 'x' }]
    expect(proposals(found as Finding[], '')).toHaveLength(2)
    expect(proposals(found as Finding[], 'flip')).toEqual([])
    expect(proposals(null, '')).toEqual([])
  })
  it('says what a step would act on', () => {
    expect(actsOn(KINDS[0]!, 4, 4)).toBe('all 4 parts, or those you choose')
    expect(actsOn(KINDS[0]!, 4, 3)).toBe('the 3 of 4 parts shown')
    expect(actsOn(KINDS[0]!, 1, 1)).toBe('its one part')
    expect(actsOn(KINDS[4]!, 4, 3)).toBe('the whole model')
  })
})

describe('parts', () => {
  it('are found by a word anywhere, or by a pattern that says all', () => {
    expect(fits('Claw_R', 'law')).toBe(true)
    expect(fits('claw_r', 'claw_*')).toBe(true)
    expect(fits('my_claw_r', 'claw_*')).toBe(false)
    expect(fits('a.b', 'a?b*')).toBe(false)
    expect(fits('anything', '  ')).toBe(true)
  })
})
