// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Entry, Look } from '../src/api/client'
import LookBytes from '../src/features/browse/look/LookBytes.vue'
import LookTexture from '../src/features/browse/look/LookTexture.vue'
import { Refusal, serve, settled, type Asked } from './server'

vi.mock('vue-router', () => ({ useRouter: () => ({ push: vi.fn() }) }))
vi.mock('../src/viewer/stage', () => ({
  theStage: () => {
    throw new Error('no WebGL here')
  },
}))
const { default: LookModel } = await import('../src/features/browse/look/LookModel.vue')
const { default: QuickLook } = await import('../src/features/browse/QuickLook.vue')
const { default: ReferenceList } = await import('../src/features/browse/ReferenceList.vue')
const { default: VersionList } = await import('../src/features/browse/VersionList.vue')
const { default: MarkForm } = await import('../src/features/browse/MarkForm.vue')

function entry(id: number, kind = 'text', more: object = {}): Entry {
  return {
    id,
    kind,
    path: `reef/thing ${id}.bin`,
    size: 4000,
    source: 'reef',
    alias: '',
    note: '',
    star: false,
    seen: true,
    picture: null,
    versions: 1,
    shadowed: [],
    used: 0,
    variant: '',
    within: '',
    ...more,
  } as unknown as Entry
}
const NOTHING = {
  kind: 'text',
  texture: null,
  glance: null,
  material: null,
  level: null,
  table: null,
  text: null,
  sound: null,
  problem: null,
}
const TEXTURE = { width: 64, height: 32, encoding: 'BC7', mips: 3, role: 'normal map', alpha: true, channels: [] }
const SOUND = {
  seconds: 2.5,
  channels: 2,
  rate: 44100,
  format: 'WAV',
  peaks: [
    [-1, 1],
    [0, 0.5],
  ],
  whole: true,
}
const TABLE = { columns: ['code', 'name'], rows: [['7', 'lamp']], total: 1 }
const FAULT = {
  message: 'the header is cut',
  file: 'reef/thing 1.bin',
  offset: 12,
  expected: '64 bytes',
  found: '12',
  hint: 'Send it again.',
}

it('shows the picture of a model where the browser gives no WebGL, of the next one too', async () => {
  const facts = { clips: [], played_on: '', triangles: 12, parts: 1, joints: [], size: [1, 1, 1], notes: [] }
  serve({ 'GET /api/projects/*/glances/*': () => ({ scene: 's', facts, problem: null }) })
  const props = { glanceKey: 'a', project: 'p', kind: 'model', picture: 'first' }
  const wrapper = mount(LookModel, { props })
  await flushPromises()
  expect(wrapper.get('img').attributes('src')).toBe('/api/blobs/first')
  await wrapper.setProps({ glanceKey: 'b', picture: 'second' })
  await flushPromises()
  expect(wrapper.get('img').attributes('src')).toBe('/api/blobs/second')
  expect(wrapper.get('[data-test=look-problem]').text()).toContain('no WebGL; the picture stands in')
})

// Answers that wait until the test lets them go.
function gate() {
  const open = new Map<string, () => void>()
  return {
    wait: (key: string) => new Promise<void>((done) => open.set(key, done)),
    go: (key: string) => open.get(key)!(),
  }
}

let looks: Record<number, object>
let asked: Asked[]
beforeEach(() => {
  document.body.innerHTML = ''
  looks = {}
  asked = serve({
    'GET /api/entries/*/look': ({ path }) => looks[Number(path.split('/')[3])] ?? NOTHING,
    'GET /api/entries/*/bytes': () => ({ hex: '48656c6c6f00ff', size: 7 }),
    'GET /api/entries/*/versions': () => [],
    'GET /api/entries/*/references': () => ({ uses: [], used_by: [] }),
    'PUT /api/projects/*/marks': () => null,
    'POST /api/projects/*/names/hand': () => null,
  })
})
const rested = async () => {
  await new Promise((done) => setTimeout(done, 70))
  await settled()
}
async function look(one: Entry) {
  const wrapper = mount(QuickLook, { attachTo: document.body, props: { entry: one, picked: false, project: 'p' } })
  await rested()
  return wrapper
}

describe('a quick look', () => {
  it.each([
    ['texture', { ...NOTHING, texture: TEXTURE }, '[data-test=texture]', '64 × 32'],
    ['sound', { ...NOTHING, sound: SOUND }, '[data-test=wave]', '2.50 s, WAV, 2 channels, 44,100 Hz'],
    ['table', { ...NOTHING, table: TABLE }, '[data-test=table]', 'lamp'],
    ['text', { ...NOTHING, text: 'bright: yes' }, '[data-test=text]', 'bright: yes'],
    ['text', { ...NOTHING, text: '' }, '[data-test=text]', 'This file is empty.'],
    ['pack', NOTHING, '[data-test=bytes]', '48 65 6c 6c 6f 00 ff'],
    ['unknown', NOTHING, '[data-test=undescribed]', 'Nothing here describes this format yet'],
  ])('of a %s shows it', async (kind, answer, mark, words) => {
    looks[1] = answer
    const wrapper = await look(entry(1, kind))
    expect(wrapper.find(mark).exists()).toBe(true)
    expect(wrapper.text().replace(/\s+/g, ' ')).toContain(words)
    expect(wrapper.attributes('data-looked')).toBe('reef/thing 1.bin')
  })
  it('of what cannot be read says why, where, and what to do, once', async () => {
    looks[1] = { ...NOTHING, problem: FAULT }
    const words = (await look(entry(1, 'model'))).get('[data-test=look-problem]').text()
    for (const part of [
      'The header is cut',
      'reef/thing 1.bin, byte 12',
      'Expected 64 bytes, found 12',
      'Send it again.',
    ])
      expect(words.split(part)).toHaveLength(2)
  })
  it('of a sound that ends early says so', async () => {
    looks[1] = { ...NOTHING, sound: { ...SOUND, whole: false } }
    expect((await look(entry(1, 'sound'))).find('[data-test=cut]').exists()).toBe(true)
  })
  it('offers only what can be done with its kind', async () => {
    const offers = async (kind: string) =>
      (await look(entry(1, kind))).findAll('[data-test]').map((b) => b.attributes('data-test'))
    expect(await offers('model')).toEqual(expect.arrayContaining(['open-bench', 'take-all', 'carve', 'save']))
    expect(await offers('text')).not.toContain('open-bench')
    expect(await offers('pack')).toContain('look-inside')
    expect(await offers('pack')).not.toContain('carve')
  })
  it('asks only for the entry on which one rests', async () => {
    const wrapper = mount(QuickLook, { props: { entry: entry(1), picked: false, project: 'p' } })
    for (const id of [2, 3, 4]) await wrapper.setProps({ entry: entry(id) })
    await rested()
    expect(asked.map((a) => a.path).filter((p) => p.endsWith('/look'))).toEqual(['/api/entries/4/look'])
  })
  it('never shows an older answer beside a newer name', async () => {
    const { wait, go } = gate()
    serve({
      'GET /api/entries/*/look': async ({ path }) => {
        await wait(path)
        return { ...NOTHING, text: `content of ${path}` }
      },
    })
    const wrapper = await look(entry(1))
    await wrapper.setProps({ entry: entry(2) })
    await rested()
    go('/api/entries/2/look')
    await settled()
    go('/api/entries/1/look')
    await settled()
    expect(wrapper.get('[data-test=text]').text()).toBe('content of /api/entries/2/look')
  })
  it('marks as seen what was looked at for the first time, and only that', async () => {
    await look(entry(1, 'text', { seen: false }))
    await look(entry(2))
    const marks = asked.filter((a) => a.method === 'PUT').map((a) => a.body)
    expect(marks).toEqual([{ path: 'reef/thing 1.bin', folder: false, seen: true }])
  })
})

describe('bytes', () => {
  it('are shown in rows with what can be printed of them', async () => {
    const wrapper = mount(LookBytes, { props: { entry: 1 } })
    await settled()
    const cells = wrapper
      .findAll('tr')[0]!
      .findAll('th, td')
      .map((c) => c.text())
    expect(cells).toEqual(['00000000', '48 65 6c 6c 6f 00 ff', 'Hello··'])
  })
  it('are turned over page by page, and stop at the ends', async () => {
    asked = serve({ 'GET /api/entries/*/bytes': () => ({ hex: '00'.repeat(256), size: 600 }) })
    const wrapper = mount(LookBytes, { props: { entry: 1 } })
    await settled()
    const button = (words: string) => wrapper.findAll('button').find((b) => b.text() === words)!
    expect(button('Earlier').attributes('disabled')).toBeDefined()
    for (const words of ['Later', 'Later', 'Later', 'Earlier']) {
      await button(words).trigger('click')
      await settled()
    }
    expect(asked.map((a) => Number(a.query.get('offset')))).toEqual([0, 256, 512, 256])
  })
  it('of another entry never come under this one', async () => {
    const { wait, go } = gate()
    serve({
      'GET /api/entries/*/bytes': async ({ path }) => {
        await wait(path)
        return { hex: path.includes('/1/') ? '11' : '22', size: 1 }
      },
    })
    const wrapper = mount(LookBytes, { props: { entry: 1 } })
    await settled()
    await wrapper.setProps({ entry: 2 })
    await settled()
    go('/api/entries/2/bytes')
    await settled()
    go('/api/entries/1/bytes')
    await settled()
    expect(wrapper.get('td').text()).toBe('22')
  })
  it('that cannot be had say why', async () => {
    serve({
      'GET /api/entries/*/bytes': () =>
        new Refusal(404, { title: 'Gone', status: 404, code: 'x', detail: 'the file is gone' }),
    })
    const wrapper = mount(LookBytes, { props: { entry: 1 } })
    await settled()
    expect(wrapper.text()).toBe('the file is gone')
  })
})

describe('references', () => {
  const uses = (name: string) => ({ uses: [{ name, path: name, near: [] }], used_by: [] })
  it('lead to what is named, and tell what leads nowhere with what is near', async () => {
    serve({
      'GET /api/entries/*/references': () => ({
        uses: [
          { name: 'a.dds', path: 'tex/a.dds', near: [] },
          { name: 'b.dds', path: null, near: ['tex/b2.dds'] },
        ],
        used_by: ['levels/one.lvl'],
      }),
    })
    const wrapper = mount(ReferenceList, { props: { entry: 1, project: 'p' } })
    await settled()
    expect(wrapper.findAll('[data-test=uses]')[1]!.text()).toMatch(
      /b\.dds\s*leads nowhere\s*Near names:\s*tex\/b2\.dds/,
    )
    for (const button of wrapper.findAll('li button')) await button.trigger('click')
    expect(wrapper.emitted('go')).toEqual([['tex/a.dds'], ['tex/b2.dds'], ['levels/one.lvl']])
  })
  it('of another entry never come under this one, nor does its error', async () => {
    const { wait, go } = gate()
    serve({
      'GET /api/entries/*/references': async ({ path }) => {
        await wait(path)
        return path.includes('/2/')
          ? uses('two.dds')
          : new Refusal(404, { title: 'x', status: 404, code: 'x', detail: 'gone' })
      },
    })
    const wrapper = mount(ReferenceList, { props: { entry: 1, project: 'p' } })
    await settled()
    await wrapper.setProps({ entry: 2 })
    await settled()
    go('/api/entries/2/references')
    await settled()
    go('/api/entries/1/references')
    await settled()
    expect(wrapper.text()).toContain('two.dds')
    expect(wrapper.text()).not.toContain('gone')
  })
})

describe('versions', () => {
  const version = (id: number, more: object = {}) => ({
    id,
    source: `s${id}`,
    source_id: `id${id}`,
    kind: 'model',
    size: 10,
    wins: false,
    counts: true,
    differs: [],
    ...more,
  })
  it('say which one counts and in what the others differ', async () => {
    serve({
      'GET /api/entries/*/versions': () => [
        version(1, { wins: true }),
        version(2, { differs: ['2 parts more'] }),
        version(3),
        version(4, { counts: false, kind: 'text' }),
      ],
    })
    const wrapper = mount(VersionList, { props: { entry: 1 } })
    await settled()
    const lines = wrapper.findAll('[data-test=version]')
    const words = [
      'this one counts',
      'lies under it, other content',
      'lies under it, same content',
      'is switched off or in another language',
    ]
    lines.forEach((line, i) => expect(line.text()).toContain(words[i]))
    expect(lines[1]!.get('[data-test=differs]').text()).toBe('2 parts more')
    expect(lines[3]!.findAll('button').map((b) => b.text())).toEqual(['Look at this one'])
    await lines[1]!.findAll('button')[1]!.trigger('click')
    expect(wrapper.emitted('open')).toEqual([['id2']])
  })
})

describe('names and notes', () => {
  it('are kept as they are given, and a refusal is told beside them', async () => {
    const wrapper = mount(MarkForm, { props: { entry: entry(1), project: 'p' } })
    await wrapper.get('[data-test=alias]').setValue('Street lamp')
    await wrapper.get('[data-test=alias]').trigger('change')
    await settled()
    expect(asked.at(-1)!.body).toEqual({ path: 'reef/thing 1.bin', folder: false, alias: 'Street lamp' })
    expect(wrapper.emitted('marked')!.at(-1)).toEqual([{ alias: 'Street lamp' }])
    serve({
      'PUT /api/projects/*/marks': () =>
        new Refusal(422, { title: 'x', status: 422, code: 'x', detail: 'too long a name' }),
    })
    await wrapper.get('[data-test=alias]').trigger('change')
    await settled()
    expect(wrapper.get('[data-test=mark-problem]').text()).toBe('too long a name')
  })
  it('of what has none can be tried', async () => {
    const wrapper = mount(MarkForm, {
      props: { entry: entry(1, 'model', { path: '~unnamed/model/ff' }), project: 'p' },
    })
    await wrapper.get('[data-test=name-by-hand]').setValue('  props/lamp.brm ')
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(asked.at(-1)!.body).toEqual({ entry: 1, name: 'props/lamp.brm' })
  })
})

describe('a texture', () => {
  const shown = (more: object = {}) =>
    mount(LookTexture, {
      attachTo: document.body,
      props: { entry: 5, texture: { ...TEXTURE, ...more } as unknown as NonNullable<Look['texture']> },
    })
  const source = (wrapper: ReturnType<typeof shown>) =>
    new URL(wrapper.get('img').attributes('src')!, 'http://x.test').searchParams
  it('is looked at channel by channel and mip by mip', async () => {
    const wrapper = shown()
    await wrapper
      .findAll('.choice')
      .find((b) => b.text() === 'G')!
      .trigger('click')
    ;(wrapper.findAll('option')[1]!.element as HTMLOptionElement).selected = true
    await wrapper.get('select').trigger('change')
    expect(Object.fromEntries(source(wrapper))).toMatchObject({ channel: 'g', level: '1' })
    expect(wrapper.findAll('option').map((o) => o.text())).toEqual(['64 × 32', '32 × 16', '16 × 8'])
  })
  it('is enlarged, moved and shown whole again by keys', async () => {
    const wrapper = shown()
    const box = wrapper.get('[role=application]')
    const zoom = () => wrapper.get('[data-test=texture]').attributes('data-zoom')
    await box.trigger('keydown', { key: '+' })
    await box.trigger('keydown', { key: '+' })
    expect(zoom()).toBe('1.56')
    await box.trigger('keydown', { key: '-' })
    expect(zoom()).toBe('1.25')
    const before = wrapper.get('[data-test=texture]').attributes('style')
    await box.trigger('keydown', { key: 'ArrowDown' })
    expect(wrapper.get('[data-test=texture]').attributes('style')).not.toBe(before)
    await box.trigger('keydown', { key: '0' })
    expect(zoom()).toBe('1.00')
  })
  it('of another entry begins whole', async () => {
    const wrapper = shown()
    await wrapper.get('[role=application]').trigger('keydown', { key: '+' })
    await wrapper.setProps({ entry: 6 })
    await flushPromises()
    expect(wrapper.get('[data-test=texture]').attributes('data-zoom')).toBe('1.00')
  })
})
