import {
  AmbientLight,
  CompressedCubeTexture,
  DirectionalLight,
  HalfFloatType,
  LinearMipmapLinearFilter,
  Mesh,
  PlaneGeometry,
  RGBAFormat,
  Scene,
  ShadowMaterial,
  Vector3,
  type Texture,
} from 'three'
import { Blobs, bytesAt } from './blobs'
import mirrored from './surroundings.bin?url'

// A cube of EDGE texels a side and its LEVELS, as tools/surroundings.py writes it: a sky with a few soft panels, for
// reflections on metal. Filtering it here takes longer than all else where there is no graphics card.
const EDGE = 64
const LEVELS = 4

const light = new Blobs((address) => bytesAt(address, 'The light that surrounds the model could not be loaded.'))

function surroundings(data: ArrayBuffer): Texture {
  const halves = new Uint16Array(data)
  const faces = Array.from({ length: 6 }, () => ({
    width: EDGE,
    height: EDGE,
    mipmaps: [] as { data: Uint16Array; width: number; height: number }[],
  }))
  let at = 0
  for (let level = 0; level < LEVELS; level += 1) {
    const side = EDGE >> level
    for (const { mipmaps } of faces) {
      mipmaps.push({ data: halves.subarray(at, (at += side * side * 4)), width: side, height: side })
    }
  }
  // Only what may be compressed brings levels of its own.
  const cube = new CompressedCubeTexture(faces)
  Object.assign(cube, { format: RGBAFormat, type: HalfFloatType, isPMREMTexture: true })
  cube.minFilter = LinearMipmapLinearFilter
  cube.generateMipmaps = false
  cube.needsUpdate = true
  return cube
}

// Key light with shadow, a sky, and a ground that only takes the shadow.
export class Lights {
  private readonly key = new DirectionalLight('#fff3df', 2.0)
  private angle = 0
  private reach = 1
  private placed = ''
  private readonly ground = new Mesh(new PlaneGeometry(1, 1), new ShadowMaterial({ opacity: 0.17 }))

  constructor(private readonly scene: Scene) {
    scene.environmentIntensity = 1.05
    this.key.castShadow = true
    this.key.shadow.bias = -0.0006
    this.key.shadow.radius = 5
    this.ground.rotation.x = -Math.PI / 2
    this.ground.receiveShadow = true
    scene.add(this.key, this.key.target, this.ground, new AmbientLight('#fff7ec', 0.35))
  }

  // To be waited for before the first model is drawn: its materials are made for what they mirror.
  async ready(): Promise<void> {
    const data = await light.get(mirrored)
    this.scene.environment ??= surroundings(data)
  }

  // Turn the key light about the upright axis.
  turn(by: number): void {
    this.angle += by
    this.aim()
  }

  private aim(): void {
    const from = new Vector3(0.5, 1.1, 0.65).applyAxisAngle(new Vector3(0, 1, 0), this.angle)
    this.key.position.copy(this.key.target.position).add(from.multiplyScalar(this.reach))
  }

  // A shadow no finer than what is seen, by the longer side of the picture in texels.
  sharpen(texels: number): void {
    const size = Math.min(2048, 2 ** Math.ceil(Math.log2(Math.max(texels, 512))))
    if (this.key.shadow.mapSize.x === size) return
    this.key.shadow.mapSize.set(size, size)
    this.key.shadow.map?.dispose()
    this.key.shadow.map = null
  }

  // True where that is elsewhere than before, so that shadows fall anew.
  place(center: Vector3, radius: number, floor: number): boolean {
    const now = [...center.toArray(), radius, floor].join()
    if (now === this.placed) return false
    this.placed = now
    this.reach = radius * 2.2
    this.key.target.position.copy(center)
    this.aim()
    const shade = this.key.shadow.camera
    shade.left = shade.bottom = -radius * 1.6
    shade.right = shade.top = radius * 1.6
    shade.near = radius * 0.2
    shade.far = radius * 7
    shade.updateProjectionMatrix()
    this.ground.scale.setScalar(radius * 14)
    this.ground.position.set(center.x, floor - radius * 0.002, center.z)
    return true
  }
}
