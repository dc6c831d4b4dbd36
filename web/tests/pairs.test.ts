// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import PairsField from '../src/features/bench/PairsField.vue'
import { fieldsOf } from '../src/model/form'
import { corrected, saidOf } from '../src/model/pairs'
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

describe('the pairs of joints', () => {
  const FOUND = {
    pairs: [
      { source: 'hips', target: 'pelvis', sureness: 0.97, why: 'both mean hips' },
      { source: 'paw', target: 'hand', sureness: 0.6, why: 'stands alike in the tree (86%)' },
    ],
    theirs: [
      { name: 'hips', moves: true },
      { name: 'paw', moves: true },
      { name: 'tail', moves: true },
      { name: 'marker', moves: false },
    ],
    ours: ['pelvis', 'hand', 'foot'],
    clips: ['walk'],
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
    expect(asked.at(-1)!.body).toEqual({ project: 'p', entry: 'moves/walk.bin', said: ['paw = foot'] })
    await wrapper.get('[data-test=pair-paw] select').setValue('\n')
    expect(wrapper.props('modelValue')).toEqual([])
    await wrapper.get('[data-test=pair-tail] select').setValue('')
    expect(wrapper.props('modelValue')).toEqual(['tail ='])
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
