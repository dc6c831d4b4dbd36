// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref, type EffectScope } from 'vue'
import type { Wish } from '../src/api/client'
import { useListing } from '../src/composables/useListing'
import { usePages } from '../src/composables/usePages'
import { Refusal, serve, type Asked } from './server'

let scope: EffectScope
beforeEach(() => (scope = effectScope()))
afterEach(() => scope.stop())

// Answers that come when the test says so, in any order.
function slow<T>() {
  const open = new Map<number, { give: (rows: T[]) => void; fail: (problem: unknown) => void; signal: AbortSignal }>()
  const ask = (number: number, signal: AbortSignal) =>
    new Promise<T[]>((give, fail) => open.set(number, { give, fail, signal }))
  return { open, ask }
}

describe('pages of a long list', () => {
  it('are asked for once each, however often their rows are looked at', () => {
    const { open, ask } = slow<string>()
    const asked = vi.fn(ask)
    const pages = scope.run(() => usePages(10, asked, () => undefined))!
    for (const i of [0, 1, 9, 10, 19, 0, 15]) expect(pages.row(i)).toBeUndefined()
    expect(asked.mock.calls.map(([n]) => n)).toEqual([0, 1])
    expect(open.size).toBe(2)
  })
  it('are asked for again after they failed, and the failure is told', async () => {
    const { open, ask } = slow<string>()
    const failed = vi.fn()
    const pages = scope.run(() => usePages(2, ask, failed))!
    pages.row(0)
    open.get(0)!.fail(new Error('no'))
    await nextTick()
    expect(failed).toHaveBeenCalledOnce()
    pages.row(1)
    open.get(0)!.give(['a', 'b'])
    await nextTick()
    expect(pages.row(1)).toBe('b')
  })
  it('of an older question never come into the answer of a newer one', async () => {
    const { open, ask } = slow<string>()
    const pages = scope.run(() => usePages(2, ask, () => undefined))!
    const first = pages.begin().first
    const old = open.get(0)!
    const second = pages.begin().first
    open.get(0)!.give(['new', 'newer'])
    await second
    old.give(['old', 'older'])
    await first
    expect(old.signal.aborted).toBe(true)
    expect([pages.row(0), pages.row(1)]).toEqual(['new', 'newer'])
  })
  it('keep what was shown until the first page of the new question is there', async () => {
    const { open, ask } = slow<string>()
    const pages = scope.run(() => usePages(2, ask, () => undefined))!
    void pages.begin()
    open.get(0)!.give(['a', 'b'])
    await nextTick()
    pages.row(2)
    open.get(1)!.give(['c', 'd'])
    await nextTick()
    const { first } = pages.begin()
    expect([pages.row(0), pages.row(3)]).toEqual(['a', 'd'])
    open.get(0)!.give(['x', 'y'])
    await first
    expect([pages.row(0), pages.row(3)]).toEqual(['x', undefined])
  })
  it('far from where one looks are let go, and come back when one returns', async () => {
    const asked: number[] = []
    const pages = scope.run(() =>
      usePages(
        1,
        async (n) => (asked.push(n), [`row ${n}`]),
        () => undefined,
      ),
    )!
    for (let n = 0; n < 40; n++) {
      pages.row(n)
      await nextTick()
      await nextTick()
    }
    expect(pages.pages.value.size).toBeLessThanOrEqual(8)
    expect(pages.row(0)).toBeUndefined()
    await nextTick()
    await nextTick()
    expect(pages.row(0)).toBe('row 0')
    expect(asked.filter((n) => n === 0)).toHaveLength(2)
  })
})

const SIZE = 120
const START: Wish = { search: '', kind: null, sort: 'path', down: false }

// A server that has `total` entries of every search, with what was asked.
function entries(total: (query: URLSearchParams) => number): Asked[] {
  return serve({
    'GET /api/projects/*/entries': ({ query }) => {
      const from = Number(query.get('offset') ?? 0)
      const count = Math.max(0, Math.min(SIZE, total(query) - from))
      return {
        entries: Array.from({ length: count }, (_, i) => ({ id: from + i, path: `e${from + i}`, picture: null })),
      }
    },
    'GET /api/projects/*/facets': ({ query }) => ({
      total: total(query),
      kinds: {},
      digits: {},
      sources: {},
      flags: {},
    }),
  })
}

async function all() {
  await vi.waitFor(() => undefined)
  for (let i = 0; i < 20; i++) await new Promise((done) => setTimeout(done, 0))
}

describe('a list of entries', () => {
  it.each([0, 1, 119, 120, 121, 4000])('of %i has so many rows', async (total) => {
    entries(() => total)
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => START,
      ),
    )!
    await list.load()
    expect(list.total.value).toBe(total)
    expect(list.loading.value).toBe(false)
    if (total) expect(list.row(0)?.path).toBe('e0')
    expect(list.row(total)).toBeUndefined()
  })
  it('does not vanish while the next search is on its way', async () => {
    entries((query) => (query.get('search') ? 7 : 500))
    const wish = ref<Wish>(START)
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => wish.value,
      ),
    )!
    await list.load()
    const seen: number[] = []
    wish.value = { ...START, search: 'crab' }
    for (let i = 0; i < 200 && list.total.value !== 7; i++) {
      await new Promise((done) => setTimeout(done, 1))
      seen.push(list.total.value)
    }
    expect(new Set(seen)).toEqual(new Set([500, 7]))
  })
  it('asks once for what is typed in one go', async () => {
    const asked = entries(() => 3)
    const wish = ref<Wish>(START)
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => wish.value,
      ),
    )!
    await list.load()
    asked.length = 0
    for (const search of ['c', 'cr', 'cra', 'crab']) {
      wish.value = { ...START, search }
      await nextTick()
    }
    await vi.waitFor(() => expect(asked.some((a) => a.path.endsWith('facets'))).toBe(true), { timeout: 60_000 })
    await all()
    expect(asked.map((a) => a.query.get('search'))).toEqual(['crab', 'crab'])
  })
  it('goes on behind the last path that it has, where it goes by path', async () => {
    const asked = entries(() => 400)
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => START,
      ),
    )!
    await list.load()
    list.row(SIZE)
    await all()
    expect(asked.at(-1)!.query.get('after')).toBe('e119')
    expect(list.row(SIZE)?.path).toBe('e120')
  })
  it('counts by places where it goes by size', async () => {
    const asked = entries(() => 400)
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => ({ ...START, sort: 'size', down: true }),
      ),
    )!
    await list.load()
    list.row(SIZE)
    await all()
    expect(asked.at(-1)!.query.get('after')).toBeNull()
    expect(asked.at(-1)!.query.get('offset')).toBe('120')
  })
  it('says what went wrong, and is mended by the next search', async () => {
    serve({
      'GET /api/projects/*/entries': () =>
        new Refusal(422, { title: 'No', status: 422, code: 'bad', detail: 'a bracket is open' }),
      'GET /api/projects/*/facets': () =>
        new Refusal(422, { title: 'No', status: 422, code: 'bad', detail: 'a bracket is open' }),
    })
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => START,
      ),
    )!
    await list.load()
    expect((list.error.value as Error).message).toBe('a bracket is open')
    entries(() => 2)
    await list.load()
    expect(list.error.value).toBeNull()
    expect(list.total.value).toBe(2)
  })
  it('tells a question that a newer one overtook from one that found nothing', async () => {
    entries(() => 5)
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => START,
      ),
    )!
    const [overtaken, last] = await Promise.all([list.load(), list.load()])
    expect([overtaken, last]).toEqual([false, true])
    expect(list.total.value).toBe(5)
  })
  it('shows at once what is changed in one of its rows', async () => {
    entries(() => 3)
    const list = scope.run(() =>
      useListing(
        () => 'p',
        () => START,
      ),
    )!
    await list.load()
    list.change(1, { star: true } as never)
    expect(list.row(1)).toMatchObject({ path: 'e1', star: true })
  })
})
