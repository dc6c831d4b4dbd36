import { Euler, Quaternion } from 'three'

export interface Keys {
  path: string
  times: ArrayLike<number>
  values: ArrayLike<number>
  // Each key is in-tangent, value, out-tangent.
  spline: boolean
}
export interface Graph {
  title: string
  unit: string
  times: number[]
  // One row for each of x, y and z.
  rows: number[][]
  low: number
  high: number
}

const KINDS: Record<string, [title: string, unit: string]> = {
  position: ['Translation', 'm'],
  quaternion: ['Rotation', '°'],
  scale: ['Scale', '×'],
}

// The keys of one property of a joint as curves, rotations as angles that do not jump.
export function graphOf(keys: Keys): Graph | null {
  const kind = KINDS[keys.path]
  const times = Array.from(keys.times)
  if (!kind || !times.length) return null
  const width = keys.path === 'quaternion' ? 4 : 3
  const values = times.map((_, n) => {
    const at = keys.spline ? (3 * n + 1) * width : n * width
    return Array.from({ length: width }, (_, k) => keys.values[at + k]!)
  })
  const points = width === 4 ? angles(values) : values
  const rows = [0, 1, 2].map((k) => points.map((point) => point[k]!))
  const all = rows.flat()
  const [low, high] = [Math.min(...all), Math.max(...all)]
  return { title: kind[0], unit: kind[1], times, rows, low, high }
}

// Turns about x, then y, then z of the joint itself in degrees, each as near to the one before as can be.
export function angles(turns: number[][]): number[][] {
  let before = [0, 0, 0]
  return turns.map((turn) => {
    const { x, y, z } = new Euler().setFromQuaternion(new Quaternion(...turn).normalize(), 'XYZ')
    const one = [x, y, z].map((angle) => (angle * 180) / Math.PI)
    // The same turn, said the other way.
    const other = [one[0]! + 180, 180 - one[1]!, one[2]! + 180]
    const [a, b] = [one, other].map((found) => found.map((angle, k) => near(angle, before[k]!)))
    before = apart(a!, before) <= apart(b!, before) ? a! : b!
    return before
  })
}

const near = (angle: number, to: number) => angle + 360 * Math.round((to - angle) / 360)
const apart = (a: number[], b: number[]) => a.reduce((sum, value, k) => sum + (value - b[k]!) ** 2, 0)
