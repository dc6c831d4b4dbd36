import type { BufferGeometry } from 'three'
import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js'
import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js'
import { geometryOf } from './attributes'
import { nothingRead, type Arrays, type ReadBack } from './readback'

// Formats of one mesh without nodes, materials or clips.
export function readSolid(kind: 'stl' | 'ply', data: Buffer, arrays: Arrays): ReadBack {
  const bytes = data.buffer.slice(data.byteOffset, data.byteOffset + data.byteLength) as ArrayBuffer
  const geometry: BufferGeometry = kind === 'stl' ? new STLLoader().parse(bytes) : new PLYLoader().parse(bytes)
  const found = geometryOf(geometry, arrays)
  const corners = geometry.getIndex()?.count ?? geometry.getAttribute('position').count
  return {
    ...nothingRead(),
    nodes: [{ name: '', parent: -1, world: [], shown: true }],
    geometries: [found],
    parts: [{ node: 0, primitive: 0, kind: 'triangles', geometry: 0, materials: [[0, corners, -1]], skin: null }],
  }
}
