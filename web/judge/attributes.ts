import type { BufferAttribute, BufferGeometry, InterleavedBufferAttribute } from 'three'
import type { ArrayRef, Arrays, Geometry } from './readback'

type Attribute = BufferAttribute | InterleavedBufferAttribute

// The attribute's values as plain numbers, normalised ones decoded.
export function floats(attribute: Attribute, width: number): Float32Array {
  const out = new Float32Array(attribute.count * width)
  for (let i = 0; i < attribute.count; i++)
    for (let k = 0; k < width; k++) out[i * width + k] = attribute.getComponent(i, k)
  return out
}

function plain(attribute: Attribute, width: number): Float32Array {
  const array = attribute.array
  const bare = !('data' in attribute) && attribute.itemSize === width && array instanceof Float32Array
  return bare ? array : floats(attribute, width)
}

// The arrays of a geometry; further sets of UVs, colours, joints and weights by the names that the loader gives them.
export function geometryOf(geometry: BufferGeometry, arrays: Arrays): Geometry {
  const add = (name: string, width: number): ArrayRef | null => {
    const found = geometry.getAttribute(name) as Attribute | undefined
    return found ? arrays.add(plain(found, width), width) : null
  }
  const sets = (names: string[], width: number): ArrayRef[] => {
    const found: ArrayRef[] = []
    for (const name of names) {
      const ref = add(name, Math.min(width, (geometry.getAttribute(name) as Attribute | undefined)?.itemSize ?? width))
      if (!ref) break
      found.push(ref)
    }
    return found
  }
  const index = geometry.getIndex()
  return {
    positions: add('position', 3) ?? arrays.add(new Float32Array(0), 3),
    normals: add('normal', 3),
    uvs: sets(['uv', 'uv1', 'uv2', 'uv3', 'texcoord_4', 'texcoord_5'], 2),
    colors: sets(['color', 'color_1', 'color_2', 'color_3'], 4),
    indices: index ? arrays.add(Uint32Array.from(index.array), 1) : null,
    joints: sets(['skinIndex', 'joints_1', 'joints_2'], 4),
    weights: sets(['skinWeight', 'weights_1', 'weights_2'], 4),
  }
}
