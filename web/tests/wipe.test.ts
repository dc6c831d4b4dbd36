// @vitest-environment happy-dom
import { mount } from '@vue/test-utils'
import { BoxGeometry, Group, Mesh, MeshBasicMaterial, PerspectiveCamera, Scene, type WebGLRenderer } from 'three'
import { expect, test, vi } from 'vitest'
import WipeLine from '../src/features/bench/WipeLine.vue'
import type { Built } from '../src/viewer/build'
import { boxOf, pointsOf } from '../src/viewer/extent'
import { Wipe } from '../src/viewer/wipe'

function built(): Built {
  const own = new MeshBasicMaterial()
  const object = new Mesh(new BoxGeometry(2, 2, 2), own)
  object.geometry.computeBoundingBox()
  const root = new Group().add(object)
  return { root, nodes: [], drawn: [{ object, own, node: object, parts: ['box'], matrices: [], firstFace: 0 }] }
}

// What was drawn: which of two was visible, and where.
function renderer(shown: [Built, string][]) {
  const told: unknown[] = []
  let scissor: number[] = []
  let view: number[] = []
  const casts: boolean[] = []
  const shadowMap = { needsUpdate: false }
  const made = {
    shadowMap,
    getSize: (into: { x: number; y: number }) => Object.assign(into, { x: 200, y: 100 }),
    setScissorTest: (on: boolean) => told.push(on),
    setViewport: (...numbers: number[]) => (view = numbers),
    setScissor: (...numbers: number[]) => (scissor = numbers),
    render: () => {
      casts.push(shadowMap.needsUpdate)
      shadowMap.needsUpdate = false
      told.push([...shown.filter(([one]) => one.root.visible).map(([, name]) => name), ...scissor])
    },
  }
  return { made: made as unknown as WebGLRenderer, told, casts, view: () => view }
}

test('each state is drawn on its side of the line, and only now is left visible', () => {
  const [now, before, scene] = [built(), built(), new Scene()]
  const wipe = new Wipe(scene)
  const { made, told, casts } = renderer([
    [now, 'now'],
    [before, 'before'],
  ])
  wipe.put(before)
  wipe.at = 0.25
  wipe.render(made, now, new PerspectiveCamera())
  expect(told).toEqual([true, ['before', 0, 0, 50, 100], ['now', 50, 0, 150, 100], false])
  expect([now.root.visible, before.root.visible]).toEqual([true, false])
  expect(casts).toEqual([true, true]) // each has shadows of its own
  told.length = 0
  wipe.at = 1
  wipe.render(made, now, new PerspectiveCamera())
  expect(told).toEqual([true, ['before', 0, 0, 200, 100], false])
  const gone = vi.spyOn(before.drawn[0]!.own, 'dispose')
  wipe.put(null)
  expect(gone).toHaveBeenCalled()
  expect(scene.children).toEqual([])
  told.length = 0
  wipe.render(made, now, new PerspectiveCamera())
  expect(told).toHaveLength(1)
})

test('side by side each stands in the middle of its half, and only the model itself is met', () => {
  const [now, other] = [built(), built()]
  const wipe = new Wipe(new Scene())
  const views: number[][] = []
  const { made, told, view } = renderer([
    [now, 'now'],
    [other, 'other'],
  ])
  const render = made.render.bind(made)
  made.render = (...given) => {
    views.push(view())
    render(...given)
  }
  wipe.at = null
  expect([wipe.share, wipe.seenAt(0.3, 0.1)], 'there is nothing beside it').toEqual([1, [0.3, 0.1]])
  wipe.put(other)
  wipe.render(made, now, new PerspectiveCamera())
  expect(told).toEqual([true, ['other', 0, 0, 100, 100], ['now', 100, 0, 100, 100], false])
  expect(views).toEqual([
    [-50, 0, 200, 100],
    [50, 0, 200, 100],
  ])
  expect(view(), 'the whole again').toEqual([0, 0, 200, 100])
  expect(wipe.share).toBe(0.5)
  expect(wipe.seenAt(0.75, 0.5), 'the middle of its half is the middle of the eye').toEqual([0.5, 0.5])
  expect(wipe.seenAt(0.4, 0.5)).toBeNull()
})

test('the line is moved by keys, within the viewport', async () => {
  const line = mount(WipeLine, { props: { modelValue: 0.5 } })
  const press = async (key: string) => {
    await line.trigger('keydown', { key })
    const last = line.emitted('update:modelValue')!.at(-1)![0] as number
    await line.setProps({ modelValue: last })
    return last
  }
  expect(await press('ArrowRight')).toBeCloseTo(0.52)
  expect(await press('End')).toBe(1)
  expect(await press('PageUp')).toBe(1)
  expect(await press('Home')).toBe(0)
  expect(line.attributes('aria-valuenow')).toBe('0')
  await line.trigger('keydown', { key: 'x' })
  expect(line.emitted('update:modelValue')).toHaveLength(3)
})

test('bounds and points are of what is not hidden', () => {
  const { drawn } = built()
  expect(boxOf(drawn, new Set()).max.toArray()).toEqual([1, 1, 1])
  expect([...pointsOf(drawn, new Set())]).toHaveLength(24)
  expect(boxOf(drawn, new Set(['box'])).max.toArray()).toEqual([0.5, 1, 0.5])
  expect([...pointsOf(drawn, new Set(['box']))]).toEqual([])
})
