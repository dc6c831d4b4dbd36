import {
  ClampToEdgeWrapping,
  Color,
  DoubleSide,
  FrontSide,
  LinearMipmapLinearFilter,
  MeshBasicMaterial,
  MeshPhysicalMaterial,
  MeshStandardMaterial,
  MirroredRepeatWrapping,
  NearestFilter,
  NoColorSpace,
  RepeatWrapping,
  SRGBColorSpace,
  Texture,
  type Material,
} from 'three'
import { blobs } from './blobs'
import { hatchedPaper, lostColor } from './hatch'
import type { MaterialData, SceneData, TextureRef, Wrap } from './manifest'

const WRAPS: Record<Wrap, 1000 | 1001 | 1002> = {
  repeat: RepeatWrapping,
  clamp: ClampToEdgeWrapping,
  mirror: MirroredRepeatWrapping,
}
const MOST_KEPT = 200
const kept = new Map<string, Promise<Texture>>()

// A texture by its picture and how it is read; the same picture is decoded once for each way.
function texture(scene: SceneData, ref: TextureRef, colored: boolean): Promise<Texture> | null {
  const used = scene.textures[ref.texture]
  const picture = used ? scene.pictures[used.image] : null
  if (!used || !picture) return null
  const key = JSON.stringify([picture, used.sampler, { ...ref, texture: 0 }, colored])
  const known = kept.get(key)
  if (known) return known
  const made = load(picture).then((image) => {
    const found = new Texture(image)
    found.flipY = false
    found.colorSpace = colored ? SRGBColorSpace : NoColorSpace
    found.wrapS = WRAPS[used.sampler.wrap_u]
    found.wrapT = WRAPS[used.sampler.wrap_v]
    if (used.sampler.filter === 'nearest') found.magFilter = found.minFilter = NearestFilter
    else found.minFilter = LinearMipmapLinearFilter
    found.anisotropy = 8
    found.channel = ref.uv_set
    found.offset.fromArray(ref.offset)
    found.repeat.fromArray(ref.scale)
    found.rotation = ref.rotation_rad
    found.needsUpdate = true
    return found
  })
  kept.set(key, made)
  made.catch(() => kept.delete(key))
  if (kept.size > MOST_KEPT) {
    const oldest = kept.keys().next().value
    if (oldest !== undefined) kept.delete(oldest)
  }
  return made
}

const pictures = new Map<string, Promise<ImageBitmap>>()
function load(name: string): Promise<ImageBitmap> {
  const known = pictures.get(name)
  if (known) return known
  const options: ImageBitmapOptions = { premultiplyAlpha: 'none', colorSpaceConversion: 'none' }
  const made = blobs.get(name).then((data) => createImageBitmap(new Blob([data]), options))
  pictures.set(name, made)
  made.catch(() => pictures.delete(name))
  return made
}

const lacking = (data: MaterialData) => !data.clearcoat && !data.sheen && !data.transmission && !data.iridescence

interface Vertices {
  colored: boolean
  tangents: boolean
}

// The material of three.js for one of ours, which remembers its number.
export async function material(scene: SceneData, index: number | null, vertices: Vertices): Promise<Material> {
  const made = await drawnBy(scene, index, vertices)
  made.userData.material = index
  return made
}

// What it has no place for is left out here, for looking only.
async function drawnBy(scene: SceneData, index: number | null, { colored, tangents }: Vertices): Promise<Material> {
  const data = index === null ? null : scene.materials[index]
  if (!data) return new MeshStandardMaterial({ color: '#b9b2a6', roughness: 0.8, metalness: 0, vertexColors: colored })
  const find = (ref: TextureRef | null, isColor: boolean) => (ref ? texture(scene, ref, isColor) : null)
  const lost = lostColor(data)
  const [base, packed, normal, occlusion, emissive] = await Promise.all([
    lost === null ? find(data.base_color_texture, true) : hatchedPaper(lost),
    find(data.metallic_roughness_texture, false),
    find(data.normal_texture, false),
    find(data.occlusion_texture, false),
    find(data.emissive_texture, true),
  ])
  const [red, green, blue, alpha] = data.base_color
  const common = {
    name: data.name,
    color: new Color(red, green, blue),
    map: base,
    vertexColors: colored,
    side: data.double_sided ? DoubleSide : FrontSide,
    transparent: data.alpha_mode === 'BLEND',
    depthWrite: data.alpha_mode !== 'BLEND',
    opacity: data.alpha_mode === 'OPAQUE' ? 1 : alpha,
    alphaTest: data.alpha_mode === 'MASK' ? data.alpha_cutoff : 0,
  } as const
  if (data.unlit) return new MeshBasicMaterial(common)
  const lit = {
    ...common,
    metalness: data.metallic,
    roughness: data.roughness,
    metalnessMap: packed,
    roughnessMap: packed,
    normalMap: normal,
    aoMap: occlusion,
    aoMapIntensity: data.occlusion_strength,
    emissive: new Color(...data.emissive),
    emissiveIntensity: data.emissive_strength,
    emissiveMap: emissive,
  }
  const made = lacking(data) ? new MeshStandardMaterial(lit) : layered(data, lit)
  made.normalScale.setScalar(data.normal_scale)
  // Without tangents the library works them out along V upwards.
  if (!tangents) made.normalScale.y *= -1
  return made
}

function layered(data: MaterialData, lit: object): MeshPhysicalMaterial {
  const made = new MeshPhysicalMaterial({ ...lit, ior: data.ior })
  if (data.clearcoat) {
    made.clearcoat = data.clearcoat.factor
    made.clearcoatRoughness = data.clearcoat.roughness
  }
  if (data.sheen) {
    made.sheen = 1
    made.sheenColor = new Color(...data.sheen.color)
    made.sheenRoughness = data.sheen.roughness
  }
  if (data.transmission) made.transmission = data.transmission.factor
  if (data.iridescence) {
    made.iridescence = data.iridescence.factor
    made.iridescenceIOR = data.iridescence.ior
  }
  return made
}
