import { Vector3 } from 'three'

export interface Frame {
  target: Vector3
  away: number
}

// From a direction, where to look and how far to stand so that every point is in the frame, just.
// `tall` is the tangent of half the angle of view upwards. Null when there is no point.
export function framing(points: Iterable<Vector3>, back: Vector3, tall: number, aspect: number): Frame | null {
  const right = new Vector3(0, 1, 0).cross(back).normalize()
  const up = back.clone().cross(right)
  const sides = [right.clone(), right.clone().negate(), up.clone(), up.clone().negate()]
  const slopes = [tall * aspect, tall * aspect, tall, tall]
  const reach = [-Infinity, -Infinity, -Infinity, -Infinity]
  let deepest = Infinity
  let nearest = -Infinity
  for (const point of points) {
    const depth = point.dot(back)
    deepest = Math.min(deepest, depth)
    nearest = Math.max(nearest, depth)
    for (let k = 0; k < 4; k++) reach[k] = Math.max(reach[k]!, point.dot(sides[k]!) + depth * slopes[k]!)
  }
  if (!Number.isFinite(nearest)) return null
  // The eye lies on the planes through the outermost points: two equations across, two upwards.
  const across = [(reach[0]! - reach[1]!) / 2, (reach[2]! - reach[3]!) / 2]
  const distance = Math.max((reach[0]! + reach[1]!) / (2 * slopes[0]!), (reach[2]! + reach[3]!) / (2 * slopes[2]!))
  const depth = (deepest + nearest) / 2
  const target = right.multiplyScalar(across[0]!).addScaledVector(up, across[1]!).addScaledVector(back, depth)
  return { target, away: (distance - depth) * 1.2 }
}

// The direction to look from: flat things from higher up.
export function viewpoint(size: Vector3): Vector3 {
  const flatness = Math.max(0, 1 - (3 * size.y) / Math.max(size.x, size.z, 1e-9))
  return new Vector3(0.55, 0.34 + 0.7 * flatness, 0.95).normalize()
}
