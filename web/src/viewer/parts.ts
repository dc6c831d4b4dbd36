import { SkinnedMesh, Vector3, type Camera } from 'three'
import type { Drawn } from './build'
import { visible } from './extent'

// Sides of a frame in clip space, from -1 to 1.
export interface Sides {
  left: number
  right: number
  top: number
  bottom: number
}

// So many vertices of a part tell where it lies.
const MOST = 2000

// The parts that are drawn.
export const partsOf = (drawn: Drawn[]) => [...new Set(drawn.flatMap(({ parts }) => parts))]

// The joints that hold what is drawn, by name.
export function jointsOf(drawn: Drawn[]): string[] {
  const names = drawn.flatMap(({ object }) =>
    object instanceof SkinnedMesh ? object.skeleton.bones.map((bone) => bone.name) : [],
  )
  return [...new Set(names)]
}

// The visible parts that lie wholly in a frame.
export function partsWithin(drawn: Drawn[], hidden: ReadonlySet<string>, eye: Camera, sides: Sides): string[] {
  const found = new Set<string>()
  const out = new Set<string>()
  const point = new Vector3()
  for (const [one, matrix, part] of visible(drawn, hidden)) {
    if (out.has(part)) continue
    const { object } = one
    const { count } = object.geometry.getAttribute('position')
    const step = Math.max(1, Math.floor(count / MOST))
    let within = true
    for (let i = 0; within && i < count; i += step) {
      // A mesh knows where its joints and shapes take a vertex.
      if ('getVertexPosition' in object) object.getVertexPosition(i, point)
      else point.fromBufferAttribute(object.geometry.getAttribute('position'), i)
      point.applyMatrix4(matrix).project(eye)
      const { x, y, z } = point
      within = z <= 1 && x >= sides.left && x <= sides.right && y >= sides.bottom && y <= sides.top
    }
    found.add(part)
    if (!within) out.add(part)
  }
  return [...found].filter((part) => !out.has(part))
}
