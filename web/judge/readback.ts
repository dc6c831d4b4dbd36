// What was read, in one neutral shape. Arrays lie in a binary file; the JSON says where.
export interface ArrayRef {
  offset: number
  count: number
  width: number
  type: 'f4' | 'u4' | 'u1'
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

// What a node sees or sheds: degrees from bottom to top, or how strongly it shines, and its colour.
export interface View {
  kind: string
  values: number[]
}

export interface ReadBack {
  reader: string
  nodes: { name: string; parent: number; world: number[]; shown: boolean; view?: View }[]
  geometries: Geometry[]
  parts: Part[]
  materials: { name: string; values: Record<string, number[]>; textures: Record<string, string> }[]
  clips: { name: string; seconds: number }[]
  // The bytes of every picture that lies in the file or is linked, where a format lists its pictures.
  images: ArrayRef[]
  // Keys of what a clip changes beyond places and shapes: where the file says that they lead, seconds and values.
  looks: { clip: number; pointer: string; how: string; times: ArrayRef; values: ArrayRef }[]
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
  images: [],
  looks: [],
})

export class Arrays {
  private readonly pieces: (Float32Array | Uint32Array | Uint8Array)[] = []
  private length = 0

  add(values: Float32Array | Uint32Array | Uint8Array, width: number): ArrayRef {
    const type = values instanceof Float32Array ? 'f4' : values instanceof Uint32Array ? 'u4' : 'u1'
    const ref: ArrayRef = { offset: this.length, count: values.length / width, width, type }
    const padding = (4 - (values.byteLength % 4)) % 4
    this.pieces.push(values)
    if (padding) this.pieces.push(new Uint8Array(padding))
    this.length += values.byteLength + padding
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
