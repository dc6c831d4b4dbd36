// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { Quaternion, Vector3 } from 'three'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, ref } from 'vue'
import { fitting } from '../src/api/fitting'
import { usePosing } from '../src/composables/usePosing'
import PoseBar from '../src/features/bench/PoseBar.vue'
import { freeName, NOTHING, touched, turnOf, withPull, withTurn, without } from '../src/model/pose'
import { build } from '../src/viewer/build'
import type { Held } from '../src/viewer/handles'
import { Motion, type JointAt } from '../src/viewer/motion'
import type { Stage } from '../src/viewer/stage'
import { jointed, stored } from './stored'

beforeEach(() => {
  vi.restoreAllMocks()
  vi.stubGlobal('fetch', async (url: string) => new Response(stored.get(url.split('/').at(-1)!)))
})

describe('a pose', () => {
  it('turns each joint once, and forgets what is not turned', () => {
    const one = withTurn(withTurn(NOTHING, 'head', [10, 0, 0]), 'hand', [0, 1.23456, 0])
    expect(withTurn(one, 'head', [0, 20, 0]).turns).toEqual([
      { joint: 'hand', turn: [0, 1.235, 0] },
      { joint: 'head', turn: [0, 20, 0] },
    ])
    expect(withTurn(one, 'head', [0, 0, 0]).turns).toHaveLength(1)
    expect(turnOf(one, 'foot')).toEqual([0, 0, 0])
  })
  it('takes a joint out with all that was done to it', () => {
    const both = withPull(withTurn(NOTHING, 'hand', [5, 0, 0]), 'hand', [1, 2, 3])
    expect(touched(withTurn(both, 'head', [1, 0, 0]))).toEqual(['hand', 'head'])
    expect(without(both, 'hand')).toEqual(NOTHING)
  })
  it('is called what no clip is', () => {
    expect(freeName(['walk'])).toBe('pose')
    expect(freeName(['pose', 'pose 2'])).toBe('pose 3')
  })
})

describe('joints placed by hand', () => {
  const at = (joint: string, translation: number[], rotation = [0, 0, 0, 1]): JointAt => ({
    joint,
    translation,
    rotation,
  })
  it('stand there until the model is to stand otherwise, and rest where they rested', async () => {
    const data = jointed()
    const built = await build(data)
    const motion = new Motion(data, built)
    const placeOf = (n: number) => built.nodes[n]!.position.toArray()
    const moment = { clip: 0, seconds: 1, share: 1 }
    await motion.pose([moment])
    expect(placeOf(1)).toEqual([2, 0, 0])
    // One that a clip moves, and one that none does.
    motion.put([at('hips', [2, 5, 0]), at('arm', [0, 1, 0], [0, 1, 0, 0])])
    expect(placeOf(1)).toEqual([2, 5, 0])
    await motion.pose([moment])
    expect(placeOf(1)).toEqual([2, 0, 0])
    expect(built.nodes[2]!.quaternion.toArray()).toEqual([0, 0, 0, 1])
    motion.put([at('hips', [2, 5, 0])])
    await motion.pose([])
    expect(placeOf(1)).toEqual([0, 0, 0])
    motion.put([at('nobody', [1, 1, 1])])
    motion.release()
    expect(placeOf(1)).toEqual([0, 0, 0])
  })
})

function posing(answer: () => Promise<JointAt[]> = async () => []) {
  const asked = vi.spyOn(fitting, 'pose').mockImplementation(answer as never)
  const [place, joint] = [vi.fn(), ref('hand')]
  let held!: Held
  const setHandles = vi.fn((_joint: string, _grip: string, given: Held) => (held = given))
  const stage = { place, setHandles } as unknown as Stage
  const made = effectScope().run(() =>
    usePosing(
      () => stage,
      () => 'scene',
      () => joint.value,
      () => ({ clip: 'walk', at: 0.5 }),
    ),
  )!
  return { made, asked, place, setHandles, joint, handles: () => held }
}
const quarter = new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), Math.PI / 4)

describe('posing on the model', () => {
  it('asks where the joints are, from where the clip stands, and shows that', async () => {
    const { made, asked, place } = posing(async () => [
      { joint: 'hand', translation: [1, 2, 3], rotation: [0, 0, 0, 1] },
    ])
    made.begin()
    made.turn([0, 30, 0])
    await flushPromises()
    expect(asked).toHaveBeenCalledWith('scene', {
      name: 'pose',
      clip: 'walk',
      at: 0.5,
      turns: [{ joint: 'hand', turn: [0, 30, 0] }],
      pulls: [],
      share: 100,
    })
    expect(place).toHaveBeenCalledWith([{ joint: 'hand', translation: [1, 2, 3], rotation: [0, 0, 0, 1] }])
  })
  it('counts a drag as one change, turned further from where it was taken hold of', async () => {
    const { made, handles } = posing()
    made.begin()
    await flushPromises()
    made.turn([0, 30, 0])
    const half = new Quaternion().slerp(quarter, 0.5)
    handles().turned(half, false)
    handles().turned(quarter, false)
    handles().turned(quarter, true)
    expect(turnOf(made.posed.value, 'hand')[1]).toBeCloseTo(75, 2)
    made.undo()
    expect(turnOf(made.posed.value, 'hand')).toEqual([0, 30, 0])
    made.undo()
    expect(made.undoable.value).toBe(false)
    handles().pulled(new Vector3(1, 2, 3), false)
    handles().pulled(new Vector3(1, 2, 4), true)
    expect(made.posed.value.pulls).toEqual([{ joint: 'hand', to: [1, 2, 4] }])
    made.reset()
    expect(touched(made.posed.value)).toEqual([])
    made.undo()
    expect(touched(made.posed.value)).toEqual(['hand'])
  })
  it('asks one at a time, and of those that wait the last', async () => {
    const answers: (() => void)[] = []
    const { made, asked } = posing(() => new Promise((done) => answers.push(() => done([]))))
    made.begin()
    for (const angle of [1, 2, 3, 4]) made.turn([angle, 0, 0])
    expect(asked).toHaveBeenCalledTimes(1)
    answers.pop()!()
    await flushPromises()
    expect(asked).toHaveBeenCalledTimes(2)
    expect(asked.mock.calls[1]![1].turns).toEqual([{ joint: 'hand', turn: [4, 0, 0] }])
  })
  it('says what is wrong, and nothing is shown once it is left', async () => {
    const { made, place } = posing(async () => {
      throw new Error('there is no joint')
    })
    made.begin()
    made.turn([1, 0, 0])
    await flushPromises()
    expect(made.error.value).toContain('no joint')
    const late = posing()
    late.made.begin()
    late.made.turn([1, 0, 0])
    late.made.end()
    await flushPromises()
    expect(place).not.toHaveBeenCalled()
    expect(late.place).not.toHaveBeenCalled()
  })
  it('puts handles where the chosen joint is, as long as it lasts', async () => {
    const { made, setHandles, joint } = posing()
    made.begin()
    await flushPromises()
    expect(setHandles.mock.lastCall!.slice(0, 2)).toEqual(['hand', 'turn'])
    joint.value = 'head'
    made.grip.value = 'pull'
    await flushPromises()
    expect(setHandles.mock.lastCall!.slice(0, 2)).toEqual(['head', 'pull'])
    made.end()
    await flushPromises()
    expect(setHandles.mock.lastCall![0]).toBe('')
  })
})

describe('the bar', () => {
  it('keeps a pose by its name, and none without one', async () => {
    const { made } = posing()
    made.begin()
    const bar = mount(PoseBar, { props: { posing: made, joint: 'hand', taken: ['pose'] } })
    await bar.trigger('submit')
    expect(bar.emitted('keep')).toBeUndefined()
    made.turn([0, 0, 9])
    await flushPromises()
    const name = bar.get<HTMLInputElement>('[data-test=pose-name]')
    expect(name.element.value).toBe('pose 2')
    await name.setValue('  ')
    await bar.trigger('submit')
    expect(bar.emitted('keep')).toBeUndefined()
    await name.setValue(' salute ')
    await bar.trigger('submit')
    expect(bar.emitted('keep')![0]).toEqual([{ name: 'salute', clip: 'walk', at: 0.5, turns: [{ joint: 'hand', turn: [0, 0, 9] }], pulls: [], share: 100 }]) // prettier-ignore
    await bar.get('[data-test=pose-end]').trigger('click')
    expect(bar.emitted('end')).toHaveLength(1)
  })
})
