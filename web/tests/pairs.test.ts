// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import PairsField from '../src/features/bench/PairsField.vue'
import { fieldsOf } from '../src/model/form'
import { corrected, drawnFlat, nearestDot, saidOf } from '../src/model/pairs'
import { Refusal, serve, type Asked } from './server'

describe('corrections', () => {
  it('are a line for each joint, of which the last counts', () => {
    const lines = corrected(corrected([], 'hand', 'paw'), 'tail', '')
    expect(lines).toEqual(['hand = paw', 'tail ='])
    expect(corrected(lines, 'hand', 'foot')).toEqual(['tail =', 'hand = foot'])
    expect(corrected(lines, 'tail', undefined)).toEqual(['hand = paw'])
    expect([...saidOf(['a=b', ' c = d e ', '= x', 'nothing', 'f ='])]).toEqual([
      ['a', 'b'],
      ['c', 'd e'],
      ['f', ''],
    ])
  })
  it('have a field of their own', () => {
    const [field] = fieldsOf({ properties: { pairs: { type: 'array', items: { type: 'string' }, format: 'pairs' } } })
    expect([field!.kind, field!.start]).toEqual(['pairs', []])
  })
})

describe('a skeleton drawn flat', () => {
  const joints = [
    { name: 'hips', above: -1, place: [0, 1, 0] },
    { name: 'left', above: 0, place: [1, 2, 0] },
    { name: 'right', above: 0, place: [-1, 2, 0] },
    { name: 'under', above: 0, place: [0, 1, 0.5] },
  ]
  it('fills its box, up is up, and is turned about the vertical', () => {
    const dots = drawnFlat(joints, { width: 200, height: 400 })
    expect(dots[1]).toMatchObject({ x: 186, y: 157, from: { x: 100, y: 243 } })
    expect(dots[2]!.x).toBe(14)
    const turned = drawnFlat(joints, { width: 200, height: 400 }, 180)
    expect(turned[1]!.x).toBeCloseTo(14)
  })
  it('gives the joint nearest a place, and what lies beneath it next', () => {
    const dots = drawnFlat(joints, { width: 200, height: 400 })
    expect(nearestDot(dots, 190, 160)).toBe('left')
    expect(nearestDot(dots, 190, 300)).toBe('')
    expect(nearestDot(dots, 100, 243)).toBe('hips')
    expect(nearestDot(dots, 100, 243, 'hips')).toBe('under')
    expect(nearestDot(dots, 100, 243, 'under')).toBe('hips')
  })
})

describe('the pairs of joints', () => {
  const FOUND = {
    pairs: [
      { source: 'hips', target: 'pelvis', sureness: 0.97, why: 'both mean hips' },
      { source: 'paw', target: 'hand', sureness: 0.6, why: 'stands alike in the tree (86%)' },
    ],
    theirs: [
      { name: 'hips', moves: true, above: -1, place: [0, 1, 0] },
      { name: 'paw', moves: true, above: 0, place: [1, 1, 0] },
      { name: 'tail', moves: true, above: 0, place: [0, 0, -1] },
      { name: 'marker', moves: false, above: 0, place: [0, 2, 0] },
    ],
    ours: [
      { name: 'pelvis', above: -1, place: [0, 1, 0] },
      { name: 'hand', above: 0, place: [0.5, 1, 0] },
      { name: 'foot', above: 0, place: [0, 0, 0] },
    ],
    clips: ['walk'],
    known: [] as string[],
  }
  let asked: Asked[]
  beforeEach(() => {
    vi.useFakeTimers()
    asked = serve({ 'POST /api/scenes/*/joints': () => FOUND })
  })
  async function field(entry = 'moves/walk.bin', lines: string[] = []) {
    const wrapper = mount(PairsField, {
      props: {
        scene: 's',
        project: 'p',
        entry,
        workpiece: '',
        path: 'x',
        modelValue: lines,
        'onUpdate:modelValue': (now: string[]) => wrapper.setProps({ modelValue: now }),
      },
    })
    await vi.advanceTimersByTimeAsync(400)
    await flushPromises()
    return wrapper
  }

  it('show what is unsure or has no partner, and all when asked', async () => {
    const wrapper = await field()
    expect(wrapper.text()).toContain('2 of 3 joints that move are met')
    expect(wrapper.findAll('li').map((row) => row.attributes('data-test'))).toEqual(['pair-paw', 'pair-tail'])
    expect(wrapper.get('[data-test=pair-paw]').text()).toContain('60 %')
    expect(wrapper.get('[data-test=pair-tail]').text()).toContain('nothing here is like it')
    await wrapper.get('[data-test=all-pairs]').trigger('click')
    expect(wrapper.findAll('li')).toHaveLength(4)
  })
  it('are corrected, asked about again, and left as they were found', async () => {
    const wrapper = await field()
    const box = wrapper.get('[data-test=pair-paw] select')
    await box.setValue('foot')
    expect(wrapper.props('modelValue')).toEqual(['paw = foot'])
    await vi.advanceTimersByTimeAsync(400)
    await flushPromises()
    expect(asked.at(-1)!.body).toEqual({ project: 'p', entry: 'moves/walk.bin', workpiece: '', said: ['paw = foot'] })
    await wrapper.get('[data-test=pair-paw] select').setValue('\n')
    expect(wrapper.props('modelValue')).toEqual([])
    await wrapper.get('[data-test=pair-tail] select').setValue('')
    expect(wrapper.props('modelValue')).toEqual(['tail ='])
  })
  it('begin with what the profile keeps, and are kept there', async () => {
    let kept: string[] = ['paw = foot']
    asked = serve({
      'POST /api/scenes/*/joints': () => ({ ...FOUND, known: kept }),
      'POST /api/projects/*/profile/joints': () => null,
    })
    const wrapper = await field()
    expect(wrapper.props('modelValue')).toEqual(['paw = foot'])
    expect(wrapper.find('[data-test=keep-pairs]').exists()).toBe(false)
    await wrapper.get('[data-test=pair-tail] select').setValue('hand')
    await vi.advanceTimersByTimeAsync(400)
    await flushPromises()
    kept = ['paw = foot', 'tail = hand']
    await wrapper.get('[data-test=keep-pairs]').trigger('click')
    await flushPromises()
    const sent = asked.find(({ path }) => path.endsWith('/profile/joints'))
    expect(sent!.body).toEqual({ pairs: ['paw = foot', 'tail = hand'] })
    expect(wrapper.text()).toContain('Kept.')
    expect(wrapper.find('[data-test=keep-pairs]').exists()).toBe(false)
  })
  it('are chosen on both skeletons, by the pointer and by keys', async () => {
    const wrapper = await field()
    await wrapper.get('[data-test=both-skeletons]').trigger('click')
    await flushPromises()
    const sheet = document.querySelector('[data-test=pair-sheet]')!
    const [theirs, ours] = [...sheet.querySelectorAll('svg')]
    const press = (svg: Element, name: string) => {
      const dot = svg.querySelector(`[data-joint=${name}]`)!
      svg.getBoundingClientRect = () => ({ left: 0, top: 0, width: 230, height: 300 }) as DOMRect
      const [x, y] = [Number(dot.getAttribute('cx')), Number(dot.getAttribute('cy'))]
      svg.dispatchEvent(new MouseEvent('click', { clientX: x, clientY: y, bubbles: true }))
    }
    press(theirs!, 'paw')
    await flushPromises()
    expect(document.querySelector('[data-test=pair-words]')!.textContent).toContain('stands alike')
    press(ours!, 'foot')
    await flushPromises()
    expect(wrapper.props('modelValue')).toEqual(['paw = foot'])
    const list = sheet.querySelector('[data-test=pair-list]')!
    ours!.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', bubbles: true }))
    await flushPromises()
    ours!.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
    await flushPromises()
    expect(wrapper.props('modelValue')).toEqual(['paw = pelvis'])
    list.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }))
    await flushPromises()
    expect(list.querySelector('[aria-selected=true]')!.textContent).toContain('tail')
    document.querySelector<HTMLElement>('[data-test=pair-none]')?.click()
    wrapper.unmount()
  })
  it('wait for an entry, and say why there are none', async () => {
    expect((await field('')).text()).toContain('Choose the clips first')
    expect(asked).toEqual([])
    serve({
      'POST /api/scenes/*/joints': () =>
        new Refusal(422, { title: 'No', status: 422, code: 'bad', detail: 'this is no model' }),
    })
    expect((await field('x')).get('[role=alert]').text()).toContain('this is no model')
  })
})
