import {
  Bone,
  Group,
  InstancedMesh,
  LineSegments,
  Matrix4,
  Mesh,
  Object3D,
  Points,
  Quaternion,
  Skeleton,
  SkinnedMesh,
  Vector3,
  type BufferGeometry,
  type Material,
} from 'three'
import { numbers } from './arrays'
import { surface, strokes } from './geometries'
import { isShared } from './looks'
import type { MeshData, NodeData, PrimitiveData, SceneData } from './manifest'
import { material } from './materials'

// From how many placements on a mesh that nothing moves is drawn as instances.
const FROM_INSTANCES = 4

// One drawn thing: a primitive of a part, or all its placements at once.
export interface Drawn {
  object: Mesh | LineSegments | Points
  own: Material
  // The node whose mesh it is; of instances, the first one's.
  node: Object3D
  // The parts that it shows, by the number of its instance (0 for a thing that stands alone).
  parts: string[]
  matrices: Matrix4[]
  // The number of its first face among all of its mesh.
  firstFace: number
}

export interface Built {
  root: Group
  nodes: Object3D[]
  drawn: Drawn[]
}

export async function build(scene: SceneData): Promise<Built> {
  const root = new Group()
  const joints = new Set(scene.skins.flatMap((skin) => skin.joints))
  const nodes = scene.nodes.map((node, i) => placed(node, joints.has(i) ? new Bone() : new Object3D()))
  scene.nodes.forEach((node, i) => node.children.forEach((child) => nodes[i]!.add(nodes[child]!)))
  scene.roots.forEach((index) => root.add(nodes[index]!))
  root.updateMatrixWorld(true)
  const shown = new Set<Object3D>()
  root.traverse((object) => shown.add(object))
  const skeletons = await Promise.all(scene.skins.map((skin) => skeleton(skin, nodes)))
  const drawn: Drawn[] = []
  const repeated = repeatedMeshes(scene, nodes, shown)
  const work: Promise<unknown>[] = []
  for (const [mesh, places] of repeated)
    work.push(instances(scene, scene.meshes[mesh]!, places, nodes, root).then((list) => drawn.push(...list)))
  scene.nodes.forEach((node, i) => {
    if (node.mesh === null || !shown.has(nodes[i]!) || repeated.get(node.mesh)?.includes(i)) return
    const held = node.skin === null ? null : (skeletons[node.skin] ?? null)
    work.push(single(scene, node, nodes[i]!, held, root).then((list) => drawn.push(...list)))
  })
  await Promise.all(work)
  return { root, nodes, drawn }
}

function placed(node: NodeData, object: Object3D): Object3D {
  object.name = node.name
  object.position.fromArray(node.translation)
  object.quaternion.copy(new Quaternion().fromArray(node.rotation)).normalize()
  object.scale.fromArray(node.scale)
  if (node.matrix) {
    object.matrix.set(...(node.matrix.flat() as Parameters<Matrix4['set']>))
    object.matrixAutoUpdate = false
  }
  return object
}

async function skeleton(skin: SceneData['skins'][number], nodes: Object3D[]): Promise<Skeleton> {
  const values = await numbers(skin.inverse_bind)
  const inverses = skin.joints.map((_, i) => new Matrix4().fromArray(Array.from(values), 16 * i).transpose())
  return new Skeleton(
    skin.joints.map((joint) => nodes[joint] as Bone),
    inverses,
  )
}

// Meshes that stand in many places, and that neither joints nor shapes nor clips move.
function repeatedMeshes(scene: SceneData, nodes: Object3D[], shown: Set<Object3D>): Map<number, number[]> {
  const moved = new Set(
    scene.clips.flatMap((clip) => [...clip.channels, ...clip.shown].map((channel) => nodes[channel.node]!)),
  )
  const still = (object: Object3D) => {
    for (let at: Object3D | null = object; at; at = at.parent) if (moved.has(at)) return false
    return true
  }
  const places = new Map<number, number[]>()
  scene.nodes.forEach((node, i) => {
    if (node.mesh === null || node.skin !== null || !shown.has(nodes[i]!) || !still(nodes[i]!)) return
    if (scene.meshes[node.mesh]!.primitives.some((p) => p.targets.length)) return
    places.set(node.mesh, [...(places.get(node.mesh) ?? []), i])
  })
  return new Map([...places].filter(([, list]) => list.length >= FROM_INSTANCES))
}

async function instances(scene: SceneData, mesh: MeshData, places: number[], nodes: Object3D[], root: Group) {
  const found: Drawn[] = []
  for (const [n, primitive] of mesh.primitives.entries()) {
    const [geometry, own] = await Promise.all([surface(primitive), materialOf(scene, primitive)])
    // What is mirrored has its faces the other way round, so it is drawn apart, below a mirror of its own.
    for (const mirrored of [false, true]) {
      const chosen = places.filter((i) => nodes[i]!.matrixWorld.determinant() < 0 === mirrored)
      if (!chosen.length) continue
      const object = new InstancedMesh(geometry, own, chosen.length)
      if (mirrored) object.scale.x = -1
      object.updateMatrix()
      const back = object.matrix.clone().invert()
      const matrices = chosen.map((i) => back.clone().multiply(nodes[i]!.matrixWorld))
      matrices.forEach((matrix, n) => object.setMatrixAt(n, matrix))
      object.computeBoundingSphere()
      root.add(object)
      const parts = chosen.map((i) => scene.nodes[i]!.name)
      found.push({ object, own, node: nodes[chosen[0]!]!, parts, matrices, firstFace: facesBefore(mesh, n) })
    }
  }
  const loose = await Promise.all(places.map((i) => lines(scene, mesh, scene.nodes[i]!.name, nodes[i]!)))
  return [...found, ...loose.flat()]
}

async function single(scene: SceneData, node: NodeData, at: Object3D, held: Skeleton | null, root: Group) {
  const mesh = scene.meshes[node.mesh!]!
  const surfaces = await Promise.all(
    mesh.primitives.map(async (primitive, n): Promise<Drawn> => {
      const [geometry, own] = await Promise.all([surface(primitive), materialOf(scene, primitive)])
      const object = held && primitive.joints ? skinned(geometry, own, held) : new Mesh(geometry, own)
      // What joints hold stands where they are, whatever its node says.
      if (object instanceof SkinnedMesh) root.add(object)
      else at.add(object)
      const weights = node.weights ?? mesh.target_weights
      if (primitive.targets.length) {
        object.updateMorphTargets()
        object.morphTargetInfluences = primitive.targets.map((_, i) => weights[i] ?? 0)
      }
      return { object, own, node: at, parts: [node.name], matrices: [], firstFace: facesBefore(mesh, n) }
    }),
  )
  return [...surfaces, ...(await lines(scene, mesh, node.name, at))]
}

const facesBefore = (mesh: MeshData, primitive: number) =>
  mesh.primitives.slice(0, primitive).reduce((sum, one) => sum + one.indices.shape[0]!, 0)

function skinned(geometry: BufferGeometry, own: Material, held: Skeleton): SkinnedMesh {
  const object = new SkinnedMesh(geometry, own)
  object.bind(held, new Matrix4())
  // Its bounds follow no pose; it is small work to draw it always.
  object.frustumCulled = false
  return object
}

const materialOf = (scene: SceneData, p: PrimitiveData) =>
  material(scene, p.material, { colored: p.colors.length > 0, tangents: p.tangents !== null })

async function lines(scene: SceneData, mesh: MeshData, part: string, at: Object3D): Promise<Drawn[]> {
  return Promise.all(
    mesh.strokes.map(async (data): Promise<Drawn> => {
      const geometry = await strokes(data)
      const own = await material(scene, data.material, { colored: data.colors.length > 0, tangents: true })
      const object = data.indices.shape[1] === 1 ? new Points(geometry, own) : new LineSegments(geometry, own)
      at.add(object)
      return { object, own, node: at, parts: [part], matrices: [], firstFace: 0 }
    }),
  )
}

// Where the middle of a part's bounds lies is told by its geometry and its place in the world.
export function worldMatrix(drawn: Drawn, instance: number, into: Matrix4): Matrix4 {
  const own = drawn.matrices[instance]
  return own ? into.multiplyMatrices(drawn.object.matrixWorld, own) : into.copy(drawn.object.matrixWorld)
}

const NOWHERE = new Matrix4().compose(new Vector3(), new Quaternion(), new Vector3(0, 0, 0))

// Put parts out of sight, and only those; true where that changes what is seen.
export function hideParts({ object, parts, matrices }: Drawn, hidden: ReadonlySet<string>): boolean {
  if (!(object instanceof InstancedMesh)) {
    const visible = !parts.every((part) => hidden.has(part))
    const changed = object.visible !== visible
    object.visible = visible
    return changed
  }
  const now = new Matrix4()
  let changed = false
  for (const [n, part] of parts.entries()) {
    object.getMatrixAt(n, now)
    const gone = hidden.has(part)
    if (gone === (now.determinant() === 0)) continue
    object.setMatrixAt(n, gone ? NOWHERE : matrices[n]!)
    changed = object.instanceMatrix.needsUpdate = true
  }
  return changed
}

// Geometries and textures stay with their caches; only what belongs to this scene alone goes.
export function letGo({ drawn }: Built): void {
  for (const { object, own } of drawn) {
    const worn = object.material as Material
    if (!isShared(worn)) worn.dispose()
    own.dispose()
    if (object instanceof InstancedMesh) object.dispose()
  }
}
