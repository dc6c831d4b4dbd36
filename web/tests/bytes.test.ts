// @vitest-environment happy-dom
import { mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { Guess, LayoutField } from '../src/api/client'
import FieldTree from '../src/features/bytes/FieldTree.vue'
import FindPanel from '../src/features/bytes/FindPanel.vue'
import GuessList from '../src/features/bytes/GuessList.vue'
import HexGrid from '../src/features/bytes/HexGrid.vue'
import NumberList from '../src/features/bytes/NumberList.vue'
import { fieldsAt, rowsOf } from '../src/model/fields'
import { addressOf, bytesOf, offsetOf, printed } from '../src/model/hex'
import { layoutName, placeOf, withConstant } from '../src/model/layoutText'
import { Refusal, serve, settled } from './server'

beforeEach(() => {
  document.body.innerHTML = ''
  Object.defineProperty(HTMLElement.prototype, 'clientWidth', { configurable: true, get: () => 600 })
  Object.defineProperty(HTMLElement.prototype, 'clientHeight', { configurable: true, get: () => 200 })
  Element.prototype.scrollIntoView = () => undefined
  vi.stubGlobal(
    'ResizeObserver',
    class {
      constructor(private readonly told: () => void) {}
      observe() {
        this.told()
      }
      disconnect() {}
    },
  )
})

describe('constants in the text of a layout', () => {
  const flow = 'layout: a\nconstants: {place: 12, place_type: f32x3}\nrecords:\n  file: [{name: place, type: u8}]\n'
  const block = "layout: a\nconstants:\n  place: 12 # where\n  word: 'x'\nrecords: {place: 3}\n"
  it('are changed where they stand', () => {
    expect(withConstant(flow, 'place', 16)).toContain('{place: 16, place_type: f32x3}')
    expect(withConstant(flow, 'place_type', 'f16x4')).toContain('{place: 12, place_type: f16x4}')
    expect(withConstant(block, 'place', -4)).toContain('place: -4')
    expect(withConstant(block, 'word', 'y')).toContain('word: y')
  })
  it('and nothing else is', () => {
    expect(withConstant(flow, 'place', 16)).toContain('[{name: place, type: u8}]')
    expect(withConstant(block, 'place', 5)).toContain('records: {place: 3}')
    expect(withConstant(flow, 'none', 1)).toBe(flow)
    expect(withConstant('layout: a\n', 'place', 1)).toBe('layout: a\n')
  })
  it('and its name and places of mistakes are read', () => {
    expect(layoutName(flow)).toBe('a')
    expect(layoutName('# nothing')).toBe('')
    expect(placeOf('line 3, column 5, records.file')).toEqual({ line: 3, column: 5 })
    expect(placeOf(null)).toBeNull()
  })
})

describe('offsets and bytes', () => {
  it.each([
    ['4096', 4096],
    ['4,096', 4096],
    ['0x1F', 31],
    ['1fh', 31],
    [' 12 ', 12],
    ['twelve', null],
    ['', null],
    ['0x', null],
  ])('reads %j as %j', (words, wanted) => expect(offsetOf(words)).toBe(wanted))
  it('and shows them', () => {
    expect([...bytesOf('00ff7f')]).toEqual([0, 255, 127])
    expect(addressOf(0x1fab)).toBe('00001FAB')
    expect([65, 0, 127, 255].map(printed).join('')).toBe('A···')
  })
})

const field = (name: string, first: number, end: number, fields: LayoutField[] = []): LayoutField => ({
  name,
  first,
  end,
  value: '',
  fields,
})
const TREE = [
  field('count', 0, 4),
  field('rows', 4, 28, [field('[0]', 4, 16, [field('x', 4, 8), field('y', 8, 16)]), field('[1]', 16, 28)]),
  field('inside', 8, 9),
]

describe('fields and bytes', () => {
  it('lead to each other', () => {
    expect(fieldsAt(TREE, 2)).toEqual(['count'])
    expect(fieldsAt(TREE, 12)).toEqual(['rows', 'rows.[0]', 'rows.[0].y'])
    expect(fieldsAt(TREE, 8)).toEqual(['inside'])
    expect(fieldsAt(TREE, 99)).toEqual([])
    expect(rowsOf(TREE, new Set()).map((r) => r.key)).toEqual(['count', 'rows', 'inside'])
    expect(rowsOf(TREE, new Set(['rows', 'rows.[0]'])).map((r) => r.depth)).toEqual([0, 0, 1, 2, 2, 1, 0])
  })
  it('in the tree, by the cursor and by keys', async () => {
    const tree = mount(FieldTree, { attachTo: document.body, props: { fields: TREE, cursor: 12 } })
    await nextTick()
    const chosen = () => tree.get('[aria-selected=true]').text()
    expect(chosen()).toContain('y')
    await tree.get('[role=tree]').trigger('keydown', { key: 'ArrowUp' })
    expect(tree.emitted('choose')).toEqual([[4, 8]])
    await tree.get('[role=tree]').trigger('keydown', { key: 'ArrowUp' })
    await tree.get('[role=tree]').trigger('keydown', { key: 'ArrowLeft' })
    expect(tree.findAll('[role=treeitem]')).toHaveLength(5)
  })
})

describe('the bytes', () => {
  const serveBytes = (size: number) =>
    serve({
      'GET /api/entries/*/bytes': ({ query }) => {
        const first = Number(query.get('offset'))
        const many = Math.max(0, Math.min(Number(query.get('size')), size - first))
        const hex = Array.from({ length: many }, (_, n) => ((first + n) % 256).toString(16).padStart(2, '0')).join('')
        return { offset: first, size, hex }
      },
    })
  async function grid(size: number, cursor = 0) {
    const asked = serveBytes(size)
    const wrapper = mount(HexGrid, {
      attachTo: document.body,
      props: { entry: 1, size, shades: [{ first: 3, end: 5, way: 'field' as const }], cursor },
    })
    await settled()
    return { wrapper, asked, rows: () => wrapper.findAll('[data-test=hex] > div').length }
  }
  it.each([0, 1, 15, 16, 100, 5_000_000_000])('of %i are shown and asked for by pages', async (size) => {
    const { asked, rows, wrapper } = await grid(size)
    expect(rows()).toBe(Math.min(10, Math.ceil(size / 16)))
    expect(asked).toHaveLength(size ? 1 : 0)
    if (size) expect(wrapper.get('[data-byte="0"]').text()).toBe('00')
    else expect(wrapper.text()).toContain('empty')
  })
  it('move by keys to the very end of a large file', async () => {
    const { wrapper } = await grid(5_000_000_000)
    const box = wrapper.get('[data-test=hex]')
    const moved = () => wrapper.emitted('update:cursor')!.at(-1)![0] as number
    await box.trigger('keydown', { key: 'ArrowDown' })
    expect(moved()).toBe(16)
    await box.trigger('keydown', { key: 'End', ctrlKey: true })
    expect(moved()).toBe(4_999_999_999)
    await wrapper.setProps({ cursor: 4_999_999_999 })
    await settled()
    expect(wrapper.get('[data-byte="4999999999"]').text()).toBe((4_999_999_999 % 256).toString(16))
  })
  it('are shaded', async () => {
    const { wrapper } = await grid(64)
    expect(wrapper.findAll('[data-byte].shade-field')).toHaveLength(2)
  })
})

describe('guesses', () => {
  const guess = (title: string, layout: string): Guess => ({
    kind: 'mesh',
    title,
    confidence: 0.9,
    reasons: ['because'],
    spans: [{ name: 'vertices', first: 0, end: 9 }],
    layout,
  })
  const props = { guesses: undefined, job: undefined, waiting: false, taken: '' }
  it('are asked for, waited for, shown and taken', async () => {
    const list = mount(GuessList, { props })
    await list.get('[data-test=ask-guesses]').trigger('click')
    expect(list.emitted('ask')).toHaveLength(1)
    await list.setProps({ waiting: true })
    expect(list.find('[data-test=guessing]').exists()).toBe(true)
    const found = [guess('A mesh', 'layout: a'), guess('Only bytes', '')]
    const whole = { status: 'done', job: null, found, looked_at: 10, size: 20 }
    await list.setProps({ waiting: false, guesses: whole as never })
    expect(list.text()).toContain('Only the first 10 of 20 bytes')
    await list.get('[data-test=take-guess]').trigger('click')
    await list.get('[data-test=show-guess]').trigger('click')
    expect([list.emitted('take'), list.emitted('look')]).toEqual([[[found[0]]], [[found[1]]]])
    await list.setProps({ taken: 'layout: a' })
    expect(list.get('[data-test=take-guess]').text()).toBe('Taken')
  })
  it('that are none say what to try', () => {
    const list = mount(GuessList, {
      props: { ...props, guesses: { status: 'done', job: null, found: [], looked_at: 1, size: 1 } as never },
    })
    expect(list.text()).toContain('Nothing in these bytes')
  })
})

describe('finding and numbers', () => {
  it('goes to what is found, and tells what cannot be looked for', async () => {
    const asked = serve({
      'GET /api/entries/*/finds': ({ query }) =>
        query.get('what') === 'zz'
          ? new Refusal(422, { title: 'No', status: 422, code: 'usage', detail: "'zz' is no hex" })
          : { offsets: [12, 40], size: 4, more: false },
    })
    const panel = mount(FindPanel, { props: { entry: 1, path: 'a/b' } })
    await panel.get('[data-test=find-kind]').setValue('u32')
    await panel.get('[data-test=find-what]').setValue('7')
    await panel.findAll('form')[1]!.trigger('submit')
    await settled()
    expect(panel.emitted('go')).toEqual([[12, 4]])
    expect(asked[0]!.query.get('order')).toBe('<')
    await panel.get('[data-test=find-kind]').setValue('hex')
    await panel.get('[data-test=find-what]').setValue('zz')
    await panel.findAll('form')[1]!.trigger('submit')
    await settled()
    expect(panel.get('[role=alert]').text()).toContain('no hex')
    await panel.get('[data-test=jump]').setValue('0x10')
    await panel.findAll('form')[0]!.trigger('submit')
    expect(panel.emitted('go')!.at(-1)).toEqual([16, 1])
  })
  it('turns numbers and types', async () => {
    const list = mount(NumberList, { props: { constants: { place: 12, place_type: 'f32x3' } } })
    await list.get('[data-test=more-place]').trigger('click')
    await list.get('#constant-place').trigger('keydown', { key: 'Down', code: 'ArrowDown', shiftKey: true })
    await list.get('#constant-place').setValue('90')
    await list.get('#constant-place').setValue('many')
    await list.get('[data-test=type-place_type]').setValue('f16x3')
    const set = list.emitted('set')!
    expect(set[0]).toEqual(['place', 13])
    expect(set).toContainEqual(['place', 90])
    expect(set.at(-1)).toEqual(['place_type', 'f16x3'])
    expect(set.some((one) => Number.isNaN(one[1]))).toBe(false)
  })
})
