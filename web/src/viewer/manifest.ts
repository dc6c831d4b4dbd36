// A stored scene as the server describes it: every field of its model, arrays and images by the names of their blobs.
export interface ArrayRef {
  blob: string
  dtype: string
  shape: number[]
}

export interface TextureRef {
  texture: number
  uv_set: number
  offset: [number, number]
  rotation_rad: number
  scale: [number, number]
}

export interface MaterialData {
  name: string
  base_color: [number, number, number, number]
  base_color_texture: TextureRef | null
  metallic: number
  roughness: number
  metallic_roughness_texture: TextureRef | null
  normal_texture: TextureRef | null
  normal_scale: number
  occlusion_texture: TextureRef | null
  occlusion_strength: number
  emissive: [number, number, number]
  emissive_strength: number
  emissive_texture: TextureRef | null
  alpha_mode: 'OPAQUE' | 'MASK' | 'BLEND'
  alpha_cutoff: number
  double_sided: boolean
  unlit: boolean
  ior: number
  clearcoat: { factor: number; roughness: number; texture: TextureRef | null; normal_texture: TextureRef | null } | null
  sheen: { color: [number, number, number]; roughness: number } | null
  transmission: { factor: number } | null
  iridescence: { factor: number; ior: number } | null
  // Textures that the file names and nobody could supply.
  unresolved?: { slot: string; name: string; why: string }[]
}

export interface MorphTargetData {
  name: string
  positions: ArrayRef | null
  normals: ArrayRef | null
}

export interface PrimitiveData {
  positions: ArrayRef
  indices: ArrayRef
  normals: ArrayRef | null
  tangents: ArrayRef | null
  uvs: ArrayRef[]
  colors: ArrayRef[]
  joints: ArrayRef | null
  weights: ArrayRef | null
  material: number | null
  targets: MorphTargetData[]
}

export interface StrokesData {
  positions: ArrayRef
  indices: ArrayRef
  colors: ArrayRef[]
  material: number | null
}

export interface MeshData {
  name: string
  primitives: PrimitiveData[]
  strokes: StrokesData[]
  target_weights: number[]
}

export interface NodeData {
  name: string
  mesh: number | null
  skin: number | null
  children: number[]
  translation: [number, number, number]
  rotation: [number, number, number, number]
  scale: [number, number, number]
  matrix: [number, number, number, number][] | null
  weights: number[] | null
}

export interface SceneData {
  name: string
  nodes: NodeData[]
  roots: number[]
  meshes: MeshData[]
  materials: MaterialData[]
  textures: { image: number; sampler: { wrap_u: Wrap; wrap_v: Wrap; filter: 'linear' | 'nearest' } }[]
  skins: { joints: number[]; inverse_bind: ArrayRef }[]
  clips: {
    name: string
    channels: {
      node: number
      path: 'translation' | 'rotation' | 'scale' | 'weights'
      times: ArrayRef
      values: ArrayRef
      interpolation: Interpolation
    }[]
    // When nodes, and what is below them, are to be seen.
    shown: { node: number; times: ArrayRef; values: ArrayRef }[]
    looks: {
      material: number
      path: 'base_color' | 'emissive' | 'roughness' | 'metallic' | 'offset' | 'tiling'
      times: ArrayRef
      values: ArrayRef
      interpolation: Interpolation
    }[]
  }[]
  // For each image the blob that a browser can show.
  pictures: (string | null)[]
}

export type Interpolation = 'LINEAR' | 'STEP' | 'CUBICSPLINE'
export type Wrap = 'repeat' | 'clamp' | 'mirror'

// A stored scene, as the server tells it.
export async function told(manifest: string): Promise<SceneData> {
  const response = await fetch(`/api/scenes/${manifest}`)
  if (!response.ok) throw new Error('This model is no longer stored. Open it again.')
  const scene = (await response.json()) as SceneData
  // What was stored before clips said so much has none of it.
  for (const clip of scene.clips) [clip.shown, clip.looks] = [clip.shown ?? [], clip.looks ?? []]
  return scene
}
