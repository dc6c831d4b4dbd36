import {
  Euler,
  Loader,
  LoadingManager,
  MathUtils,
  ShapeUtils,
  Texture,
  type BufferGeometry,
  type Light,
  type Material,
  type Mesh,
  type MeshPhongMaterial,
  type Object3D,
  type PerspectiveCamera,
  type SkinnedMesh,
} from 'three'
import { FBXLoader } from 'three/examples/jsm/loaders/FBXLoader.js'
import { geometryOf } from './attributes'
import { movesOf } from './moves'
import { nothingRead, type Arrays, type ReadBack, type View } from './readback'

const MAPS = ['map', 'normalMap', 'emissiveMap', 'alphaMap'] as const

// Pictures are not decoded here; a texture only remembers where the file says that it is.
class Unread extends Loader<Texture> {
  load(url: string): Texture {
    const texture = new Texture()
    texture.userData.file = url
    return texture
  }
}

export function readFbx(data: Buffer, arrays: Arrays, mostPosed: number): ReadBack {
  // Polygons are read as they stand; cutting them well, the loader would drop corners that lie on a straight line.
  ShapeUtils.triangulateShape = (outline) => outline.slice(2).map((_, i) => [0, i + 1, i + 2])
  const manager = new LoadingManager()
  manager.addHandler(/./, new Unread())
  const bytes = data.buffer.slice(data.byteOffset, data.byteOffset + data.byteLength) as ArrayBuffer
  const root = new FBXLoader(manager).parse(bytes, '')
  const up = asTheFileSays(root)
  root.updateMatrixWorld(true)
  const out: ReadBack = {
    ...nothingRead(),
    unit: (root.userData.unitScaleFactor as number | undefined) ?? 1,
    up,
  }
  // A joint of several skins is as many bones within each other, all with its number: the outermost stands for them.
  const objects: Object3D[] = []
  const place = new Map<unknown, number>()
  root.traverse((object) => {
    if (!('ID' in object) || place.has(object.ID)) return
    place.set(object.ID, objects.length)
    objects.push(object)
  })
  const placeOf = (object: Object3D | null): number => (object && 'ID' in object ? (place.get(object.ID) ?? -1) : -1)
  out.nodes = objects.map((object) => ({
    name: (object.userData.originalName as string | undefined) ?? object.name,
    parent: placeOf(object.parent),
    world: object.matrixWorld.toArray(),
    shown: true,
    view: viewOf(object),
  }))
  const materials: Material[] = []
  const geometries = new Map<BufferGeometry, number>()
  const drawn: Object3D[] = []
  objects.forEach((object, node) => {
    if (!('isMesh' in object)) return
    const mesh = object as Mesh
    if (!geometries.has(mesh.geometry)) {
      geometries.set(mesh.geometry, out.geometries.length)
      out.geometries.push(geometryOf(mesh.geometry, arrays))
    }
    const used = Array.isArray(mesh.material) ? mesh.material : [mesh.material]
    const at = (one: Material | undefined): number => {
      if (!one || one.name === Loader.DEFAULT_MATERIAL_NAME) return -1
      if (!materials.includes(one)) {
        materials.push(one)
        out.materials.push(described(one as MeshPhongMaterial))
      }
      return materials.indexOf(one)
    }
    const corners = mesh.geometry.getAttribute('position').count
    const skinned = object as SkinnedMesh
    out.parts.push({
      node,
      primitive: 0,
      kind: 'triangles',
      geometry: geometries.get(mesh.geometry) ?? -1,
      materials: mesh.geometry.groups.length
        ? mesh.geometry.groups.map((group) => [group.start, group.count, at(used[group.materialIndex ?? 0])])
        : [[0, corners, at(used[0])]],
      skin: skinned.isSkinnedMesh
        ? {
            joints: skinned.skeleton.bones.map(placeOf),
            inverseBind: skinned.skeleton.boneInverses.map((matrix) =>
              matrix.clone().multiply(skinned.bindMatrix).toArray(),
            ),
          }
        : null,
    })
    drawn.push(object)
  })
  movesOf(root, root.animations, drawn, arrays, mostPosed, out)
  return out
}

function viewOf(object: Object3D): View | undefined {
  if ('isPerspectiveCamera' in object) return { kind: 'perspective', values: [(object as PerspectiveCamera).fov] }
  if ('isOrthographicCamera' in object) return { kind: 'orthographic', values: [] }
  if (!('isLight' in object)) return undefined
  const light = object as Light
  // The loader takes the file's numbers for shown colours.
  const kind = 'isSpotLight' in object ? 'spot' : 'isDirectionalLight' in object ? 'directional' : 'point'
  return { kind, values: [light.intensity, ...light.color.clone().convertLinearToSRGB().toArray()] }
}

interface Placement {
  translation?: number[]
  rotation?: number[]
  scale?: number[]
}

// The loader keeps only the matrices of nodes and takes them apart again, which loses on which axes they are mirrored,
// and lays a file with Z up on its side by turning the topmost object, whatever turn that had. Here every node gets
// back what the file says.
function asTheFileSays(root: Object3D): 'y' | 'z' {
  const up = root.rotation.x === -Math.PI / 2 && root.rotation.y === 0 && root.rotation.z === 0 ? 'z' : 'y'
  root.rotation.set(0, 0, 0)
  root.traverse((object) => {
    const own = object.userData.transformData as Placement | undefined
    if (
      !own ||
      Object.keys(own).some((key) => key.includes('Rotation') || key.includes('Pivot') || key.includes('Offset'))
    )
      return
    const [x = 0, y = 0, z = 0] = (own.rotation ?? []).map((degrees) => MathUtils.degToRad(degrees))
    object.position.fromArray(own.translation ?? [0, 0, 0])
    object.quaternion.setFromEuler(new Euler(x, y, z, 'ZYX'))
    object.scale.fromArray(own.scale ?? [1, 1, 1])
  })
  return up
}

function described(material: MeshPhongMaterial): ReadBack['materials'][number] {
  const textures: Record<string, string> = {}
  for (const slot of MAPS) {
    const texture = material[slot]
    if (texture) textures[slot] = `${String(texture.userData.file)}/${texture.channel}`
  }
  return {
    name: material.name ?? '',
    values: {
      // The loader takes colours for display values; these are what the file says.
      'base colour': [...material.color.clone().convertLinearToSRGB().toArray(), material.opacity],
      emissive: material.emissive.clone().convertLinearToSRGB().toArray(),
    },
    textures,
  }
}
