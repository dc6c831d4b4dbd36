import {
  Texture,
  type BufferAttribute,
  type BufferGeometry,
  type Line,
  type Material,
  type Mesh,
  type MeshStandardMaterial,
  type Object3D,
  type Points,
  type SkinnedMesh,
} from 'three'
import { GLTFLoader, type GLTF, type GLTFLoaderPlugin, type GLTFParser } from 'three/examples/jsm/loaders/GLTFLoader.js'
import { MeshoptDecoder } from 'three/examples/jsm/libs/meshopt_decoder.module.js'
import { geometryOf } from './attributes'
import { movesOf } from './moves'
import { nothingRead, type Arrays, type Part, type ReadBack } from './readback'

const MAPS = ['map', 'normalMap', 'roughnessMap', 'metalnessMap', 'aoMap', 'emissiveMap'] as const

type Drawn = Mesh | Points | Line

interface Json {
  nodes?: { name?: string; children?: number[] }[]
  materials?: { name?: string }[]
  textures?: { source?: number; extensions?: { EXT_texture_webp?: { source?: number } } }[]
  images?: { uri?: string; bufferView?: number }[]
  buffers?: { uri?: string }[]
  animations?: {
    samplers: { input: number; output: number; interpolation?: string }[]
    channels: {
      sampler: number
      target: { path: string; extensions?: { KHR_animation_pointer?: { pointer: string } } }
    }[]
  }[]
}

// Pictures are not decoded here; a texture only remembers which image it shows. Files beside come from the folder.
function offline(parser: GLTFParser, beside: (name: string) => Buffer): GLTFLoaderPlugin {
  const json = parser.json as Json
  const inside = parser.loadBuffer.bind(parser)
  parser.loadBuffer = (index: number) => {
    const uri = json.buffers?.[index]?.uri
    if (uri === undefined || uri.startsWith('data:')) return inside(index)
    const data = beside(uri)
    return Promise.resolve(data.buffer.slice(data.byteOffset, data.byteOffset + data.byteLength) as ArrayBuffer)
  }
  return {
    // In the place of the loader's own for such textures, which would want to decode them.
    name: 'EXT_texture_webp',
    loadTexture: (index: number) => {
      const texture = new Texture()
      const listed = json.textures?.[index]
      texture.userData.image = listed?.extensions?.EXT_texture_webp?.source ?? listed?.source ?? -1
      texture.flipY = false
      return Promise.resolve(texture)
    },
  } as unknown as GLTFLoaderPlugin
}

export async function readGltf(
  data: Buffer,
  beside: (name: string) => Buffer,
  arrays: Arrays,
  mostPosed: number,
): Promise<ReadBack> {
  const loader = new GLTFLoader()
  loader.setMeshoptDecoder(MeshoptDecoder)
  loader.register((parser) => offline(parser, beside))
  const bytes = data.buffer.slice(data.byteOffset, data.byteOffset + data.byteLength) as ArrayBuffer
  const gltf = await loader.parseAsync(bytes, '')
  const found = new Walk(gltf, arrays, mostPosed).result()
  found.images = await pictures(gltf.parser, beside, arrays)
  found.looks = await pointed(gltf.parser, arrays)
  return found
}

// The loader plays what moves nodes; the keys of all else are taken as they stand.
async function pointed(parser: GLTFParser, arrays: Arrays): Promise<ReadBack['looks']> {
  const found: ReadBack['looks'] = []
  for (const [clip, { samplers, channels }] of ((parser.json as Json).animations ?? []).entries())
    for (const { sampler, target } of channels) {
      const pointer = target.extensions?.KHR_animation_pointer?.pointer
      const keys = samplers[sampler]
      if (target.path !== 'pointer' || pointer === undefined || !keys) continue
      const [times, values] = (await Promise.all(
        [keys.input, keys.output].map((accessor) => parser.getDependency('accessor', accessor)),
      )) as BufferAttribute[]
      const stored = ({ array, itemSize }: BufferAttribute) => arrays.add(Float32Array.from(array), itemSize)
      const how = keys.interpolation ?? 'LINEAR'
      found.push({ clip, pointer, how, times: stored(times!), values: stored(values!) })
    }
  return found
}

async function pictures(
  parser: GLTFParser,
  beside: (name: string) => Buffer,
  arrays: Arrays,
): Promise<ReadBack['images']> {
  const found: ReadBack['images'] = []
  for (const image of (parser.json as Json).images ?? []) {
    const data =
      image.bufferView !== undefined
        ? new Uint8Array((await parser.getDependency('bufferView', image.bufferView)) as ArrayBuffer)
        : image.uri?.startsWith('data:')
          ? new Uint8Array(Buffer.from(image.uri.slice(image.uri.indexOf(',') + 1), 'base64'))
          : new Uint8Array(beside(image.uri ?? ''))
    found.push(arrays.add(data, 1))
  }
  return found
}

class Walk {
  private readonly json: Json
  private readonly objects: (Object3D | undefined)[] = []
  private readonly geometries = new Map<BufferGeometry, number>()
  private readonly drawn: Drawn[] = []
  private readonly out: ReadBack

  constructor(
    private readonly gltf: GLTF,
    private readonly arrays: Arrays,
    private readonly mostPosed: number,
  ) {
    this.json = gltf.parser.json as Json
    this.out = nothingRead()
  }

  result(): ReadBack {
    this.gltf.scene.updateMatrixWorld(true)
    this.nodes()
    this.materials()
    this.gltf.scene.traverse((object) => this.part(object))
    movesOf(this.gltf.scene, this.gltf.animations, this.drawn, this.arrays, this.mostPosed, this.out)
    return this.out
  }

  private nodes(): void {
    const shown = new Set<Object3D>()
    this.gltf.scene.traverse((object) => shown.add(object))
    for (const [object, at] of this.gltf.parser.associations as Map<Object3D, { nodes?: number } | undefined>) {
      if (at?.nodes !== undefined && object.isObject3D && (this.objects[at.nodes] === undefined || shown.has(object)))
        this.objects[at.nodes] = object
    }
    // Nodes that no scene shows are not there at all.
    const index = new Map<Object3D, number>()
    this.objects.forEach((object, i) => object && index.set(object, i))
    this.out.nodes = (this.json.nodes ?? []).map((_, i) => {
      const object = this.objects[i]
      return {
        name: (object?.userData.name as string | undefined) ?? object?.name ?? '',
        parent: object?.parent ? (index.get(object.parent) ?? -1) : -1,
        world: object ? object.matrixWorld.toArray() : [],
        shown: object !== undefined && shown.has(object),
      }
    })
  }

  private materials(): void {
    const listed = this.json.materials ?? []
    this.out.materials = listed.map((_, i) => ({ name: listed[i]?.name ?? '', values: {}, textures: {} }))
  }

  private material(material: Material): number {
    const at = this.gltf.parser.associations.get(material) as { materials?: number } | undefined
    const index = at?.materials ?? -1
    const found = this.out.materials[index]
    if (!found) return -1
    const standard = material as MeshStandardMaterial
    found.name = standard.name
    found.values = {
      'base colour': [standard.color.r, standard.color.g, standard.color.b, standard.opacity],
      ...(standard.isMeshStandardMaterial && {
        metallic: [standard.metalness],
        roughness: [standard.roughness],
        emissive: standard.emissive.toArray().map((v) => v * standard.emissiveIntensity),
      }),
    }
    for (const slot of MAPS) {
      const texture = standard[slot] as Texture | null | undefined
      if (texture) found.textures[slot] = `${String(texture.userData.image)}/${texture.channel}`
    }
    return index
  }

  private part(object: Object3D): void {
    const drawn = object as Drawn
    const kind = 'isMesh' in drawn ? 'triangles' : 'isPoints' in drawn ? 'points' : 'isLine' in drawn ? 'lines' : null
    if (kind === null) return
    const at = this.gltf.parser.associations.get(object) as { nodes?: number; primitives?: number } | undefined
    const own = at?.nodes ?? this.nodeAbove(object)
    if (!this.geometries.has(drawn.geometry)) {
      this.geometries.set(drawn.geometry, this.out.geometries.length)
      this.out.geometries.push(geometryOf(drawn.geometry, this.arrays))
    }
    const corners = drawn.geometry.getIndex()?.count ?? drawn.geometry.getAttribute('position').count
    const skinned = drawn as SkinnedMesh
    const part: Part = {
      node: own,
      primitive: at?.primitives ?? 0,
      kind,
      geometry: this.geometries.get(drawn.geometry) ?? -1,
      materials: [[0, corners, this.material(drawn.material as Material)]],
      skin: skinned.isSkinnedMesh
        ? {
            joints: skinned.skeleton.bones.map((bone) => this.objects.indexOf(bone)),
            inverseBind: skinned.skeleton.boneInverses.map((matrix) => matrix.toArray()),
          }
        : null,
    }
    this.out.parts.push(part)
    this.drawn.push(drawn)
  }

  // Primitives of a mesh with several hang below their node, maybe in a group; one alone is the node itself.
  private nodeAbove(object: Object3D): number {
    for (let up = object.parent; up; up = up.parent) {
      const found = this.objects.indexOf(up)
      if (found >= 0) return found
    }
    return -1
  }
}
