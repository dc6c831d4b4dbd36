// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Source } from '../src/api/client'
import StackList from '../src/features/sources/StackList.vue'
import { Refusal, serve, type Asked } from './server'

function source(id: string, more: object = {}): Source {
  return {
    id,
    label: id.toUpperCase(),
    mount: '/games/one',
    kind: 'folder',
    layer: '',
    language: null,
    on: true,
    counts: true,
    state: 'ready',
    entries: 1200,
    size: 5000,
    problems: [],
    hashed: 0,
    named: 0,
    any_version: false,
    ...more,
  } as unknown as Source
}
const IDS = ['a', 'b', 'c', 'd', 'e']
const HEIGHT = 40

function stack(sources = IDS.map((id) => source(id))) {
  const wrapper = mount(StackList, { attachTo: document.body, props: { sources, project: 'p' } })
  // Nothing is laid out here: each line is where it would be.
  wrapper.findAll('[data-test=source]').forEach((line, i) => {
    line.element.getBoundingClientRect = () => ({ top: i * HEIGHT, height: HEIGHT }) as DOMRect
  })
  const line = (id: string) => wrapper.get(`[data-id=${id}]`)
  async function drag(id: string, over: string, y: number) {
    await line(id).trigger('dragstart')
    await line(over).trigger('dragover', { clientY: y })
    const marks = wrapper.findAll('[data-test=source]').map((l) => l.classes().join(' '))
    await wrapper.get('ol').trigger('drop')
    return marks
  }
  return { wrapper, line, drag, orders: () => (wrapper.emitted('order') ?? []).map(([ids]) => ids as string[]) }
}

// Where a thing taken from one place and put before another (or at the end) comes to lie.
function expected(from: number, before: number): string[] {
  const list: (string | null)[] = [...IDS]
  const [taken] = list.splice(from, 1, null)
  list.splice(before, 0, taken!)
  return list.filter((one): one is string => one !== null)
}

let asked: Asked[]
beforeEach(() => {
  document.body.innerHTML = ''
  asked = serve({
    'PATCH /api/sources/*': () => ({}),
    'DELETE /api/sources/*': () => null,
    'DELETE /api/projects/*/sources': () => null,
    'POST /api/sources/*/verify': () => ({}),
  })
})

describe('a source is dropped where the mark shows', () => {
  const cases = IDS.flatMap((_, from) =>
    IDS.flatMap((_o, over) => [false, true].map((low) => [from, over, low] as const)),
  )
  it.each(cases)('from line %i over line %i, lower half: %s', async (from, over, low) => {
    const { drag, orders } = stack()
    const marks = await drag(IDS[from]!, IDS[over]!, over * HEIGHT + (low ? 30 : 10))
    const before = over + (low ? 1 : 0)
    expect(orders()).toEqual([expected(from, before)])
    const marked = marks.findIndex((c) => c.includes('inset_0_'))
    expect(marked).toBe(Math.min(before, IDS.length - 1))
    expect(marks[marked]!.includes('inset_0_-2px')).toBe(before === IDS.length)
  })
  it('and what is dragged out again changes nothing', async () => {
    const { line, wrapper, orders } = stack()
    await line('a').trigger('dragstart')
    await line('c').trigger('dragover', { clientY: 90 })
    await line('a').trigger('dragend')
    await wrapper.get('ol').trigger('drop')
    expect(orders()).toEqual([])
  })
})

describe('the keyboard moves a source', () => {
  const press = (id: string, key: string) =>
    stackOf.line(id).get('[data-handle]').trigger('keydown', { key, altKey: true })
  let stackOf: ReturnType<typeof stack>
  beforeEach(() => (stackOf = stack()))
  it('one line up or down', async () => {
    await press('c', 'ArrowUp')
    await press('c', 'ArrowDown')
    expect(stackOf.orders()).toEqual([
      ['a', 'c', 'b', 'd', 'e'],
      ['a', 'b', 'd', 'c', 'e'],
    ])
  })
  it('not beyond the ends, and not without Alt', async () => {
    await press('a', 'ArrowUp')
    await press('e', 'ArrowDown')
    await stackOf.line('b').get('[data-handle]').trigger('keydown', { key: 'ArrowUp' })
    expect(stackOf.orders()).toEqual([])
  })
})

describe('what a line says', () => {
  it.each([
    [{ state: 'failed' }, 'cannot be read'],
    [{ state: 'waiting' }, 'waits to be read'],
    [{ on: false, counts: false }, 'switched off'],
    [{ counts: false, language: 'fr' }, 'another language (fr)'],
    [{ hashed: 50, named: 20 }, '20 of 50 names known'],
    [{ problems: [{ code: 'x', line: 'a.pak: broken' }] }, '1 problem'],
    [
      { problems: [{ code: 'key-missing', line: 'a.pak: the key ocean is needed. Put it on the ring.' }] },
      'the key ocean is needed',
    ],
  ])('of %j', (more, words) => {
    expect(
      stack([source('a', more)])
        .line('a')
        .text(),
    ).toContain(words)
  })
  it('leads to the keys or to the problems', async () => {
    const { wrapper, line } = stack([
      source('a', { problems: [{ code: 'key-wrong', line: 'a: wrong key.' }] }),
      source('b', {
        problems: [
          { code: 'bad', line: 'b: broken' },
          { code: 'bad', line: 'b: again' },
        ],
      }),
    ])
    await line('a')
      .findAll('button')
      .find((b) => b.text() === 'wrong key')!
      .trigger('click')
    await line('b')
      .findAll('button')
      .find((b) => b.text() === '2 problems')!
      .trigger('click')
    expect(Object.keys(wrapper.emitted())).toEqual(expect.arrayContaining(['keys', 'problems']))
  })
})

describe('groups', () => {
  it('stand over sources side by side, and are switched as one', async () => {
    const { wrapper } = stack([
      source('a', { layer: 'patch', on: false }),
      source('b', { layer: 'patch' }),
      source('c'),
      source('d', { layer: 'patch' }),
    ])
    const groups = wrapper.findAll('[data-test=group]')
    expect(groups.map((g) => g.attributes('data-group'))).toEqual(['patch'])
    await groups[0]!.get('[data-test=switch-group]').trigger('click')
    await flushPromises()
    expect(asked.map((a) => [a.method, a.path, a.body])).toEqual([['PATCH', '/api/sources/a', { on: true }]])
  })
})

describe('taking out', () => {
  it('asks first, of one source', async () => {
    const { line } = stack()
    await line('b').get('[data-test=remove-source]').trigger('click')
    expect(asked).toEqual([])
    expect(line('b').text()).toContain('Nothing on disk is touched')
    await line('b').get('[data-test=remove-yes]').trigger('click')
    expect(asked.map((a) => a.path)).toEqual(['/api/sources/b'])
  })
  it('asks first, of a whole place', async () => {
    const { wrapper } = stack()
    await wrapper.get('[data-test=unmount]').trigger('click')
    expect(asked).toEqual([])
    expect(wrapper.text()).toContain('all 5 sources')
    await wrapper.get('[data-test=unmount-yes]').trigger('click')
    expect(asked.map((a) => [a.method, a.query.get('mount')])).toEqual([['DELETE', '/games/one']])
  })
  it('tells what the server refuses', async () => {
    serve({
      'DELETE /api/sources/*': () =>
        new Refusal(409, { title: 'In use', status: 409, code: 'busy', detail: 'it is being read' }),
    })
    const { wrapper, line } = stack()
    await line('b').get('[data-test=remove-source]').trigger('click')
    await line('b').get('[data-test=remove-yes]').trigger('click')
    await flushPromises()
    await vi.waitFor(() => expect((wrapper.emitted('error')?.[0]?.[0] as Error).message).toBe('it is being read'), {
      timeout: 60_000,
    })
  })
})
