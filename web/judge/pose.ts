import { Matrix4, Vector3, type BufferAttribute, type Mesh, type SkinnedMesh } from 'three'

// Where every `stride`-th vertex stands in the world: shapes mixed in, then held by joints, of any number of sets.
// The loader's own skinning looks at four joints only, so the sum is made here, from its joint matrices.
export function posedPositions(mesh: Mesh, stride: number): Float32Array {
  const base = mesh.geometry.getAttribute('position') as BufferAttribute
  const count = Math.ceil(base.count / stride)
  const out = new Float32Array(count * 3)
  const point = new Vector3()
  const hold = 'isSkinnedMesh' in mesh ? holder(mesh as SkinnedMesh) : null
  for (let i = 0; i < count; i++) {
    shaped(mesh, base, i * stride, point)
    if (hold) hold(i * stride, point)
    else point.applyMatrix4(mesh.matrixWorld)
    out[3 * i] = point.x
    out[3 * i + 1] = point.y
    out[3 * i + 2] = point.z
  }
  return out
}

function shaped(mesh: Mesh, base: BufferAttribute, vertex: number, point: Vector3): void {
  point.fromBufferAttribute(base, vertex)
  const targets = mesh.geometry.morphAttributes.position as BufferAttribute[] | undefined
  const weights = mesh.morphTargetInfluences
  if (!targets || !weights) return
  targets.forEach((target, k) => {
    const weight = weights[k] ?? 0
    if (weight === 0) return
    point.x += weight * target.getX(vertex)
    point.y += weight * target.getY(vertex)
    point.z += weight * target.getZ(vertex)
  })
}

function holder(mesh: SkinnedMesh): (vertex: number, point: Vector3) => void {
  const pull = mesh.skeleton.bones.map((bone, i) =>
    new Matrix4()
      .multiplyMatrices(bone.matrixWorld, mesh.skeleton.boneInverses[i] ?? new Matrix4())
      .multiply(mesh.bindMatrix),
  )
  const geometry = mesh.geometry
  const sets = [
    ['skinIndex', 'skinWeight'],
    ['joints_1', 'weights_1'],
    ['joints_2', 'weights_2'],
  ]
    .map(([j, w]) => [geometry.getAttribute(j ?? ''), geometry.getAttribute(w ?? '')] as const)
    .filter(([j, w]) => j !== undefined && w !== undefined)
  const sum = new Vector3()
  const one = new Vector3()
  return (vertex, point) => {
    sum.set(0, 0, 0)
    for (const [joints, weights] of sets)
      for (let k = 0; k < 4; k++) {
        const weight = weights.getComponent(vertex, k)
        const matrix = pull[joints.getComponent(vertex, k)]
        if (weight !== 0 && matrix) sum.addScaledVector(one.copy(point).applyMatrix4(matrix), weight)
      }
    point.copy(sum)
  }
}
