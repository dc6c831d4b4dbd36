import {
  DoubleSide,
  InstancedMesh,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  SkinnedMesh,
  type Material,
} from 'three'
import { hasBacks } from './backs'
import type { Drawn } from './build'
import { channelMaterial, type Channel } from './channels'

export type Look = 'textured' | 'flat' | 'wire' | Channel

const plain = { color: '#b8b1a4', roughness: 0.9, metalness: 0 }
const flat = new MeshStandardMaterial(plain)
const flatBoth = new MeshStandardMaterial({ ...plain, side: DoubleSide })
const wire = new MeshBasicMaterial({ color: '#256a60', wireframe: true })
const lines = new MeshBasicMaterial({
  color: '#1c2b28',
  wireframe: true,
  opacity: 0.35,
  transparent: true,
  depthWrite: false,
  polygonOffset: true,
  polygonOffsetFactor: -1,
  polygonOffsetUnits: -1,
})

// The same shape once more in another material, or a part of it.
export function over(object: Mesh, material: Material, geometry = object.geometry): Mesh {
  let made: Mesh
  if (object instanceof SkinnedMesh) {
    const bound = new SkinnedMesh(geometry, material)
    bound.bind(object.skeleton, object.bindMatrix)
    bound.frustumCulled = false
    made = bound
  } else if (object instanceof InstancedMesh) {
    const many = new InstancedMesh(geometry, material, object.count)
    many.instanceMatrix = object.instanceMatrix
    made = many
  } else made = new Mesh(geometry, material)
  made.morphTargetInfluences = object.morphTargetInfluences
  return made
}

// Lines over the surface, for any look; they follow joints, shapes and instances as it does.
export function wireOf({ object }: Drawn): Mesh | null {
  const made = object instanceof Mesh ? over(object, lines) : null
  if (made) object.add(made)
  return made
}

const SHARED = new Set<Material>([flat, flatBoth, wire, lines])
export const isShared = (material: Material) => SHARED.has(material)

// `joint` is the one whose weights are shown.
export function materialFor(look: Look, drawn: Drawn, joint: string): Material {
  if (look === 'textured' || !(drawn.object instanceof Mesh)) return drawn.own
  if (look === 'flat') return hasBacks(drawn) ? flat : flatBoth
  return look === 'wire' ? wire : channelMaterial(look, drawn, joint)
}
