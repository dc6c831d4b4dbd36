// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils'
import { Layers, Mesh, OrthographicCamera, Quaternion, Vector3, type MeshStandardMaterial } from 'three'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'
import type { ClipFacts } from '../src/api/client'
import { usePlaying } from '../src/composables/usePlaying'
import { advanced, AT_START, frameAt, held, started, stepped } from '../src/model/clock'
import { clipWords, listed } from '../src/model/clips'
import { angles, graphOf } from '../src/model/curves'
import { Bones, jointTree, withBelow } from '../src/viewer/bones'
import { build, type Drawn } from '../src/viewer/build'
import type { SceneData } from '../src/viewer/manifest'
import { Motion } from '../src/viewer/motion'
import { PLAIN, floats, jointed, mesh, node, scene, stored, triangle } from './stored'

let fetched: string[]
beforeEach(() => {
  fetched = []
  sessionStorage.clear()
  vi.stubGlobal('fetch', async (url: string) => {
    fetched.push(url.split('/').at(-1)!)
    return new Response(stored.get(url.split('/').at(-1)!))
  })
})

describe('the clock', () => {
  const at = (seconds: number, backwards = false) => ({ seconds, running: true, backwards })
  it('goes round and round, however long a frame took', () => {
    expect(advanced(at(0.9), 0.3, 1, 'loop').seconds).toBeCloseTo(0.2)
    expect(advanced(at(0.9), 7.3, 1, 'loop').seconds).toBeCloseTo(0.2)
  })
  it('ends once, and begins anew when it is played again', () => {
    const ended = advanced(at(0.9), 0.3, 1, 'once')
    expect(ended).toEqual({ seconds: 1, running: false, backwards: false })
    expect(started(ended, 1, 'once').seconds).toBe(0)
    expect(started(ended, 1, 'loop').seconds).toBe(1)
  })
  it('goes to and fro as a ball between walls', () => {
    let clock = { ...AT_START, running: true }
    const seen = Array.from({ length: 9 }, () => {
      clock = advanced(clock, 0.5, 1, 'back')
      return Number(clock.seconds.toFixed(6))
    })
    expect(seen).toEqual([0.5, 1, 0.5, 0, 0.5, 1, 0.5, 0, 0.5])
  })
  it('stands still in a clip without length', () => {
    for (const rounds of ['loop', 'once', 'back'] as const) expect(advanced(at(0), 5, 0, rounds).seconds).toBe(0)
    expect(advanced(at(0), 5, 0, 'once').running).toBe(false)
  })
  it('goes by frames, from the nearest one, within the clip', () => {
    expect(stepped(held(AT_START, 0.52), 1, 10, 2).seconds).toBeCloseTo(0.6)
    expect(stepped(held(AT_START, 0.52), -1, 10, 2).seconds).toBeCloseTo(0.4)
    expect(stepped(AT_START, -1, 10, 2).seconds).toBe(0)
    expect(stepped(held(AT_START, 1.99), 10, 10, 2).seconds).toBe(2)
    expect(frameAt(1, 0)).toBe(30)
  })
})

describe('how things look in a clip', () => {
  const times = () => floats([0, 1, 2], 1)
  async function glowing() {
    const clip: SceneData['clips'][number] = {
      name: 'glow',
      channels: [],
      shown: [{ node: 0, times: times(), values: floats([1, 0, 1], 1) }],
      looks: [
        {
          material: 0,
          path: 'base_color',
          times: times(),
          values: floats([1, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 1], 4),
          interpolation: 'LINEAR',
        },
        { material: 0, path: 'roughness', times: times(), values: floats([0.2, 0.4, 0.6], 1), interpolation: 'STEP' },
      ],
    }
    const data = scene({
      nodes: [node('lid', { mesh: null, children: [1] }), node('cup'), node('other')],
      roots: [0, 2],
      meshes: [mesh(triangle({ material: 0 }))],
      materials: [PLAIN],
      clips: [clip],
    })
    const built = await build(data)
    return { built, motion: new Motion(data, built) }
  }
  const seen = (d: Drawn) => d.object.layers.test(new Layers())

  it('is as its keys say, and as it was when it is over', async () => {
    const { built, motion } = await glowing()
    const cup = built.drawn.find(({ node }) => node.name === 'cup')!
    const other = built.drawn.find(({ node }) => node.name === 'other')!
    const own = cup.own as MeshStandardMaterial
    const [color, roughness] = [own.color.toArray(), own.roughness]
    await motion.pose([{ clip: 0, seconds: 0.5, share: 1 }])
    expect([seen(cup), seen(other)]).toEqual([true, true])
    expect(own.color.toArray()).toEqual([0.5, 0, 0.5])
    expect(own.roughness).toBeCloseTo(0.2)
    await motion.pose([{ clip: 0, seconds: 1.2, share: 1 }])
    expect([seen(cup), seen(other)]).toEqual([false, true])
    expect(own.roughness).toBeCloseTo(0.4)
    motion.release()
    expect([seen(cup), own.color.toArray(), own.roughness]).toEqual([true, color, roughness])
  })
  it('leaves what is hidden by hand hidden', async () => {
    const { built, motion } = await glowing()
    const cup = built.drawn.find(({ node }) => node.name === 'cup')!
    cup.object.visible = false
    await motion.pose([{ clip: 0, seconds: 1.2, share: 1 }])
    await motion.pose([{ clip: 0, seconds: 2, share: 1 }])
    expect([cup.object.visible, seen(cup)]).toEqual([false, true])
  })
})

const facts = (name: string, more: Partial<ClipFacts> = {}): ClipFacts => ({
  name,
  seconds: 1,
  rate: 30,
  frames: 31,
  keys: 62,
  nodes: 2,
  moves: ['rotation'],
  entry: `moves/${name}.bin`,
  ...more,
})

describe('the list of clips', () => {
  const clips = [facts('walk 10'), facts('Walk 9', { seconds: 3 }), facts('wave', { keys: 900 }), facts('idle')]
  const names = (...args: Parameters<typeof listed> extends [unknown, ...infer R] ? R : never) =>
    listed(clips, ...args).map(({ clip }) => clip.name)
  it('is searched by all words, in names and in where they come from', () => {
    expect(names('wa', 'as they come', new Set())).toEqual(['walk 10', 'Walk 9', 'wave'])
    expect(names('wal 9', 'as they come', new Set())).toEqual(['Walk 9'])
    expect(names('moves/idle', 'as they come', new Set())).toEqual(['idle'])
  })
  it('is sorted, those with a star first, and keeps each one’s number', () => {
    expect(names('', 'name', new Set())).toEqual(['idle', 'Walk 9', 'walk 10', 'wave'])
    expect(names('', 'length', new Set())[0]).toBe('Walk 9')
    expect(names('', 'keys', new Set(['idle']))).toEqual(['idle', 'wave', 'walk 10', 'Walk 9'])
    expect(listed(clips, '', 'name', new Set()).map(({ number }) => number)).toEqual([3, 1, 0, 2])
  })
  it('says rate and keys in words', () => {
    expect(clipWords(facts('a', { seconds: 1.6, rate: 29.97 }))).toBe('1.60 s, 29.97 a second, 62 keys')
    expect(clipWords(facts('a', { rate: 0, keys: 1 }))).toBe('1.00 s, uneven, 1 key')
  })
})

describe('curves', () => {
  it('of turns do not jump, however often something turns', () => {
    for (const axis of [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)]) {
      const turns = Array.from({ length: 60 }, (_, n) =>
        new Quaternion().setFromAxisAngle(axis, (n * 20 * Math.PI) / 180).toArray(),
      )
      const found = angles(turns).map((row) => row[axis.toArray().indexOf(1)]!)
      found.forEach((angle, n) => expect(angle).toBeCloseTo(n * 20, 3))
    }
  })
  it('of splines go through their keys and not their tangents', () => {
    const values = [9, 9, 9, 1, 2, 3, 9, 9, 9, 9, 9, 9, 4, 5, 6, 9, 9, 9]
    const found = graphOf({ path: 'position', times: [0, 1], values, spline: true })
    expect(found).toMatchObject({ title: 'Translation', unit: 'm', rows: [[1, 4], [2, 5], [3, 6]], low: 1, high: 6 }) // prettier-ignore
    expect(graphOf({ path: 'morphTargetInfluences', times: [0], values: [1], spline: false })).toBeNull()
    expect(graphOf({ path: 'scale', times: [], values: [], spline: false })).toBeNull()
  })
})

const placeOf = (built: Awaited<ReturnType<typeof build>>, n: number) => {
  built.root.updateMatrixWorld(true)
  return new Vector3().setFromMatrixPosition(built.nodes[n]!.matrixWorld).toArray()
}

describe('what moves', () => {
  it('fetches a clip when it is wanted, and only then', async () => {
    const data = jointed()
    const motion = new Motion(data, await build(data))
    const blobs = data.clips.map((clip) => clip.channels[0]!.values.blob)
    expect(fetched).not.toContain(blobs[1])
    await motion.pose([{ clip: 1, seconds: 0, share: 1 }])
    expect(fetched).toContain(blobs[1])
    expect(fetched).not.toContain(blobs[0])
  })
  it('stands at one clip, between two, and at rest again', async () => {
    const data = jointed()
    const built = await build(data)
    const motion = new Motion(data, built)
    await motion.pose([])
    expect(motion.rested).toBe(true)
    await motion.pose([{ clip: 0, seconds: 0.5, share: 1 }])
    expect(motion.rested).toBe(false)
    expect(placeOf(built, 1)[0]).toBeCloseTo(1)
    await motion.pose([
      { clip: 0, seconds: 1, share: 0.25 },
      { clip: 1, seconds: 1, share: 0.75 },
    ])
    expect(placeOf(built, 1)[0]).toBeCloseTo(2 * 0.25 - 4 * 0.75)
    await motion.pose([{ clip: 0, seconds: 9, share: 1 }])
    expect(placeOf(built, 1)[0]).toBeCloseTo(2)
    await motion.pose([])
    expect(placeOf(built, 1)).toEqual([0, 0, 0])
    expect(motion.rested).toBe(true)
    motion.put([{ joint: built.nodes[1]!.name, translation: [1, 0, 0], rotation: [0, 0, 0, 1] }])
    expect(motion.rested).toBe(false)
  })
  it('stands as it was bound, and as it rests again', async () => {
    const data = jointed()
    const built = await build(data)
    const motion = new Motion(data, built)
    const rest = placeOf(built, 2)
    await motion.pose('bind')
    expect(placeOf(built, 2)[1]).toBeCloseTo(1.5)
    const { object } = built.drawn[0]!
    const point = (object as Mesh).getVertexPosition(2, new Vector3())
    // Where it was bound no joint moves a vertex.
    expect(point.toArray()).toEqual([0, 1, 0])
    await motion.pose([])
    expect(placeOf(built, 2)).toEqual(rest)
  })
  it('hears only the last of two questions on their way', async () => {
    const data = jointed()
    const built = await build(data)
    const motion = new Motion(data, built)
    const early = motion.pose([{ clip: 0, seconds: 1, share: 1 }])
    await motion.pose([])
    expect(await early).toBe(false)
    expect(placeOf(built, 1)).toEqual([0, 0, 0])
  })
  it('meets the clips of another scene by name, and stays at rest where it has none', async () => {
    const [mine, theirs] = [jointed(), jointed()]
    theirs.clips = [theirs.clips[1]!]
    const [one, other] = [new Motion(mine, await build(mine)), new Motion(theirs, await build(theirs))]
    const moments = [{ clip: 1, seconds: 0.5, share: 1 }]
    expect(other.alike(moments, one)).toEqual([{ clip: 0, seconds: 0.5, share: 1 }])
    expect(other.alike([{ clip: 0, seconds: 0, share: 1 }], one)[0]).toMatchObject({ clip: -1 })
  })
  it('tells the keys of a joint', async () => {
    const data = jointed()
    const motion = new Motion(data, await build(data))
    expect(motion.keysOf(0, 'hips')).toEqual([])
    await motion.pose([{ clip: 0, seconds: 0, share: 1 }])
    expect(motion.keysOf(0, 'hips')).toMatchObject([{ path: 'position', spline: false }])
    expect(motion.keysOf(0, 'arm')).toEqual([])
  })
})

describe('joints', () => {
  it('are told in their tree, those that nothing follows apart', async () => {
    const joints = jointTree(await build(jointed()))
    expect(joints.map(({ name, depth, above, idle }) => [name, depth, above, idle])).toEqual([
      ['hips', 0, -1, false],
      ['arm', 1, 0, false],
      ['twist', 2, 1, true],
    ])
    expect([...withBelow(joints, new Set(['arm']))]).toEqual(['arm', 'twist'])
  })
  it('are met where they are seen, and not where they are hidden', async () => {
    const built = await build(jointed())
    const bones = new Bones(built)
    const eye = new OrthographicCamera(-2, 2, 2, -2, 0.1, 10)
    eye.position.z = 5
    eye.updateMatrixWorld(true)
    expect(bones.near(0, 0.5, eye, 1)).toBe('arm')
    expect(bones.near(0.01, 0.01, eye, 1)).toBe('hips')
    expect(bones.near(0.6, 0.9, eye, 1)).toBe('')
    bones.show(new Set(['arm']))
    expect(bones.near(0, 0.5, eye, 1)).toBe('')
  })
})

describe('playing', () => {
  const clips = [facts('walk', { seconds: 2 }), facts('run', { seconds: 1 })]
  let frames: ((now: number) => void)[]
  let stands: unknown[]
  const began = (list = clips, place = 'kept') =>
    effectScope().run(() => usePlaying(() => list, (stand) => stands.push(stand), place))! // prettier-ignore
  beforeEach(() => {
    frames = []
    stands = []
    vi.stubGlobal('requestAnimationFrame', (run: (now: number) => void) => frames.push(run))
    vi.stubGlobal('cancelAnimationFrame', () => (frames = []))
    vi.spyOn(performance, 'now').mockReturnValue(1000)
  })
  it('starts the first clip, goes on by the time between frames, and at its speed', async () => {
    const playing = began()
    playing.toggle()
    playing.speed.value = 2
    await flushPromises()
    frames.splice(0).forEach((run) => run(1100))
    await flushPromises()
    expect(stands.at(-1)).toEqual([{ clip: 0, seconds: expect.closeTo(0.2), share: 1 }])
    playing.toggle()
    await flushPromises()
    expect([playing.clock.value.running, frames.length]).toEqual([false, 0])
  })
  it('goes along two clips at the same share of their way', async () => {
    const playing = began()
    playing.choose(0)
    playing.fade('run', 0.25)
    playing.hold(1)
    await flushPromises()
    expect(stands.at(-1)).toEqual([
      { clip: 0, seconds: 1, share: 0.75 },
      { clip: 1, seconds: 0.5, share: 0.25 },
    ])
    playing.choose(1)
    await flushPromises()
    expect(stands.at(-1)).toEqual([{ clip: 1, seconds: 0, share: 1 }])
  })
  it('comes back after a reload, by name where the list has changed', async () => {
    const before = began()
    before.choose(1)
    before.speed.value = 0.5
    await flushPromises()
    const after = began([facts('new'), facts('walk'), facts('run')])
    expect([after.number.value, after.speed.value]).toEqual([2, 0.5])
    expect(began([facts('new')]).number.value).toBe(-1)
  })
  it('is not led astray by what was kept', () => {
    sessionStorage.setItem('kept', '{"clip": 3, "seconds": "x", "speed": 99, "rounds": "sideways"}')
    const playing = began()
    expect([playing.number.value, playing.clock.value.seconds, playing.speed.value, playing.rounds.value]).toEqual([
      -1,
      0,
      1,
      'loop',
    ])
    sessionStorage.setItem('kept', '{')
    expect(began().number.value).toBe(-1)
  })
  it('stands as bound until a clip plays', async () => {
    const playing = began()
    playing.bind()
    await flushPromises()
    expect(stands.at(-1)).toBe('bind')
    playing.play()
    await flushPromises()
    expect(stands.at(-1)).toEqual([{ clip: 0, seconds: 0, share: 1 }])
  })
})
