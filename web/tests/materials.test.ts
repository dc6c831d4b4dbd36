import {
  BackSide,
  DoubleSide,
  FrontSide,
  InstancedMesh,
  Mesh,
  MeshBasicMaterial,
  MeshPhysicalMaterial,
  MeshStandardMaterial,
  ShaderLib,
  type Material,
  type Texture,
} from 'three'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { build } from '../src/viewer/build'
import { hasBacks, showBacks } from '../src/viewer/backs'
import { channelMaterial } from '../src/viewer/channels'
import { Dress } from '../src/viewer/dress'
import { materialFor } from '../src/viewer/looks'
import type { MaterialData, PrimitiveData, SceneData, TextureRef } from '../src/viewer/manifest'
import { material } from '../src/viewer/materials'
import { PLAIN, array, mesh, node, scene, stored, triangle } from './stored'

let decoded = 0
beforeEach(() => {
  decoded = 0
  vi.stubGlobal('fetch', async (url: string) => {
    const data = stored.get(url.split('/').at(-1)!)
    return data ? new Response(data) : new Response('', { status: 404 })
  })
  vi.stubGlobal('createImageBitmap', async () => ({ width: 2, height: 2, number: ++decoded }))
})

const ref = (texture: number, more: Partial<TextureRef> = {}): TextureRef => ({
  texture,
  uv_set: 0,
  offset: [0, 0],
  rotation_rad: 0,
  scale: [1, 1],
  ...more,
})
const of = (data: Partial<MaterialData>, how = { colored: false, tangents: true }) =>
  material(scene({ materials: [{ ...PLAIN, ...data }] }), 0, how)

describe('a material', () => {
  it('has the factors that the scene has', async () => {
    const made = (await of({})) as MeshStandardMaterial
    expect(made).toBeInstanceOf(MeshStandardMaterial)
    expect([made.metalness, made.roughness]).toEqual([0.4, 0.6])
    expect(made.color.toArray()).toEqual([0.5, 0.25, 0.1])
    expect(made.side).toBe(FrontSide)
  })
  it.each([
    ['OPAQUE', { opacity: 1, transparent: false, alphaTest: 0 }],
    ['MASK', { opacity: 0.75, transparent: false, alphaTest: 0.5 }],
    ['BLEND', { opacity: 0.75, transparent: true, alphaTest: 0, depthWrite: false }],
  ] as const)('that is %s lets through what it says', async (alpha_mode, wanted) => {
    expect(await of({ alpha_mode })).toMatchObject(wanted)
  })
  it('without light is flat, and on both sides where it says so', async () => {
    expect(await of({ unlit: true })).toBeInstanceOf(MeshBasicMaterial)
    expect((await of({ double_sided: true })).side).toBe(DoubleSide)
  })
  it('with layers is a layered one', async () => {
    const made = (await of({
      clearcoat: { factor: 0.8, roughness: 0.1, texture: null, normal_texture: null },
      ior: 1.8,
    })) as MeshPhysicalMaterial
    expect(made).toBeInstanceOf(MeshPhysicalMaterial)
    expect([made.clearcoat, made.clearcoatRoughness, made.ior]).toEqual([0.8, 0.1, expect.closeTo(1.8)])
  })
  it('whose colour is lost is hatched, and carries the name', async () => {
    const { hatchedPaper, lostColor } = await import('../src/viewer/hatch')
    const gap = (slot: string) => ({ ...PLAIN, unresolved: [{ slot, name: 'tex/rust_c.dds', why: 'gone' }] })
    expect(lostColor(gap('base_color'))).toBe('tex/rust_c.dds')
    expect(lostColor(gap('material'))).toBe('tex/rust_c.dds')
    expect(lostColor(gap('normal'))).toBeNull()
    expect(lostColor(PLAIN)).toBeNull()
    expect(lostColor({ ...gap('base_color'), base_color_texture: ref(0) })).toBeNull()
    vi.stubGlobal('document', { createElement: () => ({ getContext: () => null }) })
    expect(hatchedPaper('a')).toBe(hatchedPaper('a'))
    expect(hatchedPaper('a')).not.toBe(hatchedPaper('b'))
    vi.unstubAllGlobals()
  })
  it('that is none is a plain grey', async () => {
    const made = (await material(scene(), null, { colored: true, tangents: true })) as MeshStandardMaterial
    expect(made.vertexColors).toBe(true)
    expect(made.metalness).toBe(0)
  })
  it('turns its normal map around where the library works tangents out by itself', async () => {
    const given = (await of({ normal_texture: ref(0) }, { colored: false, tangents: true })) as MeshStandardMaterial
    const worked = (await of({ normal_texture: ref(0) }, { colored: false, tangents: false })) as MeshStandardMaterial
    expect(worked.normalScale.y).toBe(-given.normalScale.y)
  })
})

describe('textures', () => {
  it('are read as they are used: colours as colours, the rest as numbers', async () => {
    const made = (await of({
      base_color_texture: ref(0, { uv_set: 1, offset: [0.25, 0.5], scale: [2, 3], rotation_rad: 0.5 }),
      normal_texture: ref(1),
    })) as MeshStandardMaterial
    const [base, normal] = [made.map as Texture, made.normalMap as Texture]
    expect([base.colorSpace, normal.colorSpace]).toEqual(['srgb', ''])
    expect([base.channel, base.offset.toArray(), base.repeat.toArray(), base.rotation]).toEqual([
      1,
      [0.25, 0.5],
      [2, 3],
      0.5,
    ])
    expect([base.flipY, base.wrapS, normal.wrapS]).toEqual([false, 1000, 1001])
    expect([normal.magFilter, base.generateMipmaps]).toEqual([1003, true])
  })
  it('are decoded once for each picture and made once for each use', async () => {
    const twice = await Promise.all([of({ emissive_texture: ref(0) }), of({ emissive_texture: ref(0) })])
    const [one, other] = twice as [MeshStandardMaterial, MeshStandardMaterial]
    expect(one.emissiveMap).toBe(other.emissiveMap)
    expect(decoded).toBeLessThanOrEqual(1)
  })
  it('that a browser cannot show are left out', async () => {
    expect(((await of({ base_color_texture: ref(2) })) as MeshStandardMaterial).map).toBeNull()
    expect(((await of({ base_color_texture: ref(9) })) as MeshStandardMaterial).map).toBeNull()
  })
})

describe('what is drawn', () => {
  it('is drawn at once where a mesh stands often, mirrored ones apart', async () => {
    const nodes = [0, 1, 2, 3, 4, 5].map((n) => node(`n${n}`, { scale: [n % 3 ? 1 : -1, 1, 1] }))
    const built = await build(scene({ nodes, roots: [0, 1, 2, 3, 4, 5], meshes: [mesh(triangle())] }))
    expect(built.drawn.map((d) => [d.object instanceof InstancedMesh, d.parts])).toEqual([
      [true, ['n1', 'n2', 'n4', 'n5']],
      [true, ['n0', 'n3']],
    ])
  })
  it('stands alone where it is moved by a clip', async () => {
    const nodes = [0, 1, 2, 3, 4].map((n) => node(`n${n}`))
    const times = array(new Float32Array([0, 1]), 1, '<f4')
    const values = array(new Float32Array([0, 0, 0, 1, 1, 1]), 3, '<f4')
    const clips = [
      {
        name: 'c',
        channels: [{ node: 2, path: 'translation' as const, times, values, interpolation: 'LINEAR' as const }],
        shown: [],
        looks: [],
      },
    ]
    const built = await build(scene({ nodes, roots: [0, 1, 2, 3, 4], meshes: [mesh(triangle())], clips }))
    const alone = built.drawn.filter((d) => !(d.object instanceof InstancedMesh)).map((d) => d.parts)
    expect(alone).toEqual([['n2']])
  })
  it('is only what hangs on the roots', async () => {
    const built = await build(scene({ nodes: [node('seen'), node('unseen')], roots: [0], meshes: [mesh(triangle())] }))
    expect(built.drawn.flatMap((d) => d.parts)).toEqual(['seen'])
  })
  it('shares one geometry between scenes that hold the same arrays', async () => {
    const shared = triangle()
    const make = () => build(scene({ nodes: [node('a')], roots: [0], meshes: [mesh(shared)] }))
    const [one, other] = [await make(), await make()]
    expect(one.drawn[0]!.object.geometry).toBe(other.drawn[0]!.object.geometry)
    expect(one.drawn[0]!.object).not.toBe(other.drawn[0]!.object)
  })
  it('says what is no longer stored', async () => {
    const lost = triangle({ positions: { blob: 'gone', dtype: '<f4', shape: [3, 3] } })
    await expect(build(scene({ nodes: [node('a')], roots: [0], meshes: [mesh(lost)] }))).rejects.toThrow(
      'no longer stored',
    )
  })
})

describe('looks', () => {
  const drawn = async (
    data: Partial<MaterialData>,
    more: Partial<PrimitiveData> = {},
    skins: SceneData['skins'] = [],
  ) => {
    const nodes = [node('a', { skin: skins.length ? 0 : null })]
    const built = await build(
      scene({
        nodes,
        roots: [0],
        meshes: [mesh(triangle({ material: 0, ...more }))],
        materials: [{ ...PLAIN, ...data }],
        skins,
      }),
    )
    return built.drawn[0]!
  }
  // What the card is told to draw of a material, as the library asks for it.
  function fragment(made: Material): string {
    const basic = made instanceof MeshBasicMaterial
    const shader = { fragmentShader: (basic ? ShaderLib.basic : ShaderLib.standard).fragmentShader, uniforms: {} }
    made.onBeforeCompile(shader as never, null as never)
    return shader.fragmentShader
  }
  it('hatch the backs of what has one side, and only those', async () => {
    const all = [await drawn({}), await drawn({ double_sided: true }), await drawn({ alpha_mode: 'BLEND' })]
    expect(all.map(hasBacks)).toEqual([true, false, false])
    const dress = new Dress(
      () => all,
      () => {},
    )
    const sides = () => all.map(({ object }) => (object.material as Material).side)
    const hatched = () => all.map(({ object }) => fragment(object.material as Material).includes('gl_FrontFacing) {'))
    for (const look of ['textured', 'flat', 'roughness'] as const) {
      dress.setLook(look)
      dress.setBacks('hatched')
      expect(sides()[0]).toBe(DoubleSide)
      expect(hatched()).toEqual([true, false, false])
      const key = (all[0]!.object.material as Material).customProgramCacheKey()
      dress.setBacks('both')
      expect(sides()[0]).toBe(DoubleSide)
      expect(hatched()).toEqual([false, false, false])
      // Else the library would take the one for the other.
      expect((all[0]!.object.material as Material).customProgramCacheKey()).not.toBe(key)
      dress.setBacks('hidden')
      expect(sides()).toEqual([FrontSide, DoubleSide, look === 'flat' ? DoubleSide : FrontSide])
    }
    dress.setBacks('hatched')
    dress.setLook('sides')
    expect(hatched()).toEqual([false, false, false])
    expect(sides()).toEqual([DoubleSide, DoubleSide, DoubleSide])
    dress.setLook('textured')
    expect(hatched()).toEqual([true, false, false])
  })
  it('keep hatched backs apart from what a channel shows, and cast the same shadow', async () => {
    const one = await drawn({})
    const shown = channelMaterial('roughness', one, '')
    const before = fragment(shown)
    showBacks(shown, 'hatched')
    const lines = new Set(fragment(shown).split('\n'))
    expect(before.split('\n').every((line) => lines.has(line))).toBe(true)
    expect(shown.shadowSide).toBe(BackSide)
    const version = shown.version
    showBacks(shown, 'hatched')
    expect(shown.version).toBe(version)
    showBacks(shown, 'hidden')
    expect(fragment(shown)).toBe(before)
  })
  it('replace materials and give them back', async () => {
    const one = await drawn({})
    expect(materialFor('textured', one, '')).toBe(one.own)
    expect(materialFor('wire', one, '')).toMatchObject({ wireframe: true })
    expect(materialFor('flat', one, '')).not.toBe(one.own)
    expect(one.object).toBeInstanceOf(Mesh)
  })
})
