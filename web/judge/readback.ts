// What was read, in one neutral shape. Arrays lie in a binary file; the JSON says where.
export interface ArrayRef {
  offset: number
  count: number
  width: number
  type: 'f4' | 'u4'
}

export interface Geometry {
  positions: ArrayRef
  normals: ArrayRef | null
  uvs: ArrayRef[]
  colors: ArrayRef[]
  indices: ArrayRef | null
  joints: ArrayRef[]
  weights: ArrayRef[]
}

export interface Part {
  node: number
  primitive: number
  kind: 'triangles' | 'lines' | 'points'
  geometry: number
  // Runs of corners with their material: first corner, count, index into materials (-1: none).
  materials: [number, number, number][]
  skin: { joints: number[]; inverseBind: number[][] } | null
}

export interface ReadBack {
  reader: string
  nodes: { name: string; parent: number; world: number[]; shown: boolean }[]
  geometries: Geometry[]
  parts: Part[]
  materials: { name: string; values: Record<string, number[]>; textures: Record<string, string> }[]
  clips: { name: string; seconds: number }[]
  // Centimetres in the file's unit of length, where it says so.
  unit?: number
  // The axis that the file says points up.
  up?: 'y' | 'z'
  // Positions in world space of every `stride`-th vertex of a part, at a share of a clip (-1: at rest).
  poses: { clip: number; share: number; part: number; stride: number; positions: ArrayRef }[]
}

// What a reader begins with.
export const nothingRead = (): ReadBack => ({
  reader: 'three.js',
  nodes: [],
  geometries: [],
  parts: [],
  materials: [],
  clips: [],
  poses: [],
})

export class Arrays {
  private readonly pieces: (Float32Array | Uint32Array)[] = []
  private length = 0

  add(values: Float32Array | Uint32Array, width: number): ArrayRef {
    const type = values instanceof Float32Array ? 'f4' : 'u4'
    const ref: ArrayRef = { offset: this.length, count: values.length / width, width, type }
    this.pieces.push(values)
    this.length += values.byteLength
    return ref
  }

  bytes(): Uint8Array {
    const out = new Uint8Array(this.length)
    let at = 0
    for (const piece of this.pieces) {
      out.set(new Uint8Array(piece.buffer, piece.byteOffset, piece.byteLength), at)
      at += piece.byteLength
    }
    return out
  }
}
