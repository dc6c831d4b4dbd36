import { BufferAttribute, BufferGeometry, Float32BufferAttribute } from 'three'
import { columns, numbers, strongest } from './arrays'
import type { ArrayRef, PrimitiveData, StrokesData } from './manifest'

const MOST_KEPT = 2000
const SETS = ['uv', 'uv1', 'uv2', 'uv3']
const kept = new Map<string, Promise<BufferGeometry>>()

const nameOf = (ref: ArrayRef | null) => ref?.blob ?? '-'

// Geometries by what they are made of: a part that a step left alone is the very same object as before.
function once(key: string, make: () => Promise<BufferGeometry>): Promise<BufferGeometry> {
  const known = kept.get(key)
  if (known) {
    kept.delete(key)
    kept.set(key, known)
    return known
  }
  const made = make()
  kept.set(key, made)
  made.catch(() => kept.delete(key))
  if (kept.size > MOST_KEPT) {
    const [oldest, gone] = kept.entries().next().value ?? []
    if (oldest !== undefined) kept.delete(oldest)
    void gone?.then((geometry) => geometry.dispose())
  }
  return made
}

export function surface(data: PrimitiveData): Promise<BufferGeometry> {
  const { positions, indices, normals, tangents, joints, weights, uvs, colors, targets } = data
  const moved = targets.flatMap((target) => [target.positions, target.normals])
  const refs = [positions, indices, normals, tangents, joints, weights, ...uvs, null, ...colors, null, ...moved]
  return once(refs.map(nameOf).join(' '), async () => {
    const made = new BufferGeometry()
    const put = async (name: string, ref: ArrayRef | null, wanted?: number) => {
      if (!ref) return
      const width = ref.shape[1] ?? 1
      const values = await numbers(ref)
      const fitting = wanted && wanted !== width ? columns(values, width, wanted) : values
      made.setAttribute(name, new BufferAttribute(fitting, wanted ?? width))
    }
    await Promise.all([
      put('position', positions),
      put('normal', normals),
      put('tangent', tangents),
      held(made, joints, weights),
      put('color', colors[0] ?? null),
      ...SETS.map((name, i) => put(name, uvs[i] ?? null)),
      numbers(indices).then((values) => made.setIndex(new BufferAttribute(values, 1))),
    ])
    const offsets = await Promise.all(targets.map((t) => (t.positions ? numbers(t.positions) : null)))
    if (offsets.length) {
      const still = () => new Float32Array(3 * (positions.shape[0] ?? 0))
      made.morphAttributes.position = offsets.map((v) => new Float32BufferAttribute((v as Float32Array) ?? still(), 3))
      made.morphTargetsRelative = true
    }
    made.computeBoundingBox()
    made.computeBoundingSphere()
    return made
  })
}

// The graphics library knows four joints a vertex: of more, the strongest count, by as much more.
async function held(made: BufferGeometry, joints: ArrayRef | null, weights: ArrayRef | null): Promise<void> {
  if (!joints || !weights) return
  const [numbered, pulls] = await Promise.all([numbers(joints), numbers(weights)])
  const width = joints.shape[1] ?? 1
  const four = width > 4 ? strongest(numbered, pulls, width) : null
  made.setAttribute('skinIndex', new BufferAttribute(four?.joints ?? columns(numbered, width, 4), 4))
  made.setAttribute('skinWeight', new BufferAttribute(four?.weights ?? columns(pulls, width, 4), 4))
}

export function strokes(data: StrokesData): Promise<BufferGeometry> {
  const refs = [data.positions, data.indices, ...data.colors]
  return once(`strokes ${refs.map(nameOf).join(' ')}`, async () => {
    const made = new BufferGeometry()
    const [positions, indices, colors] = await Promise.all(refs.map(numbers))
    made.setAttribute('position', new BufferAttribute(positions!, 3))
    made.setIndex(new BufferAttribute(indices!, 1))
    if (colors) made.setAttribute('color', new BufferAttribute(colors, 4))
    made.computeBoundingBox()
    made.computeBoundingSphere()
    return made
  })
}
