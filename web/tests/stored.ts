// Scenes as the server stores them, in small.
import type { ArrayRef, MaterialData, NodeData, PrimitiveData, SceneData } from '../src/viewer/manifest'

export const stored = new Map<string, ArrayBuffer>()
let numbers = 0
export function array(values: Float32Array | Uint32Array | Uint16Array, width: number, dtype: string): ArrayRef {
  const blob = `blob${numbers++}`
  stored.set(blob, values.slice().buffer as ArrayBuffer)
  return { blob, dtype, shape: [values.length / width, width] }
}

export function scene(more: Partial<SceneData> = {}): SceneData {
  stored.set('p0', new ArrayBuffer(4))
  stored.set('p1', new ArrayBuffer(4))
  const sampler = (wrap_u: 'repeat' | 'clamp' | 'mirror', filter: 'linear' | 'nearest') => ({
    wrap_u,
    wrap_v: 'repeat' as const,
    filter,
  })
  return {
    name: 's',
    nodes: [],
    roots: [],
    meshes: [],
    materials: [],
    skins: [],
    clips: [],
    textures: [
      { image: 0, sampler: sampler('repeat', 'linear') },
      { image: 1, sampler: sampler('clamp', 'nearest') },
      { image: 2, sampler: sampler('mirror', 'linear') },
    ],
    pictures: ['p0', 'p1', null],
    ...more,
  }
}
export function triangle(more: Partial<PrimitiveData> = {}): PrimitiveData {
  return {
    positions: array(new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0]), 3, '<f4'),
    indices: array(new Uint32Array([0, 1, 2]), 3, '<u4'),
    normals: null,
    tangents: null,
    uvs: [],
    colors: [],
    joints: null,
    weights: null,
    material: null,
    targets: [],
    ...more,
  }
}
export const node = (name: string, more: Partial<NodeData> = {}): NodeData => ({
  name,
  mesh: 0,
  skin: null,
  children: [],
  translation: [0, 0, 0],
  rotation: [0, 0, 0, 1],
  scale: [1, 1, 1],
  matrix: null,
  weights: null,
  ...more,
})
export const mesh = (...primitives: PrimitiveData[]) => ({ name: 'm', primitives, strokes: [], target_weights: [] })

export const floats = (values: number[], width: number) => array(new Float32Array(values), width, '<f4')

// A mesh on two joints, the second a way up the first, and a third that nothing follows; clips that move it.
export function jointed(): SceneData {
  const identity = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]
  // Bound half a metre higher than it rests.
  const raised = [1, 0, 0, 0, 0, 1, 0, -1.5, 0, 0, 1, 0, 0, 0, 0, 1]
  const held = triangle({
    joints: array(new Uint16Array([0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0]), 4, '<u2'),
    weights: floats([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0], 4),
  })
  const slide = (name: string, to: number) => ({
    name,
    channels: [
      {
        node: 1,
        path: 'translation' as const,
        times: floats([0, 1], 1),
        values: floats([0, 0, 0, to, 0, 0], 3),
        interpolation: 'LINEAR' as const,
      },
    ],
    shown: [],
    looks: [],
  })
  return scene({
    nodes: [
      node('body', { skin: 0 }),
      node('hips', { mesh: null, children: [2] }),
      node('arm', { mesh: null, translation: [0, 1, 0], children: [3] }),
      node('twist', { mesh: null, translation: [0.5, 0, 0] }),
    ],
    roots: [0, 1],
    meshes: [mesh(held)],
    skins: [{ joints: [1, 2, 3], inverse_bind: floats([...identity, ...raised, ...identity], 16) }],
    clips: [slide('left', 2), slide('right', -4)],
  })
}

// A material as it is without a word.
export const PLAIN: MaterialData = {
  name: 'rust',
  base_color: [0.5, 0.25, 0.1, 0.75],
  base_color_texture: null,
  metallic: 0.4,
  roughness: 0.6,
  metallic_roughness_texture: null,
  normal_texture: null,
  normal_scale: 1,
  occlusion_texture: null,
  occlusion_strength: 1,
  emissive: [0, 0, 0],
  emissive_strength: 1,
  emissive_texture: null,
  alpha_mode: 'OPAQUE',
  alpha_cutoff: 0.5,
  double_sided: false,
  unlit: false,
  ior: 1.5,
  clearcoat: null,
  sheen: null,
  transmission: null,
  iridescence: null,
}
