import { Box3, Matrix4, Vector3 } from 'three'
import { worldMatrix, type Drawn } from './build'

// What is drawn and not hidden, each with its place in the world; the matrix is used again for the next.
export function* visible(drawn: Drawn[], hidden: ReadonlySet<string>): Generator<[Drawn, Matrix4, string]> {
  const matrix = new Matrix4()
  for (const one of drawn)
    for (const [n, part] of one.parts.entries()) if (!hidden.has(part)) yield [one, worldMatrix(one, n, matrix), part]
}

// Some vertices of it, in the world; the vector is used again for the next.
export function* pointsOf(drawn: Drawn[], hidden: ReadonlySet<string>): Generator<Vector3> {
  const point = new Vector3()
  for (const [one, matrix] of visible(drawn, hidden)) {
    const positions = one.object.geometry.getAttribute('position')
    const step = Math.max(1, Math.floor(positions.count / (one.matrices.length > 1 ? 200 : 4000)))
    for (let i = 0; i < positions.count; i += step) yield point.fromBufferAttribute(positions, i).applyMatrix4(matrix)
  }
}

// Its bounds; those of a thing of a metre where nothing is visible.
export function boxOf(drawn: Drawn[], hidden: ReadonlySet<string>): Box3 {
  const box = new Box3()
  const one = new Box3()
  for (const [thing, matrix] of visible(drawn, hidden)) {
    const bounds = thing.object.geometry.boundingBox
    if (bounds) box.union(one.copy(bounds).applyMatrix4(matrix))
  }
  return box.isEmpty() ? box.set(new Vector3(-0.5, 0, -0.5), new Vector3(0.5, 1, 0.5)) : box
}
