// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'
import { api, ApiError, type Entry, type Look } from '../src/api/client'
import Fault from '../src/components/Fault.vue'
import Problem from '../src/components/Problem.vue'
import Tabs from '../src/components/Tabs.vue'
import { useTray } from '../src/composables/useTray'
import FactsPanel from '../src/features/bench/FactsPanel.vue'
import FindingsPanel from '../src/features/bench/FindingsPanel.vue'
import PartsPanel from '../src/features/bench/PartsPanel.vue'
import EntryCard from '../src/features/browse/EntryCard.vue'
import LookLevel from '../src/features/browse/look/LookLevel.vue'
import LookMaterial from '../src/features/browse/look/LookMaterial.vue'
import PlacePicker from '../src/features/sources/PlacePicker.vue'
import { Refusal, serve, settled } from './server'

beforeEach(() => localStorage.clear())
afterEach(() => (document.body.innerHTML = ''))
const words = (wrapper: { text: () => string }) =>
  wrapper.text().replace('Copy what happened', '').replace(/\s+/g, ' ').trim()

describe('answers of the server', () => {
  const problem = { title: 'No such place', status: 404, code: 'not-found', detail: '/x: there is no such folder.' }
  it('that refuse carry their words', async () => {
    serve({ 'GET /api/projects': () => new Refusal(404, problem) })
    const error = await api.projects().catch((e: unknown) => e)
    expect(error).toBeInstanceOf(ApiError)
    expect((error as ApiError).problem).toEqual(problem)
    expect((error as ApiError).message).toBe('/x: there is no such folder.')
  })
  it('that are no words of ours still say something', async () => {
    serve({ 'GET /api/projects': () => new Refusal(502, 'Bad gateway') })
    await expect(api.projects()).rejects.toThrow('The server answered 502.')
  })
  it('that never come say that the server is not there', async () => {
    serve({})
    await expect(api.projects()).rejects.toThrow('The server does not answer. Is it still running?')
  })
  it('that nobody waits for any more stay what they are', async () => {
    serve({ 'GET /api/projects/*/entries': () => ({ entries: [] }) })
    const stop = new AbortController()
    stop.abort()
    const error = await api.entries('p', {}, 0, 10, null, stop.signal).catch((e: unknown) => e)
    expect(error).toMatchObject({ name: 'AbortError' })
  })
  it('are asked for without what is empty', async () => {
    const asked = serve({ 'GET /api/projects/*/entries': () => ({ entries: [] }) })
    await api.entries('p', { search: '', kind: null, folder: 'a b/&c', direct: false, least: 0, down: true }, 0, 10)
    expect(Object.fromEntries(asked[0]!.query)).toEqual({
      folder: 'a b/&c',
      least: '0',
      down: 'true',
      offset: '0',
      limit: '10',
    })
  })
})

describe('a fault', () => {
  it.each([
    [{ message: 'it is cut' }, 'It is cut'],
    [{ message: 'it is cut', offset: 0 }, 'It is cut byte 0'],
    [{ message: 'x', file: 'a.pak', field: 'table[3]', offset: 1234567 }, 'X a.pak, table[3], byte 1,234,567'],
    [{ message: 'x', expected: '64 bytes' }, 'X Expected 64 bytes'],
    [{ message: 'x', found: 'nothing' }, 'X Found nothing'],
    [{ message: 'x', expected: 'a', found: 'b', hint: 'Do this.' }, 'X Expected a, found b Do this.'],
  ])('%j reads %s', (fault, line) => expect(words(mount(Fault, { props: { fault } }))).toBe(line))
  it('says each thing once, whether it has a place or not', () => {
    const of = (more: object) =>
      words(
        mount(Problem, {
          props: {
            error: new ApiError({
              title: 'Not possible',
              status: 422,
              code: 'x',
              detail: 'a.glb: not possible',
              ...more,
            } as never),
          },
        }),
      )
    expect(of({})).toBe('Not possible a.glb: not possible Dismiss')
    expect(of({ file: 'a.glb', hint: 'Try another.' })).toBe('Not possible a.glb Try another. Dismiss')
    expect(words(mount(Problem, { props: { error: 'plain words' } }))).toBe('Plain words Dismiss')
  })
})

describe('tabs', () => {
  it('are walked by the arrows, round and round, and by Home and End', async () => {
    const wrapper = mount(Tabs, {
      attachTo: document.body,
      props: {
        tabs: [
          ['a', 'A'],
          ['b', 'B'],
          ['c', 'C'],
        ] as const,
        label: 'x',
        modelValue: 'a',
        'onUpdate:modelValue': (now: string) => wrapper.setProps({ modelValue: now }),
      },
    })
    const seen: string[] = []
    for (const key of ['ArrowRight', 'ArrowRight', 'ArrowRight', 'ArrowLeft', 'Home', 'End', 'x']) {
      await wrapper.trigger('keydown', { key })
      seen.push(wrapper.props('modelValue') as string)
      expect(document.activeElement?.textContent?.trim().toLowerCase()).toBe(seen.at(-1))
    }
    expect(seen).toEqual(['b', 'c', 'a', 'c', 'a', 'c', 'c'])
    expect(wrapper.findAll('[tabindex="0"]').map((t) => t.text())).toEqual(['C'])
  })
})

describe('the tray', () => {
  const entry = (path: string, kind = 'model', size = 10) =>
    ({ path, kind, size, id: 1, star: true }) as unknown as Entry
  it('is kept for each project, and holds only what it must', async () => {
    const project = ref('p')
    const scope = effectScope()
    const tray = scope.run(() => useTray(() => project.value))!
    tray.toggle(entry('a'))
    tray.add([entry('b', 'clips', 5), entry('c', 'texture', 7), entry('a')])
    expect([tray.size.value, tray.models.value.length, tray.clips.value.length]).toEqual([22, 1, 1])
    expect(JSON.parse(localStorage.getItem('pruxel.tray.p')!)[0]).toEqual({ path: 'a', size: 10, kind: 'model' })
    project.value = 'q'
    await nextTick()
    expect(tray.picks.value.size).toBe(0)
    project.value = 'p'
    await nextTick()
    expect(tray.has('c')).toBe(true)
    tray.toggle(entry('c'))
    expect(tray.has('c')).toBe(false)
    tray.clear()
    expect(JSON.parse(localStorage.getItem('pruxel.tray.p')!)).toEqual([])
    scope.stop()
  })
})

describe('parts of the Bench', () => {
  const part = (name: string, more: object = {}) => ({
    name,
    triangles: 1200,
    materials: ['rust'],
    role: 'visual',
    detail: 0,
    ...more,
  })
  function panel(hidden: string[] = []) {
    const wrapper = mount(PartsPanel, {
      props: {
        parts: [part('body'), part('hull', { role: 'collision' }), part('body_far', { detail: 2 })] as never,
        chosen: [],
        hidden: new Set(hidden),
        'onUpdate:hidden': (now: Set<string>) => wrapper.setProps({ hidden: now }),
      },
    })
    return { wrapper, hidden: () => [...(wrapper.props('hidden') as Set<string>)] }
  }
  it('say what they are besides what is seen', () => {
    const lines = panel().wrapper.findAll('li').map(words)
    expect(lines[0]).toContain('1,200')
    expect(lines[1]).toContain('collision')
    expect(lines[2]).toContain('level 2')
  })
  it('are hidden one by one, shown alone, and shown again', async () => {
    const { wrapper, hidden } = panel()
    await wrapper.get("[data-part='hull']").setValue(false)
    expect(hidden()).toEqual(['hull'])
    await wrapper.get("[aria-label='Show only body']").trigger('click')
    expect(hidden()).toEqual(['hull', 'body_far'])
    await wrapper
      .findAll('button')
      .find((b) => b.text() === 'Show all')!
      .trigger('click')
    expect(hidden()).toEqual([])
  })
  it('are found by name and together by what they share, and a group is hidden as one', async () => {
    const { wrapper, hidden } = panel()
    const many = [...'abcdefgh'].map((n) => part(`claw_${n}`, { materials: [n < 'e' ? 'rust' : 'gold'] }))
    await wrapper.setProps({ parts: [...many, part('body'), part('hull', { materials: [] })] as never })
    await wrapper.get('[data-test=find-parts]').setValue('claw_*')
    await wrapper.get('[data-test=group-parts]').setValue('material')
    expect(wrapper.findAll('li').filter((l) => l.find('[data-part]').exists())).toHaveLength(8)
    await wrapper.get("[aria-label='Show all of gold']").setValue(false)
    expect(hidden()).toEqual(['claw_e', 'claw_f', 'claw_g', 'claw_h'])
    await wrapper.get("[aria-label='Show all of gold']").setValue(true)
    expect(hidden()).toEqual([])
    await wrapper.get('[data-test=find-parts]').setValue('nobody')
    expect(wrapper.text()).toContain('No part is called so')
  })
  it('tell of the chosen one', async () => {
    const { wrapper } = panel()
    const more = { vertices: 700, size: [0.5, 2.25, 0.001] }
    await wrapper.setProps({ parts: [part('body', more), part('hull')] as never, chosen: ['body'] })
    const told = words(wrapper.get("[aria-label='The chosen part']"))
    expect(told).toContain('1,200, 700')
    expect(told).toContain('50.0 cm × 2.25 m × 1.00 mm')
    await wrapper.get("[title='Show it alone (i)']").trigger('click')
    expect(wrapper.emitted('isolate')).toHaveLength(1)
  })
  it('cannot all be dropped', () => {
    const drop = panel(['body', 'hull', 'body_far'])
      .wrapper.findAll('button')
      .find((b) => b.text() === 'Drop hidden')!
    expect(drop.attributes('disabled')).toBeDefined()
  })
})

describe('findings and facts', () => {
  const finding = {
    rule: 'r',
    severity: 'problem',
    title: 'Faces point inward',
    detail: 'Seen from outside…',
    parts: ['claw'],
    evidence: [
      { label: 'triangles', value: 6000, unit: '' },
      { label: 'open', value: 97.1, unit: '%' },
    ],
    suggestion: { step: 'flip_faces', params: { parts: ['claw'] }, label: 'Flip the faces' },
  }
  it('offer the step that mends them', async () => {
    const wrapper = mount(FindingsPanel, { props: { findings: [finding] as never, loading: false, settled: [] } })
    expect(words(wrapper)).toContain('triangles 6,000 open 97.1 %')
    await wrapper.get('[data-test=apply]').trigger('click')
    expect(wrapper.emitted('apply')).toEqual([[finding]])
  })
  it('keep the keyboard among them when what is pressed goes away', async () => {
    const props = { findings: [finding] as never, loading: false, settled: [] }
    const wrapper = mount(FindingsPanel, { props, attachTo: document.body })
    const apply = wrapper.get<HTMLElement>('[data-test=apply]')
    apply.element.focus()
    await apply.trigger('click')
    await wrapper.setProps({ findings: [] })
    expect(document.activeElement).toBe(wrapper.element)
  })
  it('put aside what is meant so, and take it up again', async () => {
    const keyed = { ...finding, key: 'inward:claw' }
    const props = { findings: [keyed] as never, loading: false, settled: ['gone:x'] }
    const wrapper = mount(FindingsPanel, { props })
    await wrapper.get('[data-test=meant-so]').trigger('click')
    expect(wrapper.emitted('settle')).toEqual([[['gone:x', 'inward:claw']]])
    await wrapper.setProps({ settled: ['gone:x', 'inward:claw'] })
    expect(wrapper.find('[data-test=finding]').exists()).toBe(false)
    expect(wrapper.text()).toContain('Nothing else was found.')
    await wrapper.get('[data-test=settled] button').trigger('click')
    expect(wrapper.emitted('settle')![1]).toEqual([['gone:x']])
  })
  it('tell looking from having found nothing', async () => {
    const wrapper = mount(FindingsPanel, { props: { findings: null, loading: true, settled: [] } })
    expect(words(wrapper)).toBe('Findings Looking…')
    await wrapper.setProps({ findings: [], loading: false })
    expect(words(wrapper)).toBe('Findings Nothing wrong was found.')
  })
  it('count what is doubled instead of repeating it', () => {
    const facts = {
      triangles: 12,
      vertices: 24,
      size: [1, 0.02, 1500],
      materials: ['rust', 'rust', 'glass'],
      textures: [],
      clips: ['walk'],
      variants: [],
      joints: 3,
      parts: [],
    }
    const wrapper = mount(FactsPanel, {
      props: { content: { facts, notes: ['one thing was left out'], conventions: 'axes x y z' } as never },
    })
    expect(words(wrapper)).toContain('rust ×2, glass')
    expect(words(wrapper)).toContain('1.00 m × 20.0 mm × 1.50 km')
  })
})

describe('small looks', () => {
  const level = (points: [number, number, number][], counts: number[]) =>
    mount(LookLevel, {
      props: { level: { models: ['a/lamp.brm', 'a/post.brm'], counts, points } as NonNullable<Look['level']> },
    })
  it('of a place count everything, also what is too many to be drawn', () => {
    const wrapper = level(
      [
        [0, -3, 1],
        [1, 5, 2],
      ],
      [90_000, 4],
    )
    expect(words(wrapper)).toContain('90,004 things on 12 × 5 m')
    expect(wrapper.findAll('li').map(words)).toEqual(['lamp.brm90,000', 'post.brm4'])
    expect(wrapper.get('svg').attributes('viewBox')).toBe('-5 -1 12 5')
  })
  it('of an empty place are an empty plan', () => {
    const wrapper = level([], [0, 0])
    expect(wrapper.get('svg').attributes('viewBox')).toBe('-2 -2 4 4')
    expect(words(wrapper)).toContain('0 things on 4 × 4 m')
  })
  it('of very many placements do not fall over', () => {
    const many = Array.from({ length: 200_000 }, (_, i): [number, number, number] => [0, i % 100, i % 7])
    expect(level(many.slice(0, 2000), [200_000, 0]).findAll('circle')).toHaveLength(2000)
  })
  it('of a material lead to its textures and say which lead nowhere', async () => {
    const material = {
      values: [['metallic', '0.5']],
      slots: [
        { name: 'base', path: 'tex/a.dds' },
        { name: 'b.dds', path: null },
      ],
    }
    const wrapper = mount(LookMaterial, { props: { material: material as never } })
    expect(words(wrapper)).toMatch(/metallic ?0\.5/)
    expect(words(wrapper)).toContain('b.dds leads nowhere')
    await wrapper.get('button').trigger('click')
    expect(wrapper.emitted('go')).toEqual([['tex/a.dds']])
  })
  it.each([
    ['texture', 'k', true],
    ['texture', '', false],
    ['model', 'k', false],
  ])('of a %s with picture "%s" lies on hatching: %s', (kind, picture, hatched) => {
    const one = { id: 1, path: 'a/x.dds', alias: '', kind, picture, within: '', star: false, shadowed: [], versions: 1 }
    const wrapper = mount(EntryCard, { props: { entry: one as never, selected: false, picked: false } })
    expect(wrapper.html().includes('hatched')).toBe(hatched)
  })
})

describe('choosing what to mount', () => {
  it('goes into folders and up again, and says what stands in the way', async () => {
    const tree: Record<string, object> = {
      '': { path: null, parent: null, places: [{ name: '/games', path: '/games', folder: true, size: 0 }] },
      '/games': {
        path: '/games',
        parent: null,
        places: [
          { name: 'a.pak', path: '/games/a.pak', folder: false, size: 5 },
          { name: 'shut', path: '/games/shut', folder: true, size: 0 },
        ],
      },
    }
    serve({
      'GET /api/places': ({ query }) =>
        tree[query.get('path') ?? ''] ??
        new Refusal(404, { title: 'The folder cannot be opened', status: 404, code: 'x', detail: 'Permission denied' }),
    })
    const wrapper = mount(PlacePicker, { attachTo: document.body })
    await settled()
    const dialog = () => document.querySelector<HTMLElement>('[role=dialog]')!
    const press = async (text: string) => {
      const button = [...dialog().querySelectorAll('button')].find((b) => b.textContent!.trim() === text)
      button!.click()
      await settled()
      await flushPromises()
    }
    await press('/games/')
    expect(dialog().textContent).toContain('a.pak')
    await press('shut/')
    expect(dialog().textContent).toContain('The folder cannot be opened')
    wrapper.unmount()
  })
})
