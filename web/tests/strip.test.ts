// @vitest-environment happy-dom
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { ApiError, type StepKind, type StepUse, type ViewContent, type Workpiece } from '../src/api/client'
import StepStrip from '../src/features/bench/StepStrip.vue'

const KINDS = [
  {
    name: 'keep',
    title: 'Keep parts',
    about: 'and no others',
    parameters: {
      properties: { parts: { type: 'array', items: { type: 'string', refers_to: 'part' } } },
    },
  },
  {
    name: 'scale',
    title: 'Scale',
    about: 'by a factor',
    parameters: {
      properties: { factor: { type: 'number', exclusiveMinimum: 0, default: 2 } },
    },
  },
] as unknown as StepKind[]
const A: StepUse = { step: 'keep', params: { parts: ['body'] }, on: true }
const B: StepUse = { step: 'scale', params: { factor: 3 }, on: true }
const C: StepUse = { step: 'scale', params: { factor: 0.5 }, on: false }
const run = (step: string, summary: string, fault: object | null = null) => ({ step, summary, fault })

function content(steps: object[], pictures: string[]): ViewContent {
  const facts = { parts: ['body', 'wheel', 'mast'].map((name) => ({ name })), materials: [], textures: [], clips: [] }
  return { steps, pictures, facts } as unknown as ViewContent
}

function strip(steps: StepUse[], more: object = {}) {
  return mount(StepStrip, {
    attachTo: document.body,
    props: {
      workpiece: { id: 'w', steps, can_undo: steps.length > 0, can_redo: false } as unknown as Workpiece,
      content: content(
        steps.map((s) => run(s.step, `${s.step} went well`)),
        ['p0', 'p1', 'p2', 'p3'],
      ),
      kinds: KINDS,
      rules: [{ name: 'inward', title: 'Faces that point inward' }],
      hidden: new Set<string>(),
      project: 'p',
      workpieces: [],
      deliverable: true,
      picked: [],
      chosen: [],
      apply: async () => undefined,
      ...more,
    },
  })
}

const cards = (wrapper: VueWrapper) => wrapper.findAll('[data-test=step]')
async function act(wrapper: VueWrapper, card: number, words: string) {
  await cards(wrapper)[card]!.get('[data-test=more]').trigger('click')
  await flushPromises()
  const button = cards(wrapper)
    [card]!.findAll('button')
    .find((b) => b.text() === words)
  if (!button) throw new Error(`no ${words}`)
  await button.trigger('click')
  await flushPromises()
}
const dialog = () => document.querySelector<HTMLElement>('[role=dialog]')

afterEach(() => (document.body.innerHTML = ''))

describe('steps in the strip', () => {
  it('change places, and only they', async () => {
    const wrapper = strip([A, B, C])
    await act(wrapper, 1, 'Later')
    await act(wrapper, 1, 'Earlier')
    expect(wrapper.emitted('set')).toEqual([[[A, C, B]], [[B, A, C]]])
  })
  it('cannot go beyond the ends', async () => {
    const wrapper = strip([A, B])
    await expect(act(wrapper, 0, 'Earlier')).rejects.toThrow()
    await expect(act(wrapper, 1, 'Later')).rejects.toThrow()
  })
  it('are switched off and taken out one at a time', async () => {
    const wrapper = strip([A, B])
    await cards(wrapper)[1]!.get('[data-test=step-on]').setValue(false)
    await act(wrapper, 0, 'Remove')
    expect(wrapper.emitted('set')).toEqual([[[A, { ...B, on: false }]], [[B]]])
  })
  it('say how many count', () => {
    expect(strip([A, B, C]).text()).toContain('2 of 3 on')
    expect(strip([]).text()).toContain('none yet')
  })
  it('show numbers and pictures only of what was worked out for them', async () => {
    const wrapper = strip([A, B])
    expect(cards(wrapper)[1]!.text()).toContain('scale went well')
    expect(
      cards(wrapper)[1]!
        .findAll('img')
        .map((i) => i.attributes('src')),
    ).toEqual(['/api/blobs/p1', '/api/blobs/p2'])
    // The steps changed places; the answer for it is still on its way.
    await wrapper.setProps({ workpiece: { id: 'w', steps: [B, A] } as unknown as Workpiece })
    for (const card of cards(wrapper)) {
      expect(card.text()).toContain('working it out…')
      expect(card.findAll('img')).toEqual([])
    }
  })
  it('say in words what stopped them', () => {
    const fault = { message: 'no part of that name', line: 'x: no part of that name' }
    const wrapper = strip([A], { content: content([run('keep', '', fault)], ['p0']) })
    expect(cards(wrapper)[0]!.text()).toContain('no part of that name')
    expect(cards(wrapper)[0]!.classes()).toContain('border-brick')
  })
})

describe('a new step', () => {
  async function add(wrapper: VueWrapper, name: string) {
    await wrapper.get('[data-test=add-step]').trigger('click')
    await flushPromises()
    document
      .querySelector<HTMLElement>(`[data-test=add-${name}]`)!
      .dispatchEvent(new MouseEvent('mousedown', { bubbles: true }))
    await flushPromises()
  }
  const done = async () => {
    dialog()!
      .querySelector('form')!
      .dispatchEvent(new Event('submit', { cancelable: true }))
    await flushPromises()
  }
  it('comes behind the others with what the form holds', async () => {
    const apply = vi.fn(async () => undefined)
    const wrapper = strip([A], { apply })
    await add(wrapper, 'scale')
    const box = dialog()!.querySelector<HTMLInputElement>('#p-factor')!
    expect(box.value).toBe('2')
    box.value = '0.01'
    box.dispatchEvent(new Event('input'))
    await done()
    expect(apply).toHaveBeenCalledWith([A, { step: 'scale', params: { factor: 0.01 }, on: true }])
    expect(dialog()).toBeNull()
  })
  it('about parts begins with those that are shown', async () => {
    const apply = vi.fn(async () => undefined)
    const wrapper = strip([], { apply, hidden: new Set(['wheel']) })
    await add(wrapper, 'keep')
    await done()
    expect(apply).toHaveBeenCalledWith([{ step: 'keep', params: { parts: ['body', 'mast'] }, on: true }])
  })
  it('that is refused stays in its form, with the words of the refusal', async () => {
    const refused = new ApiError({
      title: 'Not possible',
      status: 422,
      code: 'bad',
      detail: 'no part is left',
    } as never)
    const wrapper = strip([A], { apply: () => Promise.reject(refused) })
    await add(wrapper, 'keep')
    await done()
    expect(dialog()!.textContent).toContain('no part is left')
    expect(dialog()!.textContent).toContain('Run the step')
  })
  it('that is changed keeps its place and whether it is on', async () => {
    const apply = vi.fn(async () => undefined)
    const wrapper = strip([A, C], { apply })
    await act(wrapper, 1, 'Change…')
    const box = dialog()!.querySelector<HTMLInputElement>('#p-factor')!
    expect(box.value).toBe('0.5')
    box.value = '4'
    box.dispatchEvent(new Event('input'))
    await done()
    expect(apply).toHaveBeenCalledWith([A, { ...C, params: { factor: 4 }, because: '' }])
  })
})
