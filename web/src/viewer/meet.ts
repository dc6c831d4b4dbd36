import { Raycaster, Vector2, type Camera, type Mesh, type Vector3 } from 'three'
import type { Drawn } from './build'

export interface Met {
  part: string
  // The number of the face among all of the part; -1 for what has none.
  face: number
  point: Vector3
}

// What is met first under a point of the picture, from 0 to 1 across and down; null for nothing.
export function meet(drawn: Drawn[], hidden: ReadonlySet<string>, eye: Camera, at: [number, number]): Met | null {
  const ray = new Raycaster()
  ray.setFromCamera(new Vector2(at[0] * 2 - 1, 1 - at[1] * 2), eye)
  const things = new Map(drawn.map((one) => [one.object, one] as const))
  for (const { object, instanceId, faceIndex, point } of ray.intersectObjects([...things.keys()], false)) {
    const thing = things.get(object as Mesh)
    const part = thing?.parts[instanceId ?? 0]
    if (!thing || part === undefined || hidden.has(part) || !object.visible) continue
    return { part, face: typeof faceIndex === 'number' ? thing.firstFace + faceIndex : -1, point }
  }
  return null
}
