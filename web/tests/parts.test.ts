// @vitest-environment happy-dom
import { mount } from '@vue/test-utils'
import {
  Bone,
  BoxGeometry,
  BufferAttribute,
  Group,
  InstancedMesh,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  PerspectiveCamera,
  Skeleton,
  SkinnedMesh,
} from 'three'
import { expect, test } from 'vitest'
import type { Part } from '../src/api/client'
import PartsPanel from '../src/features/bench/PartsPanel.vue'
import { toggled } from '../src/model/parts'
import type { Drawn } from '../src/viewer/build'
import { ChosenFaces } from '../src/viewer/chosen'
import { jointsOf, partsOf, partsWithin } from '../src/viewer/parts'

const own = new MeshBasicMaterial()
const WHOLE = { left: -1, right: 1, top: 1, bottom: -1 }

function box(part: string, x: number, mesh = new Mesh(new BoxGeometry(1, 1, 1), own)): Drawn {
  mesh.position.x = x
  mesh.updateMatrixWorld()
  return { object: mesh, own, node: mesh, parts: [part], matrices: [], firstFace: 0 }
}
function eye(): PerspectiveCamera {
  const made = new PerspectiveCamera(60, 1, 0.1, 100)
  made.position.z = 10
  made.updateMatrixWorld()
  return made
}
// A box that its only joint takes three metres to the right of where its node stands.
function carried(part: string): Drawn {
  const geometry = new BoxGeometry(1, 1, 1)
  const { count } = geometry.getAttribute('position')
  geometry.setAttribute('skinIndex', new BufferAttribute(new Uint16Array(count * 4), 4))
  geometry.setAttribute('skinWeight', new BufferAttribute(new Float32Array(count * 4).fill(0.25), 4))
  const mesh = new SkinnedMesh(geometry, own)
  const bone = new Bone()
  bone.name = 'hip'
  mesh.add(bone)
  mesh.bind(new Skeleton([bone]))
  bone.position.x = 3
  mesh.updateMatrixWorld(true)
  mesh.skeleton.update()
  return box(part, 0, mesh)
}

test('a further choice adds, and takes away what is chosen already', () => {
  expect(toggled([], ['a'])).toEqual(['a'])
  expect(toggled(['a'], ['b', 'a'])).toEqual(['a', 'b'])
  expect(toggled(['a', 'b', 'c'], ['c', 'a'])).toEqual(['b'])
  expect(toggled(['a'], [])).toEqual(['a'])
})

test('a frame chooses what lies wholly in it and is in sight', () => {
  const drawn = [box('left', -3), box('middle', 0), box('right', 3), box('behind', 0)]
  drawn[3]!.object.position.z = 30
  drawn[3]!.object.updateMatrixWorld()
  const within = (sides: typeof WHOLE, hidden: string[] = []) => partsWithin(drawn, new Set(hidden), eye(), sides)
  expect(within(WHOLE)).toEqual(['left', 'middle', 'right'])
  expect(within(WHOLE, ['middle'])).toEqual(['left', 'right'])
  expect(within({ ...WHOLE, right: 0.2 })).toEqual(['left', 'middle'])
  expect(within({ ...WHOLE, right: 0.05 }), 'half of the middle is no part').toEqual(['left'])
  expect(within({ ...WHOLE, top: 0.01 })).toEqual([])
})

test('a part of two surfaces is in the frame only with both; one that joints carry is where they take it', () => {
  const parts = [box('pair', 0), box('pair', 3), carried('swimmer')]
  const left = { ...WHOLE, right: 0.2 }
  expect(partsWithin(parts, new Set(), eye(), left)).toEqual([])
  expect(partsWithin(parts, new Set(), eye(), { ...WHOLE, left: 0.2 })).toEqual(['swimmer'])
  expect(partsOf(parts)).toEqual(['pair', 'swimmer'])
  expect(jointsOf(parts)).toEqual(['hip'])
})

test('chosen parts are laid over in their own shape, which stays when they are no longer', () => {
  const many = new InstancedMesh(new BoxGeometry(), own, 2)
  const at = [new Matrix4().makeTranslation(1, 0, 0), new Matrix4().makeTranslation(2, 0, 0)]
  const drawn = [box('a', 0), { ...box('b1', 0, many), parts: ['b1', 'b2'], matrices: at }]
  const gone: string[] = []
  drawn.forEach((one) => one.object.geometry.addEventListener('dispose', () => gone.push(one.parts[0]!)))
  const chosen = new ChosenFaces()
  const root = new Group().add(...drawn.map((one) => one.object))
  chosen.mark(drawn, [], ['a', 'b2'])
  const laid = drawn.map((one) => one.object.children as Mesh[])
  expect(laid.map((some) => some.length)).toEqual([1, 1])
  expect(laid[0]![0]!.geometry).toBe(drawn[0]!.object.geometry)
  root.updateMatrixWorld()
  expect(laid[1]![0]!.matrixWorld.elements[12], 'the second of the two').toBe(2)
  chosen.mark(drawn, [{ part: 'a', faces: '0-1' }], [])
  const [some] = drawn[0]!.object.children as Mesh[]
  expect(some!.geometry.index!.count).toBe(6)
  let ended = 0
  some!.geometry.addEventListener('dispose', () => (ended += 1))
  chosen.clear()
  expect([drawn[0]!.object.children.length, gone, ended]).toEqual([0, [], 1])
})

const part = (name: string, material: string): Part =>
  ({
    name,
    material: undefined,
    materials: [material],
    triangles: 10,
    vertices: 12,
    size: [1, 0.5, 0.002],
    role: 'visual',
    detail: 0,
  }) as unknown as Part
const PARTS = [...Array(9).keys()].map((n) => part(`p${n}`, n % 2 ? 'bark' : 'leaf'))

function panel(chosen: string[]) {
  return mount(PartsPanel, { props: { parts: PARTS, chosen, hidden: new Set<string>() } })
}

test('the list chooses one, more with Shift, a whole group, or what was found', async () => {
  const shown = panel([])
  await shown.get('[data-choose=p3]').trigger('click')
  await shown.get('[data-choose=p4]').trigger('click', { shiftKey: true })
  await shown.get('[data-test=group-parts]').setValue('material')
  await shown.findAll('[data-test=choose-group]')[1]!.trigger('click')
  await shown.get('[data-test=find-parts]').setValue('p*')
  await shown.get('[data-test=choose-found]').trigger('click')
  const all = ['p0', 'p2', 'p4', 'p6', 'p8', 'p1', 'p3', 'p5', 'p7']
  expect(shown.emitted('choose')).toEqual([
    [['p3'], false],
    [['p4'], true],
    [['p1', 'p3', 'p5', 'p7'], false],
    [all, false],
  ])
})

test('what is told of one part, and of several', async () => {
  expect(panel(['p1']).text()).toContain('1.00 m × 50.0 cm × 2.00 mm')
  const several = panel(['p1', 'p2'])
  expect(several.get('[data-test=chosen-parts]').text()).toMatch(/2 parts chosen\s*20/)
  await several.get('[data-test=chosen-parts] button[title*="(o)"]').trigger('click')
  expect(several.emitted('putAway')).toHaveLength(1)
  expect(several.findAll('[aria-pressed=true]').map((one) => one.text())).toEqual(['p1', 'p2'])
})
