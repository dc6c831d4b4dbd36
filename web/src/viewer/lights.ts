import {
  AmbientLight,
  BackSide,
  BoxGeometry,
  Color,
  DirectionalLight,
  Mesh,
  MeshBasicMaterial,
  PlaneGeometry,
  PMREMGenerator,
  Scene,
  ShadowMaterial,
  SphereGeometry,
  Vector3,
  type Texture,
  type WebGLRenderer,
} from 'three'

// A side of what is mirrored. The library takes 256 at the least; soft panels need no more than these.
const TEXELS = 64
// Where the processor draws, more cost most of a second each time the page is opened.
const TEXELS_BY_PROCESSOR = 32

type Triple = [number, number, number]

function drawnByProcessor(renderer: WebGLRenderer): boolean {
  const gl = renderer.getContext()
  const named = gl.getExtension('WEBGL_debug_renderer_info')
  const name = String(gl.getParameter(named ? named.UNMASKED_RENDERER_WEBGL : gl.RENDERER))
  return /swiftshader|llvmpipe|software|basic render/i.test(name)
}

// A sky with a few soft panels, for reflections on metal.
function surroundings(renderer: WebGLRenderer): Texture {
  const scene = new Scene()
  scene.add(new Mesh(new SphereGeometry(20, 24, 16), new MeshBasicMaterial({ color: '#b9c4c2', side: BackSide })))
  const panel = (color: string, strength: number, size: Triple, at: Triple) => {
    const shine = new MeshBasicMaterial({ color: new Color(color).multiplyScalar(strength) })
    const mesh = new Mesh(new BoxGeometry(...size), shine)
    mesh.position.set(...at)
    scene.add(mesh)
  }
  panel('#fff6e4', 7, [9, 0.2, 7], [4, 11, 4])
  panel('#d8f0f2', 3, [0.2, 8, 10], [-13, 4, 0])
  panel('#ffe9cf', 2.5, [6, 6, 0.2], [8, 4, 13])
  panel('#6d6152', 1, [30, 0.2, 30], [0, -9, 0])
  const generator = new PMREMGenerator(renderer)
  const side = drawnByProcessor(renderer) ? TEXELS_BY_PROCESSOR : TEXELS
  Object.assign(generator, {
    _setSize(this: { _cubeSize: number }) {
      this._cubeSize = side
    },
  })
  const texture = generator.fromScene(scene, 0.03).texture
  generator.dispose()
  return texture
}

// Key light with shadow, a sky, and a ground that only takes the shadow.
export class Lights {
  private readonly key = new DirectionalLight('#fff3df', 2.0)
  private angle = 0
  private reach = 1
  private placed = ''
  private readonly ground = new Mesh(new PlaneGeometry(1, 1), new ShadowMaterial({ opacity: 0.17 }))

  constructor(scene: Scene, renderer: WebGLRenderer) {
    scene.environment = surroundings(renderer)
    scene.environmentIntensity = 1.05
    this.key.castShadow = true
    this.key.shadow.bias = -0.0006
    this.key.shadow.radius = 5
    this.ground.rotation.x = -Math.PI / 2
    this.ground.receiveShadow = true
    scene.add(this.key, this.key.target, this.ground, new AmbientLight('#fff7ec', 0.35))
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
