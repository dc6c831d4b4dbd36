import {
  BackSide,
  Color,
  DoubleSide,
  InstancedMesh,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  ShaderMaterial,
  SkinnedMesh,
  type Material,
} from 'three'
import type { Drawn } from './build'
import { channelMaterial, type Channel } from './channels'

export type Look = 'textured' | 'flat' | 'wire' | Channel
export type Backs = 'hatched' | 'hidden' | 'both'

// Hatching for faces seen from behind: stripes fixed to the screen, so that they never pass for a texture.
const hatched = new ShaderMaterial({
  side: BackSide,
  uniforms: { one: { value: new Color('#c9775b') }, two: { value: new Color('#f0d9c8') } },
  vertexShader: `varying vec3 seen;
    #include <common>
    #include <morphtarget_pars_vertex>
    #include <skinning_pars_vertex>
    void main() {
      #include <beginnormal_vertex>
      #include <skinbase_vertex>
      #include <skinnormal_vertex>
      #include <begin_vertex>
      #include <morphtarget_vertex>
      #include <skinning_vertex>
      vec4 place = vec4(transformed, 1.0);
      #ifdef USE_INSTANCING
        place = instanceMatrix * place;
        objectNormal = mat3(instanceMatrix) * objectNormal;
      #endif
      seen = normalMatrix * objectNormal;
      gl_Position = projectionMatrix * modelViewMatrix * place;
    }`,
  fragmentShader: `uniform vec3 one; uniform vec3 two; varying vec3 seen;
    void main() {
      float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, 12.0);
      float light = 0.45 + 0.55 * abs(normalize(seen).z);
      gl_FragColor = vec4((stripe < 6.0 ? one : two) * light, 1.0);
      #include <colorspace_fragment>
    }`,
})
const flat = new MeshStandardMaterial({ color: '#b8b1a4', roughness: 0.9, metalness: 0 })
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

// The hatched back of a thing; that of a skinned one follows its joints, that of instances stands where they do.
export function backOf({ object, own }: Drawn): Mesh | null {
  if (!(object instanceof Mesh) || own.side === DoubleSide || own.transparent) return null
  return over(object, hatched)
}

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

// Lines over the surface, for any look; they follow joints, shapes and instances as the backs do.
export function wireOf({ object }: Drawn): Mesh | null {
  const made = object instanceof Mesh ? over(object, lines) : null
  if (made) object.add(made)
  return made
}

const SHARED = new Set<Material>([flat, wire, lines, hatched])
export const isShared = (material: Material) => SHARED.has(material)

// `joint` is the one whose weights are shown.
export function materialFor(look: Look, drawn: Drawn, joint: string): Material {
  if (look === 'textured' || !(drawn.object instanceof Mesh)) return drawn.own
  if (look === 'flat') return flat
  return look === 'wire' ? wire : channelMaterial(look, drawn, joint)
}
