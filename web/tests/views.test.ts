// @vitest-environment happy-dom
import { DOMWrapper, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import { Events, Refusal, serve, settled, type Asked } from './server'

vi.mock('../src/viewer/stage', () => ({
  theStage: () => {
    throw new Error('no WebGL here')
  },
}))
const { default: App } = await import('../src/app/App.vue')
const { router: real } = await import('../src/app/router')
const { default: BenchView } = await import('../src/features/bench/BenchView.vue')
const { default: DeliverView } = await import('../src/features/deliver/DeliverView.vue')
const { default: SourcesView } = await import('../src/features/sources/SourcesView.vue')
const { default: ExtractSheet } = await import('../src/features/browse/ExtractSheet.vue')
const { default: CarveSheet } = await import('../src/features/browse/CarveSheet.vue')
const { default: NamingSheet } = await import('../src/features/browse/NamingSheet.vue')

const refused = (detail: string) => new Refusal(409, { title: 'Not now', status: 409, code: 'conflict', detail })
const piece = (id: string, more: object = {}) => ({
  id,
  name: `piece ${id}`,
  entries: [`a/${id}.brm`],
  steps: [],
  can_undo: false,
  can_redo: false,
  project_id: 'p',
  ...more,
})
const facts = (triangles: number, parts: string[]) => ({
  triangles,
  vertices: 3 * triangles,
  size: [1, 2, 3],
  materials: ['rust'],
  textures: [],
  clips: [],
  variants: [],
  joints: 0,
  parts: parts.map((name) => ({ name, triangles: 5, materials: [], role: 'visual', detail: 0 })),
})
const view = (id: string, more: object = {}) => ({
  key: `key ${id}`,
  job: null,
  content: {
    scene: `scene ${id}`,
    facts: facts(id === 'a' ? 111 : 222, [`part ${id}`, 'wheel']),
    notes: [],
    steps: [],
    findings: [],
    pictures: ['p0'],
    conventions: '',
    losses: {},
    ...more,
  },
})
const job = (id: string, more: object = {}) => ({
  id,
  project_id: 'p',
  kind: 'view',
  title: 'Open',
  status: 'running',
  fraction: 0,
  message: '',
  away: false,
  created: '2026-11-27T10:00:00Z',
  ended: null,
  fault: null,
  payload: {},
  ...more,
})

// Answers that wait until the test lets them go, by path.
const held = new Map<string, () => void>()
const wait = (path: string) => new Promise<void>((done) => held.set(path, done))

type Routes = Parameters<typeof serve>[0]
const PLAIN = { files: 'one', names: '{name}', only_clips: [], largest_side: null }
const COMMON: Routes = {
  'GET /api/projects': () => [{ id: 'p', name: 'Reef', language: null, languages: [] }],
  'GET /api/steps': () => [],
  'GET /api/rules': () => [],
  'GET /api/formats': () => [
    { name: 'glb', title: 'glTF binary', carries: ['skins', 'clips', 'tree'], options: {} },
    {
      name: 'obj',
      title: 'OBJ',
      carries: [],
      options: {
        properties: {
          up: { title: 'Axis up', description: 'Which one', enum: ['y', 'z'], default: 'y' },
          pack: { title: 'Pack', description: 'Smaller', type: 'boolean', default: true },
        },
      },
    },
  ],
  'POST /api/plans/names': ({ body }) => {
    const { plan, piece } = body as { plan: { names?: string }; piece: string }
    return plan.names?.includes('{') === false ? refused('no pattern') : { example: `called ${piece}` }
  },
  'GET /api/purposes': () => ({
    plan: {
      properties: {
        files: { title: 'Files', description: 'Which', enum: ['one', 'per part'], default: 'one' },
        names: { title: 'Names', description: 'How', type: 'string', default: '{name}' },
        only_clips: { title: 'Only these', type: 'array', items: { type: 'string', refers_to: 'clip' }, default: [] },
        largest_side: { title: 'Largest', anyOf: [{ type: 'integer', minimum: 1 }, { type: 'null' }], default: null },
      },
    },
    ours: [
      { name: 'edit', title: 'Edit further', about: 'All of it', formats: ['glb', 'obj'], options: {}, plan: PLAIN },
      {
        name: 'print',
        title: 'Print',
        about: 'As it stands',
        formats: ['obj'],
        options: { obj: { up: 'z' } },
        plan: { ...PLAIN, files: 'per part' },
      },
    ],
    kept: [{ name: 'my-own', title: 'Mine', about: '', formats: ['obj'], options: {}, plan: PLAIN }],
  }),
  'GET /api/projects/*/workpieces': () => [piece('a'), piece('b')],
  'GET /api/projects/*/deliveries': () => [],
  'GET /api/projects/*/jobs': () => [],
  'GET /api/workpieces/*': ({ path }) => piece(path.split('/')[3]!),
  'GET /api/workpieces/*/view': ({ path }) => view(path.split('/')[3]!),
}

let shown: VueWrapper | undefined
let asked: Asked[]
afterEach(() => {
  shown?.unmount()
  shown = undefined
  document.body.innerHTML = ''
  sessionStorage.clear()
  held.clear()
})

async function at(
  component: object,
  path: string,
  routes: Routes = {},
): Promise<{ wrapper: VueWrapper; router: Router }> {
  asked = serve({ ...COMMON, ...routes })
  const router = createRouter({
    history: createMemoryHistory(),
    routes: real.options.routes.map((r) => ({ ...r, component })) as never,
  })
  await router.push(path)
  const wrapper = mount({ template: '<RouterView />' }, { attachTo: document.body, global: { plugins: [router] } })
  shown = wrapper
  await settled()
  return { wrapper, router }
}
const DELIVERED = { id: 'd', name: 'a', also: [], formats: ['glb'], created: '', job: null }
const named = () => asked.filter((a) => a.path === '/api/plans/names').map((a) => a.body as Record<string, unknown>)
const sent = () =>
  asked.filter((a) => a.method !== 'GET' && a.path !== '/api/plans/names').map((a) => [`${a.method} ${a.path}`, a.body])
const button = (wrapper: VueWrapper, words: string) => wrapper.findAll('button').find((b) => b.text() === words)!
const words = (wrapper: VueWrapper) => wrapper.text().replace(/\s+/g, ' ')

describe('the Bench', () => {
  it('shows what came out of the workpiece', async () => {
    const { wrapper } = await at(BenchView, '/p/bench/a')
    expect(wrapper.get('h1').text()).toBe('piece a')
    expect(wrapper.get('[data-test=triangles]').text()).toBe('111')
    expect(words(wrapper)).toContain('Nothing wrong was found.')
  })
  it('never shows one workpiece under the name of another', async () => {
    const { wrapper, router } = await at(BenchView, '/p/bench/a', {
      'GET /api/workpieces/*': async ({ path }) => (await wait(path), piece(path.split('/')[3]!)),
      'GET /api/workpieces/*/view': async ({ path }) => (await wait(path), view(path.split('/')[3]!)),
    })
    await router.push('/p/bench/b')
    await settled()
    for (const path of ['/api/workpieces/b', '/api/workpieces/b/view', '/api/workpieces/a', '/api/workpieces/a/view']) {
      held.get(path)!()
      await settled()
    }
    expect(wrapper.get('h1').text()).toBe('piece b')
    expect(wrapper.get('[data-test=triangles]').text()).toBe('222')
  })
  it('says what is under way until something can be shown, and shows it as soon as it is there', async () => {
    let ready = false
    const { wrapper } = await at(BenchView, '/p/bench/a', {
      'GET /api/workpieces/*/view': () => (ready ? view('a') : { key: 'key a', job: 'j', content: null }),
      'GET /api/jobs/*': () => job('j', { message: 'reading a.brm' }),
    })
    expect(wrapper.get('[role=status]').text()).toContain('Opening')
    expect(wrapper.find('[data-test=triangles]').exists()).toBe(false)
    expect(wrapper.get('[data-test=go-deliver]').attributes('disabled')).toBeDefined()
    ready = true
    Events.say({ view: 'key a' })
    await settled()
    expect(wrapper.get('[data-test=triangles]').text()).toBe('111')
    expect(wrapper.find('[role=status]').exists()).toBe(false)
  })
  it('ends an opening that failed with its reason and what to do next', async () => {
    const fault = { message: 'the table is cut', file: 'a.brm', offset: 64 }
    const { wrapper } = await at(BenchView, '/p/bench/a', {
      'GET /api/workpieces/*/view': () => ({ key: 'key a', job: 'lost', content: null }),
      'GET /api/jobs/*': () => job('lost', { status: 'failed', fault }),
      'POST /api/jobs/*/again': () => ({}),
    })
    const box = wrapper.get('[data-test=opening-failed]')
    expect(box.text()).toContain('The table is cut')
    expect(words(wrapper)).not.toContain('Nothing wrong was found')
    expect(words(wrapper)).not.toContain('Looking…')
    expect(wrapper.get('[data-test=go-deliver]').attributes('disabled')).toBeDefined()
    await box.get('[data-test=open-again]').trigger('click')
    await settled()
    expect(sent()).toEqual([['POST /api/jobs/lost/again', '']])
  })
  it('keeps hidden parts through a reload, for each workpiece its own', async () => {
    const first = await at(BenchView, '/p/bench/a')
    await first.wrapper.get("[data-part='wheel']").setValue(false)
    first.wrapper.unmount()
    const again = await at(BenchView, '/p/bench/a')
    expect(again.wrapper.get<HTMLInputElement>("[data-part='wheel']").element.checked).toBe(false)
    await again.router.push('/p/bench/b')
    await settled()
    expect(again.wrapper.get<HTMLInputElement>("[data-part='wheel']").element.checked).toBe(true)
  })
  it('is left for its list when its workpiece goes, and by nobody who went elsewhere meanwhile', async () => {
    for (const goesOn of [false, true]) {
      const { wrapper, router } = await at(BenchView, '/p/bench/a', {
        'DELETE /api/workpieces/*': async ({ path }) => (await wait(path), null),
      })
      await wrapper.get('[data-test=more]').trigger('click')
      await settled()
      await wrapper.get('[data-test=remove]').trigger('click')
      await settled()
      await new DOMWrapper(document.body).get('[data-test=yes]').trigger('click')
      await settled()
      if (goesOn) await router.push('/p/deliver/a')
      held.get('/api/workpieces/a')!()
      await settled()
      expect(router.currentRoute.value.path).toBe(goesOn ? '/p/deliver/a' : '/p/bench')
      wrapper.unmount()
    }
  })
  it('turns hidden parts into a step that drops them', async () => {
    const { wrapper } = await at(BenchView, '/p/bench/a', {
      'PUT /api/workpieces/*/steps': ({ body }) => piece('a', body as object),
    })
    await wrapper.get("[data-part='wheel']").setValue(false)
    await button(wrapper, 'Drop hidden').trigger('click')
    await settled()
    const step = { step: 'show_parts', params: { parts: ['wheel'], action: 'drop' }, on: true, because: '' }
    expect(sent()).toEqual([['PUT /api/workpieces/a/steps', { steps: [step] }]])
  })
  it('is undone and done again by keys, where there is something to undo', async () => {
    const { wrapper } = await at(BenchView, '/p/bench/a', {
      'GET /api/workpieces/*': () => piece('a', { can_undo: true, can_redo: true }),
      'POST /api/workpieces/*/*': () => piece('a', { can_undo: false, can_redo: false }),
    })
    const press = async (key: string, more: object) => {
      window.dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey: true, bubbles: true, ...more }))
      await settled()
    }
    await press('z', {})
    await press('z', {})
    await press('Z', { shiftKey: true })
    expect(sent().map(([what]) => what)).toEqual(['POST /api/workpieces/a/undo'])
    expect(wrapper.get('[data-test=undo]').attributes('disabled')).toBeDefined()
  })
  it('removes a workpiece after a question', async () => {
    const { wrapper, router } = await at(BenchView, '/p/bench/a', { 'DELETE /api/workpieces/*': () => null })
    await wrapper.get('[data-test=more]').trigger('click')
    await settled()
    await wrapper.get('[data-test=remove]').trigger('click')
    await settled()
    expect(sent()).toEqual([])
    document.querySelector<HTMLElement>('[data-test=yes]')!.click()
    await settled()
    expect(sent()).toEqual([['DELETE /api/workpieces/a', '']])
    expect(router.currentRoute.value.fullPath).toBe('/p/bench')
  })
})

describe('delivering', () => {
  it('writes the workpiece under its name in the formats that are chosen', async () => {
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'POST /api/workpieces/*/deliveries': () => ({
        id: 'd',
        also: [],
        name: 'piece a',
        formats: ['glb', 'obj'],
        created: '2026-11-27T10:00:00Z',
        archive_size: null,
        folder: '',
        job: null,
        report: null,
      }),
    })
    expect(wrapper.get<HTMLInputElement>('#name').element.value).toBe('piece a')
    await wrapper.get('[data-test=format-obj]').setValue(true)
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(sent()).toEqual([
      [
        'POST /api/workpieces/a/deliveries',
        { also: [], name: 'piece a', formats: ['glb', 'obj'], options: {}, plan: {}, below: '' },
      ],
    ])
    expect(JSON.parse(sessionStorage.getItem('pruxel.wanted')!)).toMatchObject({ formats: ['glb', 'obj'] })
  })
  it('sends what was chosen for a format, tells it when folded, and what the format leaves out', async () => {
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'GET /api/workpieces/*/view': ({ path }) => {
        const found = view(path.split('/')[3]!)
        return { ...found, content: { ...found.content, losses: { obj: ['skeletons', 'clips'] } } }
      },
      'POST /api/workpieces/*/deliveries': () => ({
        id: 'd',
        also: [],
        name: 'a',
        formats: ['obj'],
        created: '',
        job: null,
      }),
    })
    expect(wrapper.find('[data-test=loses-obj]').exists()).toBe(false)
    await wrapper.get('[data-test=format-glb]').setValue(false)
    await wrapper.get('[data-test=format-obj]').setValue(true)
    expect(wrapper.get('[data-test=loses-obj]').text()).toBe('Leaves out skeletons; clips.')
    await wrapper.get('[data-test=options-obj]').trigger('click')
    await wrapper.get('#o-obj-up').setValue('z')
    await wrapper.get('#o-obj-pack').setValue(false)
    await wrapper.get('#o-obj-pack').setValue(true)
    await wrapper.get('[data-test=options-obj]').trigger('click')
    expect(wrapper.get('[data-test=options-obj]').text()).toContain('axis up z')
    await wrapper.get('form').trigger('submit')
    await settled()
    const body = { also: [], name: 'piece a', formats: ['obj'], options: { obj: { up: 'z' } }, plan: {}, below: '' }
    expect(sent()).toEqual([['POST /api/workpieces/a/deliveries', body]])
  })
  it('starts from a purpose, tells when it is left, and keeps what was made of it', async () => {
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'POST /api/workpieces/*/deliveries': () => ({
        id: 'd',
        also: [],
        name: 'a',
        formats: ['obj'],
        created: '',
        job: null,
      }),
      'PUT /api/purposes/*': () => ({}),
      'DELETE /api/purposes/*': () => null,
    })
    const pressed = () => wrapper.findAll('[data-test^=purpose-][aria-pressed=true]').map((b) => b.text())
    const about = () => wrapper.get('[data-test=purpose-about]').text()
    expect(pressed()).toEqual([])
    await wrapper.get('[data-test=purpose-print]').trigger('click')
    expect([pressed(), about()]).toEqual([['Print'], 'As it stands'])
    expect(wrapper.get('[data-test=plan]').text()).toContain('files per part')
    await wrapper.get('form').trigger('submit')
    await settled()
    const printed = { formats: ['obj'], options: { obj: { up: 'z' } }, plan: { files: 'per part' } }
    expect(sent()).toEqual([
      ['POST /api/workpieces/a/deliveries', { also: [], name: 'piece a', ...printed, below: '' }],
    ])
    await wrapper.get('[data-test=format-glb]').setValue(true)
    expect(pressed()).toEqual([])
    expect(about()).toContain('Keep it under a name')
    await wrapper.get('[data-test=keep-purpose]').trigger('click')
    await settled()
    const box = document.querySelector<HTMLInputElement>('[data-test=new-name]')!
    box.value = 'For the Shop!'
    box.dispatchEvent(new Event('input'))
    await settled()
    document.querySelector<HTMLButtonElement>('[data-test=name-done]')!.click()
    await settled()
    expect(sent().at(-1)).toEqual([
      'PUT /api/purposes/my-for-the-shop',
      { name: 'my-for-the-shop', title: 'For the Shop!', about: '', ...printed, formats: ['obj', 'glb'] },
    ])
    await wrapper.get('[data-test=purpose-my-own]').trigger('click')
    await wrapper.get('[data-test=forget-purpose]').trigger('click')
    await settled()
    expect(sent().at(-1)![0]).toBe('DELETE /api/purposes/my-own')
  })
  it('shows how files will be called, and says only what differs', async () => {
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'POST /api/workpieces/*/deliveries': () => DELIVERED,
    })
    await wrapper.get('[data-test=plan]').trigger('click')
    await wrapper.get('#plan-names').setValue('nothing')
    await settled()
    expect(wrapper.get('[data-test=example]').text()).toContain('no pattern')
    await wrapper.get('#plan-names').setValue('{name} {clip}/{number}')
    await settled()
    expect(wrapper.get('[data-test=example]').text()).toBe('called part a')
    expect(named().at(-1)).toEqual({
      plan: { names: '{name} {clip}/{number}' },
      name: 'piece a',
      piece: 'part a',
      clip: 'clip',
    })
    await wrapper.get('#plan-files').setValue('per part')
    await wrapper.get('#plan-files').setValue('one')
    await wrapper.get('#below').setValue('props')
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(sent()[0]![1]).toMatchObject({ plan: { names: '{name} {clip}/{number}' }, below: 'props' })
    expect((sent()[0]![1] as { plan: object }).plan).not.toHaveProperty('files')
  })
  it('asks where one of the same name is there, and offers to write it again with changes', async () => {
    const before = {
      id: 'old',
      name: 'piece a',
      formats: ['obj'],
      options: { obj: { up: 'z' } },
      plan: { files: 'per part' },
      below: '',
      workpiece_id: 'a',
      also: [],
      created: '2026-11-27T10:00:00Z',
      archive_size: 5,
      size: 12,
      folder: '/o',
      job: null,
      report: null,
    }
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'GET /api/projects/*/deliveries': () => [before],
      'POST /api/workpieces/*/deliveries': () => ({ ...before, id: 'new' }),
      'DELETE /api/deliveries/*': () => null,
      'DELETE /api/deliveries/*/files': () => ({ ...before, size: 0 }),
    })
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(sent()).toEqual([])
    document.querySelector<HTMLButtonElement>('[data-test=in-place]')!.click()
    await settled()
    expect(sent().map(([what]) => what)).toEqual(['POST /api/workpieces/a/deliveries', 'DELETE /api/deliveries/old'])
    await wrapper.get('[data-test=more]').trigger('click')
    await settled()
    await wrapper.get('[data-test=again]').trigger('click')
    await settled()
    expect(wrapper.get<HTMLInputElement>('[data-test=format-obj]').element.checked).toBe(true)
    expect(wrapper.get('[data-test=plan]').text()).toContain('files per part')
    await wrapper.get('[data-test=free-all]').trigger('click')
    await settled()
    document.querySelector<HTMLButtonElement>('[data-test=yes]')!.click()
    await settled()
    expect(sent().at(-1)![0]).toMatch(/^DELETE .api.deliveries.\w+.files$/)
  })
  it('takes several workpieces into one delivery, and tells of all what a format leaves out', async () => {
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'GET /api/workpieces/*/view': ({ path }) => {
        const found = view(path.split('/')[3]!)
        return { ...found, content: { ...found.content, losses: { glb: [`what ${path.split('/')[3]} has alone`] } } }
      },
      'POST /api/workpieces/*/deliveries': () => ({
        id: 'd',
        name: 'a',
        also: [{ id: 'b', name: 'piece b' }],
        formats: ['glb'],
        created: '',
        job: null,
      }),
    })
    expect(words(wrapper)).not.toContain('what b has alone')
    await wrapper.get('#beside').setValue('b')
    await settled()
    expect(words(wrapper)).toContain('what a has alone')
    expect(words(wrapper)).toContain('what b has alone')
    expect(words(wrapper)).toContain('333 triangles')
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(sent()[0]![1]).toMatchObject({ also: ['b'], plan: {} })
    expect(wrapper.get('[data-test=delivery]').text()).toContain('with piece b')
    await wrapper.get('[data-test=also] button').trigger('click')
    await settled()
    expect(words(wrapper)).not.toContain('what b has alone')
  })
  it('shows a view that was still in the making once there is more of it', async () => {
    let ready = false
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'GET /api/workpieces/*/view': ({ path }) => {
        const found = view(path.split('/')[3]!)
        return { ...found, key: 'k', content: ready ? found.content : null }
      },
    })
    expect(words(wrapper)).not.toContain('111 triangles')
    ready = true
    Events.say({ view: 'other', project_id: 'p' })
    await settled()
    expect(words(wrapper)).not.toContain('111 triangles')
    Events.say({ view: 'k', project_id: 'p' })
    await settled()
    expect(words(wrapper)).toContain('111 triangles')
  })
  it('leaves out what is hidden on the Bench, unless it is told not to', async () => {
    sessionStorage.setItem('pruxel.hidden.a', JSON.stringify(['shell', 'gone']))
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'GET /api/workpieces/*/view': ({ path }) => {
        const found = view(path.split('/')[3]!)
        const facts = { ...found.content.facts, parts: [{ name: 'shell' }, { name: 'body' }] }
        return { ...found, content: { ...found.content, facts } }
      },
      'POST /api/workpieces/*/deliveries': () => DELIVERED,
    })
    expect(words(wrapper)).toContain('Leave out the part hidden on the Bench')
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(sent()[0]![1]).toMatchObject({ plan: { left_out: ['shell'] } })
    await wrapper.get('[data-test=without-hidden]').setValue(false)
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(sent().at(-1)![1]).toMatchObject({ plan: {} })
    expect((sent().at(-1)![1] as { plan: object }).plan).not.toHaveProperty('left_out')
    sessionStorage.removeItem('pruxel.hidden.a')
  })
  it('is not offered without a name, a format or a workpiece', async () => {
    const { wrapper, router } = await at(DeliverView, '/p/deliver/a')
    const off = () => wrapper.get('[data-test=deliver]').attributes('disabled') !== undefined
    expect(off()).toBe(false)
    await wrapper.get('#name').setValue('  ')
    expect(off()).toBe(true)
    await wrapper.get('#name').setValue('crab')
    await wrapper.get('[data-test=format-glb]').setValue(false)
    expect(off()).toBe(true)
    await wrapper.get('[data-test=format-glb]').setValue(true)
    await router.push('/p/deliver')
    await settled()
    expect(off()).toBe(true)
    expect(words(wrapper)).toContain('Choose a workpiece at the left')
  })
  it('never shows the numbers of another workpiece', async () => {
    const { wrapper, router } = await at(DeliverView, '/p/deliver/a', {
      'GET /api/workpieces/*/view': async ({ path }) => (await wait(path), view(path.split('/')[3]!)),
    })
    await router.push('/p/deliver/b')
    await settled()
    held.get('/api/workpieces/b/view')!()
    await settled()
    held.get('/api/workpieces/a/view')!()
    await settled()
    expect(words(wrapper)).toContain('222 triangles')
  })
  it('tells a refusal beside the form, and leaves what was typed', async () => {
    const { wrapper } = await at(DeliverView, '/p/deliver/a', {
      'POST /api/workpieces/*/deliveries': () => refused('the name leads out of the folder'),
    })
    await wrapper.get('#name').setValue('../x')
    await wrapper.get('form').trigger('submit')
    await settled()
    expect(wrapper.get('[role=alert]').text()).toContain('the name leads out of the folder')
    expect(wrapper.get<HTMLInputElement>('#name').element.value).toBe('../x')
  })
})

const source = (id: string) => ({
  id,
  label: id,
  mount: '/g',
  kind: 'folder',
  layer: '',
  language: null,
  on: true,
  counts: true,
  state: 'ready',
  entries: 3,
  size: 10,
  problems: [],
  hashed: 0,
  named: 0,
  any_version: false,
})
const SOURCES: Routes = {
  'GET /api/projects/*/sources': () => [source('one'), source('two')],
  'GET /api/projects/*/problems': () => [],
  'GET /api/projects/*/profile': () => ({
    text: 'profile: 1',
    name: 'Reef',
    version: '',
    problem: null,
    layouts: [],
    layers: [],
    keys: [],
    tables: [],
    variants: [],
  }),
  'POST /api/projects/*/profile/check': ({ body }) => ({
    text: '',
    name: 'Reef',
    version: '',
    layouts: [],
    layers: [],
    keys: [],
    tables: [],
    variants: [],
    problem: (body as { text: string }).text.includes('wrong') ? 'line 2: no such word' : null,
  }),
}

describe('Sources', () => {
  it('count what counts', async () => {
    const { wrapper } = await at(SourcesView, '/p/sources', SOURCES)
    expect(words(wrapper)).toContain('2 of 2 sources count, 6 entries, 20 B')
  })
  it('mount what is typed, and keep it where it is refused', async () => {
    const { wrapper } = await at(SourcesView, '/p/sources', {
      ...SOURCES,
      'POST /api/projects/*/sources': ({ body }) =>
        (body as { path: string }).path === '/no' ? refused('there is no such folder') : {},
    })
    const box = wrapper.get<HTMLInputElement>('[data-test=mount-path]')
    await box.setValue('/no')
    await wrapper.get('[data-test=mount]').trigger('click')
    await box.element.form?.dispatchEvent(new Event('submit', { cancelable: true }))
    await settled()
    expect(wrapper.get('[role=alert]').text()).toContain('there is no such folder')
    expect(box.element.value).toBe('/no')
    await box.setValue('  /games/reef ')
    box.element.form?.dispatchEvent(new Event('submit', { cancelable: true }))
    await settled()
    expect(sent()).toContainEqual(['POST /api/projects/p/sources', { path: '/games/reef', force: false }])
    expect(box.element.value).toBe('')
  })
  it('put the old order back when the new one is refused', async () => {
    const { wrapper } = await at(SourcesView, '/p/sources', {
      ...SOURCES,
      'PUT /api/projects/*/sources/order': () => refused('the stack has changed'),
    })
    await wrapper.findAll('[data-handle]')[0]!.trigger('keydown', { key: 'ArrowDown', altKey: true })
    await settled()
    expect(wrapper.findAll('[data-test=source]').map((s) => s.attributes('data-id'))).toEqual(['one', 'two'])
    expect(wrapper.get('[role=alert]').text()).toContain('the stack has changed')
  })
  it('hold the tab in the address', async () => {
    const { wrapper, router } = await at(SourcesView, '/p/sources?tab=problems', SOURCES)
    expect(wrapper.get('[data-test=tab-problems]').attributes('aria-selected')).toBe('true')
    await wrapper.get('[data-test=tab-stack]').trigger('click')
    await settled()
    expect(router.currentRoute.value.fullPath).toBe('/p/sources')
  })
  it('ask before a changed profile is left, and let it be kept only while it is sound', async () => {
    const { wrapper, router } = await at(SourcesView, '/p/sources?tab=profile', SOURCES)
    const text = wrapper.get('[data-test=profile-text]')
    const save = () => wrapper.get('[data-test=save-profile]').attributes('disabled') !== undefined
    expect(save()).toBe(true)
    await text.setValue('profile: 1\nwrong')
    await new Promise((done) => setTimeout(done, 300))
    await settled()
    expect(wrapper.get('[data-test=profile-problem]').text()).toBe('line 2: no such word')
    expect(save()).toBe(true)
    void router.push('/p/browse')
    await settled()
    expect(router.currentRoute.value.name).toBe('sources')
    expect(document.querySelector('[role=dialog]')!.textContent).toContain('not kept yet')
    document.querySelector<HTMLElement>('[role=dialog] [data-test=yes]')!.click()
    await settled()
    expect(router.currentRoute.value.name).toBe('browse')
  })
})

describe('extracting', () => {
  const measured = (files: number, more: object = {}) => ({
    files,
    size: 10 * files,
    free: 1e9,
    several: 0,
    same_name: 0,
    ...more,
  })
  const sheet = (paths: string[], routes: Routes, wish: object = {}) => {
    asked = serve({ 'POST /api/projects/*/extracts': () => ({}), ...routes })
    shown = mount(ExtractSheet, {
      attachTo: document.body,
      props: { project: 'p', paths, wish: { search: 'crab', ...wish } },
    })
    return settled()
  }
  const within = (selector: string) => document.querySelector<HTMLElement>(`[role=dialog] ${selector}`)!
  const pick = async (selector: string) => {
    const box = within(selector) as HTMLInputElement
    box.checked = true
    box.dispatchEvent(new Event('change'))
    await settled()
  }
  it('takes the tray where something is on it, else what is found', async () => {
    await sheet(['a/x.brm'], { 'POST /api/projects/*/selection': () => measured(1) })
    expect(asked[0]!.body).toEqual({ paths: ['a/x.brm'] })
    await sheet([], { 'POST /api/projects/*/selection': () => measured(2) })
    expect(asked[0]!.body).toEqual({ query: { search: 'crab' } })
  })
  it('never says the measure of another choice', async () => {
    await sheet(['a/x.brm'], {
      'POST /api/projects/*/selection': async ({ body }) => {
        const which = 'paths' in (body as object) ? 'tray' : 'found'
        await wait(which)
        return measured(which === 'tray' ? 1 : 777)
      },
    })
    await pick('input[value=found]')
    held.get('found')!()
    await settled()
    held.get('tray')!()
    await settled()
    expect(within('[data-test=measured]').textContent!.replace(/\s+/g, ' ')).toContain('777 files')
  })
  it('asks about paths that several sources hold, and sends what is chosen', async () => {
    const holders = [
      { source_id: 's1', source: 'patch', size: 5 },
      { source_id: 's2', source: 'base', size: 4 },
    ]
    await sheet(['a/x.brm'], {
      'POST /api/projects/*/selection': () => measured(1, { several: 1 }),
      'POST /api/projects/*/collisions': () => [{ path: 'a/x.brm', holders }],
    })
    await pick('[data-test=ask-each]')
    const choice = within('[data-test=collisions] select') as HTMLSelectElement
    choice.value = 's2'
    choice.dispatchEvent(new Event('change'))
    within('form').dispatchEvent(new Event('submit', { cancelable: true }))
    await settled()
    expect(sent().at(-1)).toEqual([
      'POST /api/projects/p/extracts',
      {
        paths: ['a/x.brm'],
        name: 'files',
        shape: 'keep',
        prefix: '',
        versions: 'winning',
        choices: { 'a/x.brm': 's2' },
        png: false,
      },
    ])
  })
  it('is not offered where there is nothing', async () => {
    await sheet([], { 'POST /api/projects/*/selection': () => measured(0) })
    expect(within('[data-test=start-extract]').hasAttribute('disabled')).toBe(true)
  })
})

describe('searching inside', () => {
  const hit = (offset: number) => ({ format: 'PNG', ending: 'png', kind: 'texture', offset, size: 9, picture: null })
  it('makes entries of the finds that are chosen', async () => {
    asked = serve({
      'POST /api/entries/*/carve': () => job('j', { kind: 'carve' }),
      'GET /api/jobs/*': () => job('j', { kind: 'carve', status: 'done' }),
      'GET /api/jobs/*/results': () => ({ hits: [hit(0), hit(100), hit(200)], won: [] }),
      'POST /api/entries/*/finds': () => 'finds of dump.bin',
    })
    shown = mount(CarveSheet, { attachTo: document.body, props: { entry: { id: 4 } as never, title: 'dump.bin' } })
    await settled()
    const boxes = [...document.querySelectorAll<HTMLInputElement>('[data-test=hit] input')]
    expect(boxes).toHaveLength(3)
    boxes[1]!.dispatchEvent(new Event('change'))
    await settled()
    document.querySelector<HTMLElement>('[data-test=keep-hits]')!.click()
    await settled()
    expect((asked.at(-1)!.body as { hits: { offset: number }[] }).hits.map((h) => h.offset)).toEqual([0, 200])
    expect(document.querySelector('[data-test=kept]')!.textContent).toContain('finds of dump.bin')
  })
})

describe('names for many', () => {
  it('are tried while typing, and given only where they fit', async () => {
    asked = serve({
      'POST /api/projects/*/naming/try': ({ body }) => {
        const { text, pattern } = body as { text: string; pattern: string }
        const codes = text.split('\n').filter(Boolean).length
        return {
          pattern: pattern || 'props/p{id}/**',
          likely: [],
          codes,
          tried: codes,
          fitting: text.includes('21') ? 1 : 0,
          rows: [],
        }
      },
      'POST /api/projects/*/naming': () => ({}),
    })
    shown = mount(NamingSheet, { attachTo: document.body, props: { project: 'p' } })
    await settled()
    const box = document.querySelector<HTMLTextAreaElement>('[data-test=naming-text]')!
    const type = async (text: string) => {
      box.value = text
      box.dispatchEvent(new Event('input'))
      await new Promise((done) => setTimeout(done, 400))
      await settled()
    }
    const give = () => document.querySelector<HTMLButtonElement>('[data-test=give-names]')!
    await type('99 = nothing')
    expect(give().disabled).toBe(true)
    await type('21 = lamp\n')
    expect(give().disabled).toBe(false)
    document.querySelector('[role=dialog] form')!.dispatchEvent(new Event('submit', { cancelable: true }))
    await settled()
    expect(asked.at(-1)!.body).toMatchObject({ pattern: 'props/p{id}/**', text: '21 = lamp\n' })
  })
})

describe('the frame around it all', () => {
  async function app(routes: Routes = {}) {
    asked = serve({ ...COMMON, ...SOURCES, ...routes })
    const blank = { template: '<p>here</p>' }
    const router = createRouter({
      history: createMemoryHistory(),
      routes: real.options.routes.map((r) => ({ ...r, component: blank })) as never,
    })
    await router.push('/p/sources')
    shown = mount(App, { attachTo: document.body, global: { plugins: [router] } })
    await settled()
    return { wrapper: shown, router }
  }
  const press = async (key: string, target: EventTarget = window) => {
    target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
    await settled()
  }
  beforeEach(() => localStorage.clear())
  it('goes from stage to stage by number keys, but not while somebody types', async () => {
    const { wrapper, router } = await app()
    await press('2')
    expect(router.currentRoute.value.name).toBe('browse')
    await press('4')
    expect(router.currentRoute.value.name).toBe('deliver')
    const field = document.createElement('input')
    document.body.append(field)
    await press('1', field)
    expect(router.currentRoute.value.name).toBe('deliver')
    await press('1', wrapper.get('nav button').element)
    expect(router.currentRoute.value.name).toBe('sources')
  })
  it('comes back to the list as it was left, and to the workpiece', async () => {
    const { router } = await app()
    sessionStorage.setItem('pruxel.browse.p', JSON.stringify({ q: 'crab' }))
    await press('2')
    expect(router.currentRoute.value.fullPath).toBe('/p/browse?q=crab')
    await router.push('/p/bench/a')
    await settled()
    await press('1')
    await press('3')
    expect(router.currentRoute.value.fullPath).toBe('/p/bench/a')
  })
  it('says that it has no access instead of showing nothing', async () => {
    const { wrapper } = await app({
      'GET /api/projects': () =>
        new Refusal(401, { title: 'x', status: 401, code: 'x', detail: 'Open the printed link.' }),
    })
    expect(words(wrapper)).toContain('This page has no access yet Open the printed link.')
  })
  it('tells what stands in the way of a new name for the project', async () => {
    const { wrapper } = await app({ 'PATCH /api/projects/*': () => refused('that name is taken') })
    await wrapper.get('header [data-test=more]').trigger('click')
    await settled()
    await wrapper.get('[data-test=rename-project]').trigger('click')
    await settled()
    document.querySelector('[role=dialog] form')!.dispatchEvent(new Event('submit', { cancelable: true }))
    await settled()
    expect(wrapper.get('[role=alert]').text()).toContain('that name is taken')
  })
  it('lists what the keyboard does right now', async () => {
    const { wrapper } = await app()
    await press('?')
    const list = document.querySelector('[role=dialog]')
    expect(list?.textContent).toContain('Go to Browse')
    expect(wrapper.exists()).toBe(true)
  })
})
