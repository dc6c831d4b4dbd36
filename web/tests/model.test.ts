import { describe, expect, it } from 'vitest'
import { queryOf, START, wishOf } from '../src/model/address'
import { fieldsOf, typedNumber, valuesOf, type NumberField, type Schema } from '../src/model/form'
import { holderOf, isTaken, written } from '../src/model/keys'
import { stretch } from '../src/model/ranges'
import { bytes, counted, folderOf, last, length, extent } from '../src/model/words'
import { moved, WHOLE, zoomedAt } from '../src/model/zoom'

const press = (key: string, held: object = {}) => ({
  key,
  ctrlKey: false,
  metaKey: false,
  shiftKey: false,
  altKey: false,
  ...held,
})

it('a colour is chosen, and may be left as it is', () => {
  const color = { type: 'string', format: 'color', pattern: '^#[0-9a-fA-F]{6}$' }
  const fields = fieldsOf({
    properties: { tint: { ...color, default: '#b8b2a6' }, glow: { anyOf: [color, { type: 'null' }], default: null } },
  })
  expect(fields[0]).toMatchObject({ kind: 'color', start: '#b8b2a6' })
  expect(fields[1]).toMatchObject({ kind: 'optional', start: null, inner: { kind: 'color', start: '#808080' } })
})

describe('the address of a list', () => {
  const wishes = [
    START,
    { ...START, kind: null },
    { ...START, kind: 'texture', search: 'crab -body', folder: 'actors/crab', direct: true },
    { ...START, sort: 'size', down: true, least: 1000, most: 9999, source: 'a-b', flag: 'starred' },
    { ...START, variant: '' },
    { ...START, search: 'any', kind: 'any kind' },
  ]
  it.each(wishes)('gives the same list again: %j', (wish) => {
    const again = wishOf(queryOf(wish, false))
    expect(queryOf(again, false)).toEqual(queryOf(wish, false))
    for (const [name, value] of Object.entries(wish)) expect(again[name as keyof typeof again] ?? null).toEqual(value)
  })
  it('is bare for the list as it opens', () => expect(queryOf(START, false)).toEqual({}))
  it('survives what people type into it', () => {
    expect(wishOf({ least: 'many', q: ['a', 'b'], kind: '' })).toMatchObject({ least: null, search: '', kind: 'model' })
  })
})

describe('zoom', () => {
  it('keeps the point under the pointer where it is', () => {
    let frame = moved(WHOLE, 13, -7)
    for (const [factor, x, y] of [
      [1.25, 100, 40],
      [3, 0, 200],
      [0.8, 55, 5],
    ] as const) {
      const before = [(x - frame.x) / frame.zoom, (y - frame.y) / frame.zoom]
      frame = zoomedAt(frame, factor, x, y)
      expect((x - frame.x) / frame.zoom).toBeCloseTo(before[0]!, 9)
      expect((y - frame.y) / frame.zoom).toBeCloseTo(before[1]!, 9)
    }
  })
  it('stops at its ends without drifting', () => {
    const near = zoomedAt(WHOLE, 1e9, 10, 10)
    expect(zoomedAt(near, 2, 90, 90)).toEqual(near)
  })
})

describe('keys', () => {
  it('are written as the list shows them', () => {
    expect(written(press('z', { ctrlKey: true, shiftKey: true }))).toBe('Ctrl+Shift+Z')
    expect(written(press('?', { shiftKey: true }))).toBe('?')
    expect(written(press('ArrowUp', { altKey: true }))).toBe('Alt+ArrowUp')
  })
  it('belong to what has the focus', () => {
    expect(holderOf(null)).toBe('nothing')
    expect(isTaken('t', 'field')).toBe(true)
    expect(isTaken('Escape', 'field')).toBe(false)
    expect(isTaken('Enter', 'control')).toBe(true)
    expect(isTaken('t', 'control')).toBe(false)
    expect(isTaken('ArrowDown', 'choice')).toBe(true)
    expect(isTaken('1', 'choice')).toBe(true)
    expect(isTaken('1', 'mover')).toBe(false)
    expect(isTaken('ArrowLeft', 'mover')).toBe(true)
    expect(isTaken('Enter', 'list')).toBe(false)
  })
})

const SCHEMA: Schema = {
  $defs: {
    Axis: { enum: ['x', 'y', 'z'] },
    Pair: { type: 'object', properties: { a: { type: 'integer', minimum: 3 } } },
  },
  properties: {
    factor: { type: 'number', exclusiveMinimum: 0, maximum: 10, default: 2, unit: 'm' },
    count: { type: 'integer', minimum: 5 },
    on: { type: 'boolean' },
    axis: { $ref: '#/$defs/Axis', default: 'y' },
    parts: { type: 'array', items: { type: 'string', refers_to: 'part' } },
    at: { type: 'array', prefixItems: [{ type: 'number' }, { type: 'number' }, { type: 'number' }] },
    pair: { allOf: [{ $ref: '#/$defs/Pair' }] },
    limit: { anyOf: [{ type: 'number' }, { type: 'null' }], title: 'Limit' },
    either: { anyOf: [{ type: 'integer' }, { type: 'string' }] },
    sizes: { type: 'array', items: { type: 'number' } },
  },
}

describe('forms of steps', () => {
  const fields = fieldsOf(SCHEMA)
  const named = (name: string) => fields.find((f) => f.name === name)!
  it('has a field of its kind for every parameter', () => {
    expect(fields.map((f) => f.kind)).toEqual([
      'number',
      'number',
      'flag',
      'choice',
      'reference',
      'tuple',
      'group',
      'optional',
      'number',
      'list',
    ])
    expect(named('parts')).toMatchObject({ to: 'part', many: true })
    expect(named('factor')).toMatchObject({ unit: 'm', start: 2, least: 0, most: 10 })
  })
  it('begins with values that are in range', () => {
    const values = valuesOf(fields, { factor: 7 })
    expect(values).toMatchObject({ factor: 7, count: 5, axis: 'y', at: [0, 0, 0], pair: { a: 3 }, limit: null })
  })
  it('reads numbers as people type them', () => {
    const factor = named('factor') as NumberField
    const number = named('count') as NumberField
    expect(typedNumber(' 2,5 ', factor)).toBe(2.5)
    expect(typedNumber('1e-3', factor)).toBe(0.001)
    for (const text of ['', 'abc', '-1', '11', 'Infinity', '1,000.5']) expect(typedNumber(text, factor)).toBeNull()
    expect(typedNumber('5.5', number)).toBeNull()
  })
  it('does not share the values it begins with', () => {
    const [one, other] = [valuesOf(fields, {}), valuesOf(fields, {})]
    ;(one.at as number[])[0] = 9
    expect((other.at as number[])[0]).toBe(0)
  })
})

describe('words', () => {
  it('says sizes as people do', () => {
    expect([bytes(999), bytes(1500), bytes(2_500_000), bytes(3e9)]).toEqual(['999 B', '1.5 kB', '2.5 MB', '3.00 GB'])
    expect([length(1234), length(1.5), length(0.25), length(0.004)]).toEqual([
      '1.23 km',
      '1.50 m',
      '25.0 cm',
      '4.00 mm',
    ])
    expect(extent([150.591, 79.74, 193.384])).toBe('150.59 × 79.74 × 193.38 m')
    expect(extent([1.5, 0.25, 0.004])).toBe('1.50 m × 25.0 cm × 4.00 mm')
    expect(extent([])).toBe('')
  })
  it('takes paths apart and counts names', () => {
    expect([last('a/b/c.x'), folderOf('a/b/c.x'), folderOf('c')]).toEqual(['c.x', 'a/b', ''])
    expect(counted(['glass', 'wood', 'glass'])).toEqual(['glass ×2', 'wood'])
    expect([stretch(4, 2), stretch(2, 4)]).toEqual([
      [2, 4],
      [2, 4],
    ])
  })
})
