// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { BoxGeometry, InstancedMesh, Matrix4, Mesh, MeshBasicMaterial, PerspectiveCamera, Vector3 } from 'three'
import { beforeEach, expect, test, vi } from 'vitest'
import { api, type Part } from '../src/api/client'
import { useFaces } from '../src/composables/useFaces'
import FacesField from '../src/features/bench/FacesField.vue'
import { cornersOf, faceCount, holds, rangesOf } from '../src/model/faces'
import { fieldsOf } from '../src/model/form'
import { hideParts, type Drawn } from '../src/viewer/build'
import { ChosenFaces } from '../src/viewer/chosen'
import { clipRows, turnAbout } from '../src/viewer/eye'
import { meet } from '../src/viewer/meet'

test('numbers and ranges are read, whatever stands around them', () => {
  expect(rangesOf('0-11, 40,  7 ')).toEqual([
    [0, 11],
    [40, 40],
    [7, 7],
  ])
  expect(rangesOf('')).toEqual([])
  expect(holds('0-11, 40', 40)).toBe(true)
  expect(holds('0-11, 40', 12)).toBe(false)
  expect(
    faceCount([
      { part: 'a', faces: '0-11, 40' },
      { part: 'b', faces: '' },
    ]),
  ).toBe(13)
})

test('corners are those of the faces that a surface has', () => {
  const index = [...Array(12).keys()]
  expect([...cornersOf(index, '5-6, 13', 5)]).toEqual([0, 1, 2, 3, 4, 5])
  expect([...cornersOf(index, '0-4', 5)]).toEqual([])
  expect([...cornersOf(index, '7-99', 5)]).toEqual([6, 7, 8, 9, 10, 11])
})

const box = (
  parts: string[],
  firstFace = 0,
  object: Mesh = new Mesh(new BoxGeometry(), new MeshBasicMaterial()),
): Drawn => ({
  object,
  own: object.material as MeshBasicMaterial,
  node: object,
  parts,
  matrices: [],
  firstFace,
})

test('chosen faces are laid over what they belong to, and go again', () => {
  const one = box(['a'], 100)
  const laid = new ChosenFaces()
  laid.mark([one, box(['b'])], [{ part: 'a', faces: '101-102' }], [])
  const [over] = one.object.children as Mesh[]
  expect(over!.geometry.index!.count).toBe(6)
  expect(over!.geometry.attributes.position).toBe(one.object.geometry.attributes.position)
  expect(laid.mark([one], [{ part: 'a', faces: '0-5' }], [])).toBe(true)
  expect(one.object.children).toEqual([])
  // Nothing was there and nothing is: nothing need be drawn.
  expect(laid.mark([one], [], [])).toBe(false)
})

test('what is put out of sight or brought back is told, and only that', () => {
  const alone = box(['a'])
  expect(hideParts(alone, new Set(['b']))).toBe(false)
  expect(hideParts(alone, new Set(['a']))).toBe(true)
  expect(alone.object.visible).toBe(false)
  expect(hideParts(alone, new Set(['a', 'b']))).toBe(false)

  const many = new InstancedMesh(new BoxGeometry(), new MeshBasicMaterial(), 2)
  // No single float is a third: places are not kept to the last digit.
  const matrices = [new Matrix4().makeScale(1 / 3, 1, -1), new Matrix4().makeTranslation(4, 0.1, 0)]
  matrices.forEach((place, n) => many.setMatrixAt(n, place))
  const both = { ...box(['a', 'b'], 0, many), matrices }
  const at = (n: number) => {
    const found = new Matrix4()
    many.getMatrixAt(n, found)
    return found
  }
  expect(hideParts(both, new Set())).toBe(false)
  expect(hideParts(both, new Set(['b']))).toBe(true)
  expect(at(1).determinant()).toBe(0)
  expect(at(0).elements[0]).toBeCloseTo(1 / 3)
  expect(hideParts(both, new Set(['b']))).toBe(false)
  expect(hideParts(both, new Set())).toBe(true)
  expect(at(1).elements[12]).toBe(4)
})

test('of instances only the chosen one is marked, where it stands', () => {
  const many = new InstancedMesh(new BoxGeometry(), new MeshBasicMaterial(), 2)
  const places = [new Matrix4(), new Matrix4().makeTranslation(4, 0, 0)]
  places.forEach((place, n) => many.setMatrixAt(n, place))
  const one = { ...box(['a', 'b'], 0, many), matrices: places }
  new ChosenFaces().mark([one], [{ part: 'b', faces: '0' }], [])
  expect(new Vector3().setFromMatrixPosition((many.children[0] as Mesh).matrix).x).toBe(4)
})

test('what is met first is a face by its number, and not of what is hidden', () => {
  const eye = new PerspectiveCamera(40, 1)
  eye.position.set(0, 0, 5)
  eye.updateMatrixWorld()
  const back = box(['far'], 30)
  back.object.position.set(0, 0, -3)
  back.object.updateMatrixWorld()
  const drawn = [back, box(['near'], 12)]
  const front = meet(drawn, new Set(), eye, [0.51, 0.5])
  expect(front?.part).toBe('near')
  expect(front!.face).toBeGreaterThanOrEqual(12 + 8)
  expect(front!.face).toBeLessThan(12 + 10)
  expect(meet(drawn, new Set(['near']), eye, [0.5, 0.5])?.part).toBe('far')
  expect(meet(drawn, new Set(), eye, [0.01, 0.01])).toBeNull()
})

test('clip space is told by rows, and going around keeps the distance', () => {
  const eye = new PerspectiveCamera(40, 1, 1, 100)
  eye.position.set(1, 2, 5)
  const rows = clipRows(eye)
  const point = new Vector3(0.3, 1.7, -4)
  const told = [0, 1, 3].map(
    (r) => rows[4 * r]! * 0.3 + rows[4 * r + 1]! * 1.7 + rows[4 * r + 2]! * -4 + rows[4 * r + 3]!,
  )
  const shown = point.project(eye)
  expect(told[0]! / told[2]!).toBeCloseTo(shown.x)
  expect(told[1]! / told[2]!).toBeCloseTo(shown.y)
  turnAbout(eye, new Vector3(), 0.7)
  expect(eye.position.length()).toBeCloseTo(Math.hypot(1, 2, 5))
})

test('a list of faces makes a field of its own', () => {
  const [field] = fieldsOf({ properties: { faces: { type: 'array', format: 'faces', default: [], items: {} } } })
  expect(field).toMatchObject({ kind: 'faces', start: [] })
})

const parts = [{ name: 'hull', triangles: 40 }] as Part[]
beforeEach(() => {
  useFaces().end()
  useFaces().clear()
})

test('faces are chosen by clicks one after the other, grown, written and taken back', async () => {
  const asked: unknown[] = []
  vi.spyOn(api, 'chooseFaces').mockImplementation(async (scene, wanted) => {
    asked.push([scene, wanted.at ?? wanted.window, wanted.grow, wanted.take_away, wanted.chosen])
    return [{ part: 'hull', faces: wanted.take_away ? '3' : '3-4', count: 2 }]
  })
  const field = mount(FacesField, { props: { modelValue: [], scene: 's', parts, path: 'p' } })
  await field.get('[data-test=choose-faces]').trigger('click')
  const faces = useFaces()
  expect(faces.shownScene.value).toBe('s')
  void faces.at('hull', 3)
  void faces.at('hull', 4)
  await flushPromises()
  expect(field.emitted('update:modelValue')!.at(-1)).toEqual([[{ part: 'hull', faces: '3-4' }]])
  await field.setProps({ modelValue: [{ part: 'hull', faces: '3-4' }] })
  expect(field.get('[data-test=faces-chosen]').text()).toBe('2 chosen')
  void faces.at('hull', 4)
  await flushPromises()
  expect(asked.at(-1)).toEqual([
    's',
    { part: 'hull', face: 4 },
    'what is level',
    true,
    [{ part: 'hull', faces: '3-4' }],
  ])
  await field
    .findAll('button')
    .find((one) => one.text() === 'Pieces')!
    .trigger('click')
  await flushPromises()
  expect(asked.at(-1)).toEqual(['s', undefined, 'the whole piece', false, [{ part: 'hull', faces: '3' }]])
  await field.get('[data-test=all-of]').setValue('hull')
  await field.get('[data-test=add-all]').trigger('click')
  expect(field.emitted('update:modelValue')!.at(-1)).toEqual([[{ part: 'hull', faces: '0-39' }]])
  await field.get('[data-test=choose-faces]').trigger('click')
  expect(faces.active.value).toBe(false)
})

test('why a click chose nothing is said, and the next one goes on', async () => {
  const answer = vi.spyOn(api, 'chooseFaces')
  answer.mockRejectedValueOnce(new Error('scattered'))
  const faces = useFaces()
  faces.begin('s', [])
  await faces.at('hull', 1)
  expect(String(faces.error.value)).toContain('scattered')
  answer.mockResolvedValueOnce([{ part: 'hull', faces: '1', count: 1 }])
  await faces.inWindow({ clip_from_world: [], left: 0, right: 1, top: 1, bottom: 0 }, ['hull'], false)
  expect(faces.error.value).toBeNull()
  expect(faces.chosen.value).toEqual([{ part: 'hull', faces: '1' }])
})
