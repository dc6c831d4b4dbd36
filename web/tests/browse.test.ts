// @vitest-environment happy-dom
import { mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { Facets, Folder, Source, Wish } from '../src/api/client'
import VirtualGrid from '../src/components/VirtualGrid.vue'
import FilterBar from '../src/features/browse/FilterBar.vue'
import FolderTree from '../src/features/browse/FolderTree.vue'
import OrderBar from '../src/features/browse/OrderBar.vue'
import { serve, settled, type Asked } from './server'

// Nothing is laid out here; every box says that it is this large.
const [WIDE, HIGH] = [900, 640]
beforeEach(() => {
  document.body.innerHTML = ''
  Object.defineProperty(HTMLElement.prototype, 'clientWidth', { configurable: true, get: () => WIDE })
  Object.defineProperty(HTMLElement.prototype, 'clientHeight', { configurable: true, get: () => HIGH })
  vi.stubGlobal(
    'ResizeObserver',
    class {
      constructor(private readonly told: () => void) {}
      observe() {
        this.told()
      }
      unobserve() {}
      disconnect() {}
    },
  )
})

describe('a grid of any length', () => {
  async function grid(count: number, cellWidth: number | null = 160) {
    const wrapper = mount(VirtualGrid, {
      attachTo: document.body,
      props: { label: 'Entries', count, cellHeight: 150, cellWidth, gap: 10, selected: -1, cellId: 'e' },
      slots: { default: ({ index }: { index: number }) => `<${index}>` },
    })
    await nextTick()
    const box = wrapper.element as HTMLElement
    const seen = () => [...wrapper.text().matchAll(/<(\d+)>/g)].map((m) => Number(m[1]))
    const tall = () => parseFloat(wrapper.get<HTMLElement>('[role=presentation]').element.style.height) - 24
    async function scroll(to: number) {
      box.scrollTop = to
      await wrapper.trigger('scroll')
    }
    return { wrapper, box, seen, tall, scroll, columns: (wrapper.vm as unknown as { columns: number }).columns }
  }
  it.each([0, 1, 5, 12, 1000, 1_000_217, 40_000_000])('draws a few cells of %i', async (count) => {
    const { seen } = await grid(count)
    expect(seen().length).toBeLessThan(60)
    expect(seen().slice(0, 5)).toEqual([0, 1, 2, 3, 4].slice(0, count))
  })
  it.each([1000, 1_000_217, 40_000_000])('reaches the last of %i cells at the end of its bar', async (count) => {
    const { seen, tall, scroll } = await grid(count)
    expect(tall()).toBeLessThanOrEqual(8_000_000)
    await scroll(tall() - HIGH)
    expect(seen().at(-1)).toBe(count - 1)
  })
  it('may be named, empty too: it has a role of its own, or the one that it is given', () => {
    const props = { label: 'Folders', count: 0, cellHeight: 28, cellWidth: null, gap: 0, selected: -1 }
    expect(mount(VirtualGrid, { props }).attributes('role')).toBe('group')
    expect(mount(VirtualGrid, { props, attrs: { role: 'listbox' } }).attributes('role')).toBe('listbox')
  })

  it('leaves no gap wherever it stands', async () => {
    const { seen, tall, scroll, columns } = await grid(1_000_217)
    for (let share = 0; share < 1; share += 0.0137) {
      await scroll((tall() - HIGH) * share)
      const cells = seen()
      expect(cells).toEqual(cells.map((_, i) => cells[0]! + i))
      expect(cells.length).toBeGreaterThanOrEqual(Math.ceil(HIGH / 160) * columns)
    }
  })
  it.each([0, 17, 999, 123_456, 1_000_216])('brings cell %i into sight when it is chosen', async (chosen) => {
    const { wrapper, seen, scroll, box } = await grid(1_000_217)
    await scroll(4_000_000)
    await wrapper.setProps({ selected: chosen })
    await nextTick()
    await scroll(box.scrollTop)
    expect(seen()).toContain(chosen)
    expect(wrapper.attributes('aria-activedescendant')).toBe(`e${chosen}`)
  })
  it('is one cell wide where it is a list', async () => {
    const { seen } = await grid(500, null)
    expect(seen().length).toBeLessThan(10)
  })
})

const FACETS = {
  total: 60,
  size: 5,
  capped: false,
  sampled: false,
  kinds: { texture: 40, model: 15, sound: 5 },
  digits: { '3': 9, '4': 20, '7': 31 },
  sources: { s: 60 },
  flags: { starred: 2 },
  variants: { '': 50, night: 10 },
} as unknown as Facets
const START: Wish = { search: '', kind: 'model', sort: 'path', down: false }

describe('filters', () => {
  async function bar(wish: Wish = START, facets: Facets | undefined = FACETS, saved: object[] = []) {
    const asked = serve({
      'GET /api/projects/*/searches': () => saved,
      'PUT /api/projects/*/searches': ({ body }) => [...saved, body],
      'DELETE /api/projects/*/searches': () => [],
    })
    const sources = [
      { id: 's', label: 'reef', counts: true },
      { id: 'off', label: 'old', counts: false },
    ] as Source[]
    const wrapper = mount(FilterBar, {
      props: {
        facets,
        sources,
        project: 'p',
        modelValue: wish,
        'onUpdate:modelValue': (now: Wish) => wrapper.setProps({ modelValue: now }),
      },
    })
    await settled()
    return { wrapper, asked, wish: () => wrapper.props('modelValue') as Wish }
  }
  it('show kinds, most first, and how many there are of all', async () => {
    const { wrapper } = await bar()
    const words = wrapper.findAll('[data-kind]').map((b) => b.text().replace(/\s+/g, ' '))
    expect(words).toEqual(['everything 60', 'texture 40', 'model 15', 'sound 5'])
    expect(wrapper.get('[aria-pressed=true]').text()).toContain('model')
  })
  it('keep the chosen kind in sight when nothing of it is found', async () => {
    const { wrapper, wish } = await bar({ ...START, kind: 'font' })
    expect(wrapper.get('[data-kind=font]').text()).toContain('0')
    await wrapper.get('[data-kind=all]').trigger('click')
    expect(wish().kind).toBeNull()
  })
  it('offer only sizes that there are, and the one that is chosen', async () => {
    const { wrapper, wish } = await bar()
    const words = () => wrapper.findAll('[data-test=filter-size] option').map((o) => o.text())
    expect(words()).toEqual(['any size', 'under 1 kB (9)', '1 to 10 kB (20)', '1 to 10 MB (31)'])
    await wrapper.get('[data-test=filter-size]').setValue('1000-9999')
    expect(wish()).toMatchObject({ least: 1000, most: 9999 })
    await wrapper.setProps({ facets: { ...FACETS, digits: {} } as unknown as Facets })
    expect(words()).toEqual(['any size', '1 to 10 kB (0)'])
    await wrapper.get('[data-test=filter-size]').setValue('')
    expect(wish()).toMatchObject({ least: null, most: null })
  })
  it('offer the sources that count, states, and variants where there are any', async () => {
    const { wrapper, wish } = await bar()
    expect(wrapper.findAll('[data-test=filter-source] option').map((o) => o.text())).toEqual([
      'any source',
      'reef (60)',
    ])
    await wrapper.get('[data-test=filter-source]').setValue('s')
    await wrapper.get('[data-test=filter-flag]').setValue('starred')
    await wrapper.get('[data-test=filter-variant]').setValue('night')
    expect(wish()).toMatchObject({ source: 's', flag: 'starred', variant: 'night', kind: 'model' })
    await wrapper.get('[data-test=filter-variant]').setValue('*')
    expect(wish().variant).toBeNull()
    const none = await bar(START, { ...FACETS, variants: { '': 60 } } as unknown as Facets)
    expect(none.wrapper.find('[data-test=filter-variant]').exists()).toBe(false)
  })
  it('say that a number is only what was counted so far', async () => {
    const { wrapper } = await bar(START, { ...FACETS, sampled: true } as unknown as Facets)
    expect(wrapper.get('[data-kind=texture]').text()).toContain('40+')
  })
  it('are kept under a name, found again, and forgotten', async () => {
    const { wrapper, asked } = await bar({ ...START, search: 'crab', flag: 'starred' })
    await wrapper.get('[data-test=save-search]').trigger('click')
    await settled()
    expect(asked.at(-1)!.body).toMatchObject({ name: 'crab, model, starred', query: { search: 'crab', kind: 'model' } })
    expect(wrapper.find('[data-test=save-search]').exists()).toBe(false)
    await wrapper.get('[data-test=forget-search]').trigger('click')
    await settled()
    expect(asked.at(-1)!.query.get('name')).toBe('crab, model, starred')
    expect(wrapper.find('[data-test=save-search]').exists()).toBe(true)
  })
  it('that were kept replace all that is set now', async () => {
    const { wrapper, wish } = await bar({ ...START, source: 's', least: 10 }, FACETS, [
      { name: 'night crabs', query: { search: 'crab', variant: 'night' } },
    ])
    await wrapper.get('[data-test=saved]').setValue('night crabs')
    expect(wish()).toMatchObject({ search: 'crab', variant: 'night', kind: null, source: null, least: null })
  })
})

describe('where one is', () => {
  const order = (wish: Wish) => mount(OrderBar, { props: { wish, facets: FACETS, total: 60, asList: false } })
  it('is a way back to every folder above', async () => {
    const wrapper = order({ ...START, folder: 'actors/crab/skins' })
    const crumbs = wrapper.get('nav').findAll('button')
    expect(crumbs.map((b) => b.text())).toEqual(['All folders', 'actors', 'crab', 'skins'])
    await crumbs[2]!.trigger('click')
    await crumbs[0]!.trigger('click')
    expect(wrapper.emitted('set')).toEqual([[{ folder: 'actors/crab' }], [{ folder: null, direct: false }]])
  })
  it.each([
    ['path', false, 'A to Z'],
    ['size', true, 'largest first'],
    ['references', false, 'least first'],
    ['nonsense', false, 'A to Z'],
  ])('ordered by %s, turned %s, says %s', (sort, down, words) => {
    expect(
      order({ ...START, sort, down })
        .get('[data-test=direction]')
        .text(),
    ).toBe(words)
  })
})

describe('folders', () => {
  const folder = (path: string, entries = 5, deeper = true): Folder =>
    ({ path, entries, deeper, alias: '', purpose: '' }) as unknown as Folder
  let tree: Record<string, Folder[]>
  let asked: Asked[]
  async function shown() {
    asked = serve({
      'GET /api/projects/*/folders': ({ query }) => {
        const all = tree[query.get('path') ?? ''] ?? []
        const from = Number(query.get('offset') ?? 0)
        return all.slice(from, from + 200)
      },
    })
    const wrapper = mount(FolderTree, {
      attachTo: document.body,
      props: { project: 'p', chosen: null, total: 99, version: 0 },
    })
    await settled()
    const names = () => wrapper.findAll('[data-test=folder]').map((f) => f.attributes('data-folder'))
    const toggle = async (path: string) => {
      await wrapper.get(`[data-folder='${path}'] [aria-expanded]`).trigger('click')
      await settled()
    }
    return { wrapper, names, toggle }
  }
  beforeEach(() => {
    tree = {
      '': [folder('a', 9), folder('b', 3, false)],
      a: [folder('a/only', 9)],
      'a/only': [folder('a/only/x', 4, false), folder('a/only/y', 5, false)],
    }
  })
  it('open through those that hold nothing but one other', async () => {
    const { names, toggle } = await shown()
    expect(names()).toEqual(['a', 'b'])
    await toggle('a')
    expect(names()).toEqual(['a', 'a/only', 'a/only/x', 'a/only/y', 'b'])
    await toggle('a')
    expect(names()).toEqual(['a', 'b'])
  })
  it('stop where a folder holds files of its own', async () => {
    tree[''] = [folder('a', 10), folder('b', 3, false)]
    const { names, toggle } = await shown()
    await toggle('a')
    expect(names()).toEqual(['a', 'a/only', 'b'])
  })
  it('are asked for once, and again only when the list changed', async () => {
    const { wrapper, names, toggle } = await shown()
    await toggle('a')
    const before = asked.length
    await toggle('a')
    await toggle('a')
    expect(asked.length).toBe(before)
    tree.a = [folder('a/new', 9, false)]
    await wrapper.setProps({ version: 1 })
    await settled()
    expect(names()).toEqual(['a', 'a/new', 'b'])
  })
  it('of another project are others', async () => {
    const { wrapper, names, toggle } = await shown()
    await toggle('a')
    tree = { '': [folder('z', 1, false)] }
    await wrapper.setProps({ project: 'q', version: 1 })
    await settled()
    expect(names()).toEqual(['z'])
  })
  it('by the hundreds come as they are scrolled to', async () => {
    tree[''] = Array.from({ length: 450 }, (_, i) => folder(`f${String(i).padStart(3, '0')}`, 1, false))
    const { wrapper } = await shown()
    const box = wrapper.get('[aria-label=Folders].overflow-auto')
    for (const lines of [185, 385, 440]) {
      ;(box.element as HTMLElement).scrollTop = lines * 28
      await box.trigger('scroll')
      await settled()
    }
    expect(asked.map((a) => Number(a.query.get('offset') ?? 0))).toEqual([0, 200, 400])
  })
})
