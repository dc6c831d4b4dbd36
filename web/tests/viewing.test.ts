// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import {
  Bone,
  Box3,
  BoxGeometry,
  BufferAttribute,
  DoubleSide,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  NoColorSpace,
  OrthographicCamera,
  PerspectiveCamera,
  Scene,
  Skeleton,
  SkinnedMesh,
  SRGBColorSpace,
  Texture,
  Vector3,
  type Material,
} from 'three'
import { afterEach, describe, expect, it } from 'vitest'
import ViewLegend from '../src/features/bench/ViewLegend.vue'
import ViewMenu from '../src/features/bench/ViewMenu.vue'
import { AT_FIRST, kept } from '../src/model/viewing'
import type { Drawn } from '../src/viewer/build'
import { BANDS, channelMaterial, CHANNELS } from '../src/viewer/channels'
import { FROM, parallelEye } from '../src/viewer/eye'
import { Guides, PERSON, squareFor } from '../src/viewer/guides'
import { isShared, materialFor, wireOf } from '../src/viewer/looks'

function drawn(own: Material = new MeshStandardMaterial(), mesh = new Mesh(new BoxGeometry(), own)): Drawn {
  return { object: mesh, own, node: mesh, parts: ['a'], matrices: [], firstFace: 0 }
}
interface Shader {
  uniforms: Record<string, { value: unknown }>
  vertexShader: string
  fragmentShader: string
}
// What the library would compile.
function compiled(material: Material): Shader {
  const shader: Shader = {
    uniforms: {},
    vertexShader: '#include <skinbase_vertex>\nvoid main() {\n#include <skinbase_vertex>\n}',
    fragmentShader: 'void main() {\n#include <map_fragment>\n}',
  }
  material.onBeforeCompile(shader as never, undefined as never)
  return shader
}

describe('one channel', () => {
  it.each(CHANNELS.map(([name]) => name))('%s is drawn for anything, and not by the material itself', (name) => {
    const things = [drawn(), drawn(new MeshBasicMaterial()), drawn(new MeshStandardMaterial({ side: DoubleSide }))]
    for (const thing of things) {
      const made = channelMaterial(name, thing, 'no such joint')
      expect(made).not.toBe(thing.own)
      expect(isShared(made)).toBe(false)
      if (name !== 'sides') expect(made.side).toBe(thing.own.side)
    }
  })
  it('of numbers takes them as they stand in the file', () => {
    const map = new Texture()
    const own = new MeshStandardMaterial({ roughness: 0.5, metalness: 0.25, roughnessMap: map, metalnessMap: map })
    const rough = compiled(channelMaterial('roughness', drawn(own), ''))
    expect(rough.uniforms.factor!.value).toBe(0.5)
    expect(rough.fragmentShader).toContain('texel.g')
    expect(compiled(channelMaterial('metalness', drawn(own), '')).fragmentShader).toContain('texel.b')
    const colored = new Texture()
    colored.colorSpace = SRGBColorSpace
    const clear = channelMaterial('opacity', drawn(new MeshStandardMaterial({ map: colored, opacity: 0.5 })), '')
    expect((clear as MeshBasicMaterial).map!.colorSpace).toBe(NoColorSpace)
    expect(colored.colorSpace).toBe(SRGBColorSpace)
  })
  it('that a thing has nothing of is one plain colour', () => {
    const bare = drawn()
    bare.object.geometry.deleteAttribute('uv')
    for (const name of ['checker', 'density', 'colors', 'occlusion'] as const)
      expect((channelMaterial(name, bare, '') as MeshStandardMaterial).color.getHexString()).toBe('b8b1a4')
    bare.object.geometry.setAttribute('color', new BufferAttribute(new Float32Array(96), 4))
    expect((channelMaterial('colors', bare, '') as MeshBasicMaterial).vertexColors).toBe(true)
  })
  it('weights follow the joint that is named', () => {
    const bones = ['hip', 'knee'].map((name) => Object.assign(new Bone(), { name }))
    const skinned = new SkinnedMesh(new BoxGeometry(), new MeshStandardMaterial())
    skinned.bind(new Skeleton(bones, [new Matrix4(), new Matrix4()]))
    const made = compiled(channelMaterial('weights', drawn(skinned.material as Material, skinned), 'knee'))
    expect(made.uniforms.joint!.value).toBe(1)
    expect(made.vertexShader).toContain('skinWeight')
  })
  it('bands of density go from coarse to fine', () => {
    const limits = BANDS.map(([most]) => most)
    expect([...limits].sort((a, b) => a - b)).toEqual(limits)
    expect(limits.at(-1)).toBe(Infinity)
  })
  it('gives back what is its own, and lines lie over any look', () => {
    const thing = drawn()
    expect(materialFor('textured', thing, '')).toBe(thing.own)
    expect(isShared(materialFor('flat', thing, ''))).toBe(true)
    expect(wireOf(thing)!.parent).toBe(thing.object)
  })
})

describe('guides', () => {
  it.each([
    [0.001, 0.001],
    [0.9, 1],
    [1.2, 1],
    [30, 10],
    [4000, 1000],
  ])('a model of radius %d has squares of %d m', (radius, square) => expect(squareFor(radius)).toBeCloseTo(square))
  it('measure between two points, and stand on the ground', () => {
    const scene = new Scene()
    const guides = new Guides(scene)
    expect(guides.distance).toBeNull()
    guides.measure([new Vector3(0, 0, 0), new Vector3(3, 4, 0)])
    expect(guides.distance).toBe(5)
    guides.measure([new Vector3()])
    expect(guides.distance).toBeNull()
    guides.place(new Box3(new Vector3(-1, 0.25, -1), new Vector3(1, 2, 1)))
    guides.show({ grid: true, person: true })
    guides.measure([])
    scene.updateMatrixWorld(true)
    const seen = new Box3()
    scene.traverseVisible((object) => {
      if (object instanceof Mesh) seen.expandByObject(object)
    })
    expect(seen.min.y).toBeCloseTo(0.25)
    expect(seen.max.y - seen.min.y).toBeCloseTo(PERSON, 1)
    expect(seen.max.x).toBeLessThan(-1)
  })
})

describe('eyes', () => {
  it('without perspective show at the target what those with it show', () => {
    const camera = new PerspectiveCamera(34, 1.6, 0.1, 100)
    camera.position.set(3, 4, 5)
    const target = new Vector3(0, 1, 0)
    camera.lookAt(target)
    camera.updateMatrixWorld(true)
    const flat = parallelEye(camera, target, new OrthographicCamera())
    const right = new Vector3(1, 0, 0).applyQuaternion(camera.quaternion)
    const up = new Vector3(0, 1, 0).applyQuaternion(camera.quaternion)
    for (const [x, y] of [
      [0, 0],
      [0.7, -0.2],
      [-1, 1],
    ] as const) {
      const point = target.clone().addScaledVector(right, x).addScaledVector(up, y)
      const [a, b] = [point.clone().project(camera), point.clone().project(flat)]
      expect(a.x).toBeCloseTo(b.x, 5)
      expect(a.y).toBeCloseTo(b.y, 5)
    }
  })
  it('look from six sides', () => {
    for (const from of Object.values(FROM)) expect(new Vector3(...from).length()).toBeCloseTo(1)
    expect(new Set(Object.values(FROM).map(String)).size).toBe(6)
  })
})

describe('how a viewport shows things', () => {
  afterEach(() => (document.body.innerHTML = ''))
  it('is kept, whatever was kept', () => {
    expect(kept(null)).toEqual(AT_FIRST)
    expect(kept('textured')).toEqual(AT_FIRST)
    expect(kept(JSON.stringify({ grid: true })).grid).toBe(true)
  })
  it('is chosen in a menu', async () => {
    const wrapper = mount(ViewMenu, { attachTo: document.body, props: { modelValue: AT_FIRST } })
    await wrapper.get('[data-test=view-menu]').trigger('click')
    await flushPromises()
    await wrapper.get('[data-test=view-grid]').trigger('change')
    await wrapper.get('[data-test=view-backs]').setValue('both')
    await wrapper.get('[data-test=from-above]').trigger('click')
    expect(wrapper.emitted('update:modelValue')).toEqual([
      [{ ...AT_FIRST, grid: true }],
      [{ ...AT_FIRST, grid: true, backs: 'both' }],
    ])
    expect(wrapper.emitted('from')).toEqual([['above']])
    await wrapper.get('[data-test=measure]').trigger('click')
    await flushPromises()
    expect(wrapper.emitted('measure')).toHaveLength(1)
    expect(wrapper.find('[data-test=view-panel]').exists()).toBe(false)
  })
  it('is explained beside it', async () => {
    const props = {
      modelValue: { ...AT_FIRST, look: 'density' as const },
      joints: ['hip'],
      square: 1,
      measuring: false,
      distance: null,
    }
    const wrapper = mount(ViewLegend, { props })
    expect(wrapper.text()).toContain('more than 2048')
    await wrapper.setProps({ modelValue: { ...AT_FIRST, look: 'weights' } })
    await wrapper.get('[data-test=joint]').setValue('hip')
    expect(wrapper.emitted('update:modelValue')![0]).toEqual([{ ...AT_FIRST, look: 'weights', joint: 'hip' }])
    await wrapper.setProps({ joints: [], measuring: true, distance: 2.5 })
    expect(wrapper.text()).toContain('No joints hold this model.')
    expect(wrapper.get('[data-test=distance]').text()).toBe('2.50 m')
  })
})
