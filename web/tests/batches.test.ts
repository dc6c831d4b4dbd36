// @vitest-environment happy-dom
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { createRouter, createMemoryHistory } from 'vue-router'
import type { Batch, BatchItem, BatchWhole, Finding, Recipe, StepKind, StepUse, ViewContent } from '../src/api/client'
import { ended, ruleWords, standing, touchedWords, worthTelling } from '../src/model/rules'
import { mends } from '../src/model/steps'
import { Refusal, serve } from './server'

const { default: BatchHead } = await import('../src/features/batch/BatchHead.vue')
const { default: BatchesView } = await import('../src/features/batch/BatchesView.vue')
const { default: BatchRows } = await import('../src/features/batch/BatchRows.vue')
const { default: RecipeList } = await import('../src/features/batch/RecipeList.vue')
const { default: RunSheet } = await import('../src/features/batch/RunSheet.vue')
const { default: KeepRecipe } = await import('../src/features/bench/KeepRecipe.vue')
const { default: GiveSteps } = await import('../src/features/bench/GiveSteps.vue')

const RULES = [{ name: 'inward', title: 'Faces that point inward' }]
const KINDS = [{ name: 'flip', title: 'Flip faces' }] as unknown as StepKind[]
const step = (more: object = {}) => ({
  step: 'flip',
  title: 'Flip faces',
  summary: '6 faces turned',
  fault: '',
  before: 12,
  after: 12,
  changed: [],
  added: [],
  removed: [],
  materials: [],
  ...more,
})
function item(name: string, more: object = {}): BatchItem {
  return {
    name,
    entries: [`in/${name}.glb`],
    wears: {},
    state: 'done',
    fault: '',
    steps: [step({ changed: ['hull'] }), step()],
    triangles: 1234,
    size: [1, 2, 3],
    findings: [],
    picture: '',
    differences: [],
    workpiece: null,
    delivered: '',
    ...more,
  } as unknown as BatchItem
}
function batch(more: object = {}): BatchWhole {
  const steps = [
    { step: 'flip', params: {}, on: true, because: '', rule: { finding: 'inward', parts: '', materials: '' } },
  ]
  const counts = { done: 2, failed: 1 }
  return {
    id: 'b',
    name: 'tidy',
    steps,
    dry: true,
    delivers: false,
    before: null,
    created: '2026-11-28T10:00:00Z',
    counts,
    working: false,
    items: [],
    ...more,
  } as unknown as BatchWhole
}
const router = createRouter({
  history: createMemoryHistory(),
  routes: ['bench', 'batches'].map((name) => ({ path: `/:project/${name}/:workpiece?`, name, component: {} })),
})
const global = { plugins: [router] }
const dialog = () => document.querySelector<HTMLElement>('[role=dialog]')!
const press = async (name: string) => {
  document.querySelector<HTMLElement>(`[data-test=${name}]`)!.click()
  await flushPromises()
}
async function submitted() {
  dialog()
    .querySelector('form')!
    .dispatchEvent(new Event('submit', { cancelable: true }))
  await flushPromises()
}
afterEach(() => (document.body.innerHTML = ''))

describe('words about rules and batches', () => {
  it('name the finding, the parts, the material', () => {
    expect(ruleWords({ finding: 'inward', parts: '', materials: '' }, RULES)).toBe(
      'where found: Faces that point inward',
    )
    expect(ruleWords({ finding: 'new', parts: '', materials: '' }, RULES)).toBe('where found: new')
    expect(ruleWords({ finding: '', parts: '*lod1', materials: '' }, RULES)).toBe('parts called *lod1')
    expect(ruleWords({ finding: '', parts: '*lod1', materials: 'glass' }, RULES)).toBe(
      'parts called *lod1, material glass',
    )
    expect(ruleWords({ finding: '', parts: '', materials: 'glass' }, RULES)).toBe('what has material glass')
    expect(ruleWords(null, RULES)).toBe('')
  })
  it('say how it stands', () => {
    expect(standing(batch() as Batch)).toBe('2 done, 1 failed')
    const counts = { done: 2, running: 1, waiting: 3 }
    expect(standing(batch({ counts, working: true }))).toBe('2 done, 4 to go')
    expect(standing(batch({ counts }))).toBe('2 done, 4 left, stopped')
    expect(ended(batch({ counts }))).toBe(2)
  })
  it('tell of steps that did something or could not', () => {
    const told = worthTelling(item('a', { steps: [step(), step({ fault: 'gone' }), step({ materials: ['m'] })] }))
    expect(told.steps.map((one) => one.fault)).toEqual(['gone', ''])
    expect(told.idle).toBe(1)
    expect(touchedWords(step({ changed: ['a', 'b'], removed: ['c'] }))).toBe('changed: a, b\ngone: c')
  })
  it('mend all is one step for each kind of finding', () => {
    const found = (rule: string, name: string | null) => ({
      rule,
      suggestion: name && { step: name, params: { a: 1 }, label: '' },
    })
    const steps = mends([
      found('inward', 'flip'),
      found('inward', 'flip'),
      found('size', 'scale'),
      found('x', null),
    ] as Finding[])
    expect(steps.map((use) => [use.step, use.rule?.finding, use.params])).toEqual([
      ['flip', 'inward', {}],
      ['scale', 'size', {}],
    ])
    expect(mends(null)).toEqual([])
    // What is meant so is left: the others of its kind are followed one by one.
    const claw = {
      rule: 'inward',
      key: 'inward:claw',
      suggestion: { step: 'flip', params: { parts: ['claw'] }, label: '' },
    }
    const meant = { ...claw, key: 'inward:leg' }
    expect(mends([claw] as unknown as Finding[], [meant] as unknown as Finding[])).toEqual([
      { step: 'flip', params: { parts: ['claw'] }, on: true, because: 'inward' },
    ])
  })
})

describe('a batch', () => {
  const head = (more: object) =>
    mount(BatchHead, { attachTo: document.body, props: { batch: batch(more), kinds: KINDS, rules: RULES } })
  it('offers what can be done as it stands', () => {
    const tests = (wrapper: VueWrapper) => wrapper.findAll('[data-test]').map((one) => one.attributes('data-test'))
    expect(tests(head({ working: true, counts: { waiting: 2 } }))).toEqual(['standing', 'stop', 'more'])
    expect(tests(head({ counts: { done: 1, waiting: 2 } }))).toEqual(['standing', 'go-on', 'for-real', 'more'])
    expect(tests(head({ counts: { done: 1, failed: 2 }, dry: false }))).toEqual(['standing', 'retry', 'more'])
  })
  it('is stopped, and says when it cannot be', async () => {
    const asked = serve({
      'POST /api/batches/*/stop': () =>
        new Refusal(404, { title: 'x', status: 404, code: 'not_found', detail: 'gone' }),
    })
    const wrapper = head({ working: true })
    await press('stop')
    expect(asked.map((one) => one.path)).toEqual(['/api/batches/b/stop'])
    expect(wrapper.emitted('error')).toHaveLength(1)
  })
  it('dry goes on for real with what is wanted', async () => {
    const asked = serve({ 'POST /api/batches/*/again': () => batch({ id: 'c' }) })
    const wrapper = head({ items: [item('a')] })
    await press('for-real')
    await submitted()
    expect(asked.at(-1)!.body).toEqual({ dry: false, wanted: null })
    expect(wrapper.emitted('go')).toEqual([['c']])
  })
  it('shows what each item came to, and those to look at alone', async () => {
    const items = [
      item('one'),
      item('two', { state: 'failed', fault: 'it is bent', steps: [] }),
      item('three', { findings: ['Faces point inward'], differences: ['3 triangles'] }),
    ]
    const wrapper = mount(BatchRows, {
      attachTo: document.body,
      global,
      props: { project: 'p', items, working: false },
    })
    const rows = () => wrapper.findAll('[data-test=batch-item]').map((row) => row.get('h3').text())
    expect(rows()).toEqual(['one', 'two', 'three'])
    expect(wrapper.text()).toContain('it is bent')
    expect(wrapper.text().replace(/\s+/g, ' ')).toContain('1 of 2 steps found nothing to do')
    const button = (words: string) => wrapper.findAll('button').find((one) => one.text().startsWith(words))!
    await button('To be looked at').trigger('click')
    expect(rows()).toEqual(['two', 'three'])
    await button('Other than before').trigger('click')
    expect(rows()).toEqual(['three'])
  })
  it('opens an item on the Bench', async () => {
    const asked = serve({ 'POST /api/projects/*/workpieces': () => ({ id: 'w' }) })
    mount(BatchRows, {
      attachTo: document.body,
      global,
      props: { project: 'p', items: [item('one', { wears: { hat: 'x' } })], working: false },
    })
    await press('open-item')
    expect(asked[0]!.body).toEqual({ entries: ['in/one.glb'], source: null, wears: { hat: 'x' }, name: 'one' })
    expect(router.currentRoute.value.fullPath).toBe('/p/bench/w')
  })
})

describe('the page of batches', () => {
  const open = async (path: string) => {
    const between = createRouter({
      history: createMemoryHistory(),
      routes: [
        { path: '/:project/batches/:batch?', name: 'batches', component: BatchesView },
        { path: '/:project/browse', name: 'browse', component: {} },
      ],
    })
    await between.push(path)
    let answer = () => {}
    const asked = new Promise<[]>((done) => (answer = () => done([])))
    serve({
      'GET /api/projects/*/recipes': () => [],
      'GET /api/projects/*/batches': () => [batch({ id: 'b' })],
      'GET /api/batches/*': () => batch({ id: 'b' }),
      'GET /api/steps': () => asked,
      'GET /api/rules': () => asked,
    })
    mount(BatchesView, { attachTo: document.body, global: { plugins: [between] } })
    await flushPromises()
    return { between, answer }
  }
  it('goes to the latest where none is asked for', async () => {
    const { between, answer } = await open('/p/batches')
    answer()
    await flushPromises()
    expect(between.currentRoute.value.fullPath).toBe('/p/batches/b')
  })
  it('does not fetch back who has gone on while it loads', async () => {
    const { between, answer } = await open('/p/batches/b')
    await between.push('/p/browse')
    answer()
    await flushPromises()
    expect(between.currentRoute.value.fullPath).toBe('/p/browse')
  })
})

describe('a recipe', () => {
  const KEPT = {
    id: 'r',
    name: 'tidy',
    steps: [{ step: 'flip', params: {}, on: true, because: '' }],
  } as unknown as Recipe
  it('is run on models, dry at first', async () => {
    const asked = serve({ 'GET /api/projects/*/recipes': () => [KEPT], 'POST /api/projects/*/batches': () => batch() })
    await router.push('/p/batches')
    const wrapper = mount(RunSheet, { attachTo: document.body, global, props: { models: ['a.glb', 'b.glb'] } })
    await flushPromises()
    expect(dialog().textContent).toContain('2 models')
    await submitted()
    expect(asked.at(-1)!.body).toMatchObject({ name: 'tidy', entries: ['a.glb', 'b.glb'], dry: true, wanted: null })
    expect(wrapper.emitted('started')).toHaveLength(1)
  })
  it('is run on every model that a search finds, without the tray', async () => {
    const asked = serve({ 'GET /api/projects/*/recipes': () => [KEPT], 'POST /api/projects/*/batches': () => batch() })
    await router.push('/p/batches')
    const wish = { search: 'coral', kind: 'model', sort: 'path', down: false } as const
    mount(RunSheet, { attachTo: document.body, global, props: { found: { wish, number: 1200 } } })
    await flushPromises()
    expect(dialog().textContent).toMatch(/On 1[\s,.\u202f]?200 models that are found, each by itself/)
    await submitted()
    expect(asked.at(-1)!.body).toMatchObject({ entries: [], query: { search: 'coral', kind: 'model' } })
  })
  it('says what to do where there is none', async () => {
    serve({ 'GET /api/projects/*/recipes': () => [] })
    mount(RunSheet, { attachTo: document.body, global, props: { models: ['a.glb'] } })
    await flushPromises()
    expect(dialog().textContent).toContain('There is no recipe yet')
    expect(dialog().querySelector<HTMLButtonElement>('[data-test=run]')!.disabled).toBe(true)
  })
  it('is kept with the way that is chosen for each step, without what is left out', async () => {
    const asked = serve({ 'POST /api/projects/*/recipes': () => ({ ...KEPT, name: 'crab 2' }) })
    const rule = { finding: '', parts: '*lod1', materials: '' }
    const runs = [
      {
        ways: [
          { words: 'parts called *lod1', params: { action: 'drop' }, rule },
          { words: 'just this name', params: { parts: ['a'] }, rule: null },
        ],
      },
      { ways: [] },
      { ways: [] },
    ] as unknown as ViewContent['steps']
    const steps: StepUse[] = [
      { step: 'flip', params: { parts: ['a'] }, on: true, because: 'inward' },
      { step: 'flip', params: {}, on: false },
      { step: 'flip', params: { k: 1 }, on: true },
    ]
    const props = { name: 'crab', steps, kinds: KINDS, runs, project: 'p' }
    const wrapper = mount(KeepRecipe, { attachTo: document.body, props })
    await flushPromises()
    await submitted()
    expect(asked[0]!.body).toEqual({
      name: 'crab',
      steps: [
        { step: 'flip', params: { action: 'drop' }, on: true, rule, because: '' },
        { step: 'flip', params: { k: 1 }, on: true, because: '' },
      ],
    })
    expect(wrapper.emitted('kept')).toEqual([['crab 2']]) // another has the name that was asked for
    const choice = dialog().querySelector('select')!
    choice.value = '1'
    choice.dispatchEvent(new Event('change'))
    await submitted()
    expect((asked[1]!.body as { steps: StepUse[] }).steps[0]).toMatchObject({ params: { parts: ['a'] }, rule: null })
  })
  it('leaves out who a model is, unless one says otherwise', async () => {
    const asked = serve({ 'POST /api/projects/*/recipes': () => KEPT })
    const steps: StepUse[] = [
      { step: 'fill_slot', params: { slot: 'suit' }, on: true },
      { step: 'flip', params: {}, on: true },
    ]
    const runs = [{ summary: '“post” stands in “suit”', ways: [] }, { ways: [] }] as unknown as ViewContent['steps']
    mount(KeepRecipe, { attachTo: document.body, props: { name: 'Ida', steps, kinds: KINDS, runs, project: 'p' } })
    await flushPromises()
    const row = dialog().querySelector('[data-test=kept-step]')!
    expect(row.textContent).toContain('“post” stands in “suit”')
    expect(row.textContent).toContain('each keeps what it is made of')
    await submitted()
    row.querySelector('input')!.click()
    await flushPromises()
    expect(row.textContent).toContain('the same everywhere')
    await submitted()
    const kept = asked.map((one) => (one.body as { steps: StepUse[] }).steps.map((step) => step.step))
    expect(kept).toEqual([['flip'], ['fill_slot', 'flip']])
  })
  it('is taken from a file, and what is wrong with it told', async () => {
    const asked = serve({
      'POST /api/projects/*/recipes/file': () =>
        new Refusal(422, { title: 'x', status: 422, code: 'malformed', detail: 'newer' }),
    })
    const wrapper = mount(RecipeList, {
      attachTo: document.body,
      props: { project: 'p', recipes: [KEPT], kinds: KINDS, rules: RULES },
    })
    const box = wrapper.get<HTMLInputElement>('[data-test=recipe-file]').element
    Object.defineProperty(box, 'files', { value: [new File(['recipe: 9'], 'r.yaml')] })
    Object.defineProperty(box, 'value', { value: '', writable: true })
    box.dispatchEvent(new Event('change'))
    await vi.waitFor(() => expect(wrapper.emitted('error')).toHaveLength(1), { timeout: 60_000 })
    expect(asked[0]!.body).toEqual({ name: 'r.yaml', text: 'recipe: 9' })
  })
  it('or its steps go onto others, behind theirs', async () => {
    const asked = serve({ 'PUT /api/workpieces/*/steps': () => ({}) })
    const own = { id: 'w', name: 'crab', steps: [{ step: 'flip', params: {}, on: true }] }
    const other = { id: 'v', name: 'fish', steps: [{ step: 'scale', params: {}, on: true }] }
    const props = { take: 'copy', project: 'p', workpiece: own, others: [own, other] }
    const wrapper = mount(GiveSteps, { attachTo: document.body, props: props as never })
    await flushPromises()
    expect(dialog().querySelectorAll('[data-test=copy-to]')).toHaveLength(1)
    await press('copy-to')
    await submitted()
    expect(asked.map((one) => one.path)).toEqual(['/api/workpieces/v/steps'])
    expect((asked[0]!.body as { steps: StepUse[] }).steps.map((use) => use.step)).toEqual(['scale', 'flip'])
    expect(wrapper.emitted('told')).toEqual([['Copied onto one workpiece.']])
  })
})

describe('cards that are dragged', async () => {
  const { default: StepStrip } = await import('../src/features/bench/StepStrip.vue')
  it('go where they are let fall', async () => {
    const steps = ['a', 'b', 'c'].map((name) => ({ step: name, params: {}, on: true }))
    const wrapper = mount(StepStrip, {
      props: {
        workpiece: { id: 'w', steps, can_undo: false, can_redo: false } as never,
        content: undefined,
        kinds: [],
        rules: [],
        hidden: new Set<string>(),
        project: 'p',
        workpieces: [],
        deliverable: true,
        picked: [],
        chosen: [],
        apply: async () => undefined,
      },
    })
    const cards = wrapper.findAll('[data-test=step]')
    await cards[0]!.trigger('dragstart')
    await cards[2]!.trigger('dragover')
    await cards[2]!.trigger('drop')
    await cards[1]!.trigger('dragstart')
    await cards[1]!.trigger('drop')
    const order = (wrapper.emitted('set') ?? []).map(([list]) => (list as StepUse[]).map((use) => use.step))
    expect(order).toEqual([['b', 'c', 'a']])
  })
})
