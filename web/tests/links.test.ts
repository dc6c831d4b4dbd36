// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, expect, test, vi } from 'vitest'
import { api, type Link, type Variant } from '../src/api/client'
import LikelyList from '../src/features/bench/LikelyList.vue'
import LinksPanel from '../src/features/bench/LinksPanel.vue'
import KeepScheme from '../src/features/bench/KeepScheme.vue'
import { bound, called, lacking, packedPatterns, relinked, unsure } from '../src/model/links'

vi.mock('../src/composables/useProject', () => ({ useProject: () => ({ id: { value: 'p' } }) }))
const link = (some: Partial<Link>): Link => ({
  kind: 'material',
  name: 'wood',
  entry: 'mat/wood.bmt',
  found: 'by its path',
  material: '',
  slot: '',
  why: '',
  ...some,
})
const SKELETON = link({ kind: 'skeleton', name: 'hull', entry: 'rigs/hull.bsk' })
const WOOD = link({})
const COLOUR = link({ kind: 'texture', name: 'wood_c', entry: 'tex/wood_c.dds', material: 'wood', slot: 'base colour' })
const LOST = link({
  kind: 'texture',
  name: 'a/lost_n.dds',
  entry: '',
  found: '',
  material: 'wood',
  slot: 'normal',
  why: 'No such entry.',
})
const GONE = link({ name: 'gone.bmt', entry: '', found: '', material: 'gone', slot: 'material', why: 'None.' })
const OWN = link({
  kind: 'texture',
  name: 'inside',
  entry: 'a.glb#1',
  found: 'by its name alone',
  material: 'glass',
  slot: 'light',
})
const ALL = [SKELETON, WOOD, COLOUR, LOST, GONE, OWN]
afterEach(() => vi.restoreAllMocks())

test('maps stand below the material that wears them, also where that has no entry of its own', () => {
  const things = bound(ALL)
  expect(things.map(({ link, maps }) => [link.name, maps.map((one) => one.slot)])).toEqual([
    ['hull', []],
    ['wood', ['base colour', 'normal']],
    ['gone.bmt', []],
    ['glass', ['light']],
  ])
  expect(bound([COLOUR, WOOD])[0]!.link, 'whichever comes first').toEqual(WOOD)
  expect(ALL.map(lacking)).toEqual([false, false, false, true, true, false])
  expect(ALL.map(unsure)).toEqual([false, false, false, false, false, true])
  expect(lacking(things[3]!.link), 'it stands in the file itself').toBe(false)
})

test('each kind is put elsewhere by a step of its own', () => {
  expect([SKELETON, WOOD, LOST, GONE].map((one) => relinked(one, 'x', 'normals'))).toEqual([
    { step: 'link_skeleton', params: { entry: 'x' }, on: true },
    { step: 'link_material', params: { entry: 'x', materials: ['wood'] }, on: true },
    { step: 'link_texture', params: { entry: 'x', materials: ['wood'], slot: 'normals' }, on: true },
    { step: 'link_material', params: { entry: 'x', materials: ['gone'] }, on: true },
  ])
})

const variant = (path: string, sureness: number): Variant => ({
  path,
  sureness,
  why: 'its name is alike',
  entry: 3,
  picture: null,
})

function panel() {
  vi.spyOn(api, 'texturesLike').mockResolvedValue({
    slot: 'base colour',
    candidates: [variant('tex/wood_c.dds', 1), variant('tex/oak_c.dds', 0.7)],
  })
  vi.spyOn(api, 'entriesLike').mockResolvedValue([variant('mat/oak.bmt', 0.5)])
  return mount(LinksPanel, { props: { links: ALL } })
}

test('what it is put together from is told, doubtful things apart, and changed by one of the alternatives', async () => {
  const shown = panel()
  expect(shown.get('summary').text()).toContain('6, 3 to look at')
  expect(shown.text()).toContain('not there')
  expect(shown.text()).toContain('likely: by its name alone')
  const change = (name: string) =>
    shown.findAll('[data-test=relink]').find((one) => one.attributes('aria-label')!.endsWith(name))!
  await change('wood_c').trigger('click')
  await flushPromises()
  expect(api.texturesLike).toHaveBeenCalledWith('p', { named: 'tex/wood_c.dds', gap: 'base colour' })
  const [now, other] = shown.findAll('[data-test=candidate]')
  expect(now!.attributes('disabled')).toBeDefined()
  expect(now!.text()).toContain('what it is now')
  await other!.trigger('click')
  await change('gone.bmt').trigger('click')
  await flushPromises()
  expect(api.entriesLike).toHaveBeenCalledWith('p', { named: 'gone.bmt', kind: 'material' })
  await shown.get('[data-test=candidate]').trigger('click')
  expect(shown.emitted('link')).toEqual([
    [{ step: 'link_texture', params: { entry: 'tex/oak_c.dds', materials: ['wood'], slot: 'base colour' }, on: true }],
    [{ step: 'link_material', params: { entry: 'mat/oak.bmt', materials: ['gone'] }, on: true }],
  ])
})

test('one list at a time; a failure is told; without links there is nothing', async () => {
  const shown = panel()
  vi.spyOn(api, 'entriesLike').mockRejectedValue(new Error('the server is away'))
  const [skeleton, wood] = shown.findAll('[data-test=relink]')
  await skeleton!.trigger('click')
  await flushPromises()
  expect(shown.text()).toContain('The server is away')
  await wood!.trigger('click')
  await flushPromises()
  expect(shown.findAllComponents({ name: 'LikelyList' })).toHaveLength(1)
  await wood!.trigger('click')
  expect(shown.findAllComponents({ name: 'LikelyList' })).toHaveLength(0)
  await shown.setProps({ links: [] })
  expect(shown.text()).toBe('')
})

test('what may be meant takes the keyboard from the button that asked, and from nobody else', async () => {
  const likely = { slot: 'base_color', candidates: [{ path: 'a/old_c.dds', why: 'its name', sure: 0.8, picture: '' }] }
  vi.spyOn(api, 'texturesLike').mockResolvedValue(likely as never)
  const props = { link: link({ kind: 'texture', name: 'new_c', slot: 'base color' }) }
  const field = document.body.appendChild(document.createElement('input'))
  field.focus()
  const beside = mount(LikelyList, { props, attachTo: document.body })
  await flushPromises()
  expect(document.activeElement).toBe(field)
  beside.unmount()
  field.blur()
  field.remove()
  const shown = mount(LikelyList, { props, attachTo: document.body })
  await flushPromises()
  expect(document.activeElement).toBe(shown.get('[data-test=candidate]').element)
  shown.unmount()
})

test('patterns mean the packed maps that a form is about, by what they end in', () => {
  const packed = (entry: string, material: string, slot: string) =>
    link({ kind: 'texture', name: entry.replace(/^.*\/|\.\w+$/g, ''), entry, material, slot })
  const links = [
    packed('tex/a/coat_q.dds', 'coat', 'occlusion'),
    packed('tex/b/hat_q.dds', 'hat', 'occlusion'),
    packed('tex/b/hat_n.dds', 'hat', 'normals'),
    packed('tex/whole.tga', 'boots', 'occlusion'),
    { ...packed('', 'lost', 'occlusion'), entry: '' },
  ]
  const form = { materials: [] as string[], map: 'occlusion', texture: '' }
  expect(packedPatterns(links, form)).toEqual(['**/*_q.dds', 'tex/whole.tga'])
  expect(packedPatterns(links, { ...form, materials: ['hat'] })).toEqual(['**/*_q.dds'])
  expect(packedPatterns(links, { ...form, texture: 'hat_n' })).toEqual(['**/*_n.dds'])
  expect(packedPatterns(links, { ...form, map: 'light' })).toEqual([])
})

test('what channels mean is kept for the game; a refusal says why and leaves what was typed', async () => {
  const keep = vi.spyOn(api, 'keepScheme').mockRejectedValueOnce(new Error('there is one of that name'))
  const form = {
    materials: [],
    map: 'occlusion',
    texture: '',
    red: 'occlusion',
    green: 'gloss',
    blue: 'metal',
    alpha: 'nothing',
  }
  const sheet = mount(KeepScheme, {
    props: { project: 'p', form, links: [link({ kind: 'texture', entry: 'tex/coat_q.dds', slot: 'occlusion' })] },
    global: { stubs: { Sheet: { template: '<div><slot /></div>' } } },
  })
  const yes = sheet.find<HTMLButtonElement>('[data-test=scheme-keep]')
  expect(yes.element.disabled, 'it has no name yet').toBe(true)
  await sheet.find('[data-test=scheme-name]').setValue(' later ')
  await sheet.find('[data-test=scheme-match]').setValue('**/*_q.dds, , tex/odd.tga')
  await sheet.find('form').trigger('submit')
  await flushPromises()
  expect(sheet.text()).toContain('There is one of that name')
  expect(sheet.emitted('kept')).toBeUndefined()
  keep.mockResolvedValue(null as never)
  await sheet.find('form').trigger('submit')
  await flushPromises()
  expect(sheet.emitted('kept')).toEqual([['later']])
  expect(keep).toHaveBeenLastCalledWith('p', {
    name: 'later', match: ['**/*_q.dds', 'tex/odd.tga'],
    red: 'occlusion', green: 'gloss', blue: 'metal', alpha: 'nothing',
  }) // prettier-ignore
})

test('a material of a file that holds several says which one it is', () => {
  expect(called(WOOD)).toBe('wood.bmt')
  expect(called(link({ name: 'clay', entry: 'props/pot.mtl' }))).toBe('clay in pot.mtl')
  expect(called(COLOUR)).toBe('wood_c.dds')
  expect(called(link({ kind: 'texture', name: '', entry: '' }))).toBe('none')
})
