import {
  AmbientLight,
  AnimationMixer,
  BackSide,
  Box3,
  BoxGeometry,
  Color,
  DirectionalLight,
  Group,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  Object3D,
  PCFShadowMap,
  PerspectiveCamera,
  PlaneGeometry,
  PMREMGenerator,
  Scene,
  ShaderMaterial,
  ShadowMaterial,
  SkinnedMesh,
  SphereGeometry,
  Sphere,
  SRGBColorSpace,
  NeutralToneMapping,
  Vector3,
  WebGLRenderer,
  type AnimationAction,
  type AnimationClip,
  type Material,
} from 'three'
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js'
import { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js'

export type Look = 'textured' | 'flat' | 'wire'

/** Hatching for faces seen from behind: stripes fixed to the screen, so that they never pass for a texture. */
function hatching() {
  return new ShaderMaterial({
    side: BackSide,
    uniforms: { one: { value: new Color('#c9775b') }, two: { value: new Color('#f0d9c8') } },
    vertexShader: `varying vec3 seen;
      #include <common>
      #include <skinning_pars_vertex>
      void main() {
        #include <beginnormal_vertex>
        #include <skinbase_vertex>
        #include <skinnormal_vertex>
        #include <begin_vertex>
        #include <skinning_vertex>
        seen = normalMatrix * objectNormal;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(transformed, 1.0);
      }`,
    fragmentShader: `uniform vec3 one; uniform vec3 two; varying vec3 seen;
      void main() {
        float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, 12.0);
        float light = 0.45 + 0.55 * abs(normalize(seen).z);
        gl_FragColor = vec4((stripe < 6.0 ? one : two) * light, 1.0);
        #include <colorspace_fragment>
      }`,
  })
}

/** The hatched back of a part; that of a skinned part follows its joints. */
function backOf(mesh: Mesh) {
  if (!(mesh instanceof SkinnedMesh)) return new Mesh(mesh.geometry, hatching())
  const back = new SkinnedMesh(mesh.geometry, hatching())
  back.bind(mesh.skeleton, mesh.bindMatrix)
  return back
}

/** A sky with a few soft panels, for reflections on metal. */
function surroundings(renderer: WebGLRenderer) {
  const scene = new Scene()
  scene.add(new Mesh(new SphereGeometry(20, 24, 16), new MeshBasicMaterial({ color: '#b9c4c2', side: BackSide })))
  const panel = (color: string, strength: number, size: [number, number, number], at: [number, number, number]) => {
    const mesh = new Mesh(new BoxGeometry(...size), new MeshBasicMaterial({ color: new Color(color).multiplyScalar(strength) }))
    mesh.position.set(...at)
    scene.add(mesh)
  }
  panel('#fff6e4', 7, [9, 0.2, 7], [4, 11, 4])
  panel('#d8f0f2', 3, [0.2, 8, 10], [-13, 4, 0])
  panel('#ffe9cf', 2.5, [6, 6, 0.2], [8, 4, 13])
  panel('#6d6152', 1, [30, 0.2, 30], [0, -9, 0])
  const generator = new PMREMGenerator(renderer)
  const texture = generator.fromScene(scene, 0.03).texture
  generator.dispose()
  return texture
}

interface Piece {
  mesh: Mesh
  back: Mesh | null
  own: Material | Material[]
}

/** The viewport: shows one glTF scene. Knows nothing of Vue. */
export class Stage {
  readonly renderer: WebGLRenderer
  private readonly scene = new Scene()
  private readonly camera = new PerspectiveCamera(34, 1, 0.01, 1000)
  private readonly controls: OrbitControls
  private readonly key = new DirectionalLight('#fff3df', 2.0)
  private readonly ground = new Mesh(new PlaneGeometry(1, 1), new ShadowMaterial({ opacity: 0.17 }))
  private readonly pieces = new Map<string, Piece[]>()
  private readonly watcher: ResizeObserver
  private readonly flat = new MeshStandardMaterial({ color: '#b8b1a4', roughness: 0.9, metalness: 0 })
  private readonly wire = new MeshBasicMaterial({ color: '#256a60', wireframe: true })
  private subject: Group | null = null
  private look: Look = 'textured'
  private names = new Set<string>()
  private asked = 0
  private waiting = false
  private turning = false
  private clips: AnimationClip[] = []
  private mixer: AnimationMixer | null = null
  private playing: AnimationAction | null = null
  framesDrawn = 0

  constructor(private readonly home: HTMLElement) {
    this.renderer = new WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true })
    this.renderer.outputColorSpace = SRGBColorSpace
    this.renderer.toneMapping = NeutralToneMapping
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = PCFShadowMap
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
    home.append(this.renderer.domElement)
    this.renderer.domElement.style.cssText = 'display:block;width:100%;height:100%;touch-action:none'
    this.scene.environment = surroundings(this.renderer)
    this.scene.environmentIntensity = 1.05
    this.key.castShadow = true
    this.key.shadow.mapSize.set(2048, 2048)
    this.key.shadow.bias = -0.0006
    this.key.shadow.radius = 5
    this.ground.rotation.x = -Math.PI / 2
    this.ground.receiveShadow = true
    this.scene.add(this.key, this.key.target, this.ground, new AmbientLight('#fff7ec', 0.35))
    this.controls = new OrbitControls(this.camera, this.renderer.domElement)
    this.controls.enableDamping = false
    this.controls.zoomToCursor = true
    this.controls.addEventListener('change', () => this.draw())
    this.controls.addEventListener('start', () => this.turn(false))
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(home)
    this.resize()
  }

  /** Load and show a scene; the camera is kept when the new one is of about the same size. */
  async show(url: string, parts: readonly string[]): Promise<void> {
    const mine = ++this.asked
    const { scene, animations } = await new GLTFLoader().loadAsync(url)
    if (mine !== this.asked) return
    const before = this.subject ? this.bounds() : null
    this.clear()
    this.subject = scene
    this.clips = animations
    this.mixer = animations.length ? new AnimationMixer(scene) : null
    this.names = new Set(parts)
    scene.traverse((node) => node instanceof Mesh && this.prepare(node))
    this.scene.add(scene)
    this.setLook(this.look)
    const after = this.bounds()
    const same = before && Math.abs(Math.log(after.radius / before.radius)) < 0.2 && after.center.distanceTo(before.center) < before.radius * 0.2
    if (same) this.place(after)
    else this.fit()
  }

  private prepare(mesh: Mesh) {
    mesh.castShadow = true
    mesh.receiveShadow = true
    const part = this.partName(mesh)
    const single = !(mesh.material instanceof MeshStandardMaterial && mesh.material.side !== 0)
    const back = single ? backOf(mesh) : null
    const list = this.pieces.get(part) ?? []
    list.push({ mesh, back, own: mesh.material })
    this.pieces.set(part, list)
    if (back) queueMicrotask(() => mesh.add(back))
  }

  /** The part's own name: the loader makes names fit for paths and keeps the file's in `userData.name` of nodes. */
  private partName(mesh: Object3D): string {
    for (let node: Object3D | null = mesh; node; node = node.parent) {
      const name: unknown = node.userData.name
      if (typeof name === 'string' && this.names.has(name)) return name
    }
    return mesh.userData.name ?? mesh.name
  }

  setVisible(hidden: ReadonlySet<string>) {
    for (const [name, list] of this.pieces) for (const { mesh } of list) mesh.visible = !hidden.has(name)
    this.draw()
  }

  setLook(look: Look) {
    this.look = look
    for (const list of this.pieces.values()) {
      for (const { mesh, back, own } of list) {
        mesh.material = look === 'textured' ? own : look === 'flat' ? this.flat : this.wire
        if (back) back.visible = look !== 'wire'
      }
    }
    this.draw()
  }

  /** Turn slowly by itself until somebody takes hold of it. */
  turn(on: boolean) {
    this.turning = on && !matchMedia('(prefers-reduced-motion: reduce)').matches
    if (!this.turning) return
    const { center, radius } = this.bounds()
    const half = Math.min(this.camera.fov, 2 * Math.atan(Math.tan((this.camera.fov * Math.PI) / 360) * this.camera.aspect) * (180 / Math.PI)) / 2
    const away = this.camera.position.clone().sub(this.controls.target).setLength((radius / Math.sin((half * Math.PI) / 180)) * 0.94)
    this.controls.target.copy(center)
    this.camera.position.copy(center).add(away)
    this.spin(performance.now())
  }

  private spin(before: number) {
    requestAnimationFrame((now) => {
      if (!this.turning) return
      const angle = ((now - before) / 1000) * 0.5
      const away = this.camera.position.clone().sub(this.controls.target).applyAxisAngle(new Vector3(0, 1, 0), angle)
      this.camera.position.copy(this.controls.target).add(away)
      this.camera.lookAt(this.controls.target)
      this.draw()
      this.spin(now)
    })
  }

  /** Play a clip round and round; `told` hears the time in seconds, every frame. */
  play(number: number, told: (seconds: number) => void) {
    const action = this.action(number)
    if (!action) return
    action.paused = false
    const step = (before: number) =>
      requestAnimationFrame((now) => {
        if (this.playing !== action || action.paused) return
        this.mixer?.update((now - before) / 1000)
        told(action.time)
        this.draw()
        step(now)
      })
    step(performance.now())
  }

  /** Hold a clip at a time. */
  hold(number: number, seconds: number) {
    const action = this.action(number)
    if (!action) return
    action.paused = true
    action.time = seconds
    this.mixer?.update(0)
    this.draw()
  }

  private action(number: number) {
    const clip = this.clips[number]
    if (!clip || !this.mixer) return null
    if (this.playing?.getClip() !== clip) {
      this.mixer.stopAllAction()
      this.playing = this.mixer.clipAction(clip).play()
    }
    return this.playing
  }

  /** Frame what is visible: flat things from higher up. Near and far follow, from a millimetre to ten kilometres. */
  fit() {
    const { center, radius } = this.bounds()
    const size = this.box().getSize(new Vector3())
    const flatness = Math.max(0, 1 - (3 * size.y) / Math.max(size.x, size.z, 1e-9))
    const back = new Vector3(0.55, 0.34 + 0.7 * flatness, 0.95).normalize()
    const { target, away } = this.framing(back)
    this.controls.target.copy(target)
    this.camera.position.copy(target).addScaledVector(back, away)
    this.place({ center, radius })
    this.controls.update()
  }

  /** From a direction, where to look and how far to stand so that every visible vertex is in the frame, just. */
  private framing(back: Vector3) {
    const right = new Vector3(0, 1, 0).cross(back).normalize()
    const up = back.clone().cross(right)
    const tall = Math.tan((this.camera.fov * Math.PI) / 360)
    const sides = [right.clone(), right.clone().negate(), up.clone(), up.clone().negate()]
    const slopes = [tall * this.camera.aspect, tall * this.camera.aspect, tall, tall]
    const reach = [-Infinity, -Infinity, -Infinity, -Infinity]
    const point = new Vector3()
    for (const list of this.pieces.values()) {
      for (const { mesh } of list) {
        const positions = mesh.geometry.getAttribute('position')
        if (!mesh.visible || !positions) continue
        mesh.updateWorldMatrix(true, false)
        const step = Math.max(1, Math.floor(positions.count / 4000))
        for (let i = 0; i < positions.count; i += step) {
          point.fromBufferAttribute(positions, i).applyMatrix4(mesh.matrixWorld)
          const depth = point.dot(back)
          for (let k = 0; k < 4; k++) reach[k] = Math.max(reach[k]!, point.dot(sides[k]!) + depth * slopes[k]!)
        }
      }
    }
    // The eye lies on the planes through the outermost points: two equations across, two upwards.
    const across = [(reach[0]! - reach[1]!) / 2, (reach[2]! - reach[3]!) / 2]
    const distance = Math.max((reach[0]! + reach[1]!) / (2 * slopes[0]!), (reach[2]! + reach[3]!) / (2 * slopes[2]!))
    const { center, radius } = this.bounds()
    if (!Number.isFinite(distance)) return { target: center, away: radius * 4 }
    const depth = center.dot(back)
    const target = right.multiplyScalar(across[0]!).addScaledVector(up, across[1]!).addScaledVector(back, depth)
    return { target, away: Math.max((distance - depth) * 1.2, radius * 0.2) }
  }

  private place({ center, radius }: Sphere | { center: Vector3; radius: number }) {
    const box = this.box()
    this.controls.minDistance = radius * 0.02
    this.controls.maxDistance = radius * 40
    this.key.position.copy(center).add(new Vector3(0.5, 1.1, 0.65).multiplyScalar(radius * 2.2))
    this.key.target.position.copy(center)
    const shade = this.key.shadow.camera
    shade.left = shade.bottom = -radius * 1.6
    shade.right = shade.top = radius * 1.6
    shade.near = radius * 0.2
    shade.far = radius * 7
    shade.updateProjectionMatrix()
    this.ground.scale.setScalar(radius * 14)
    this.ground.position.set(center.x, box.min.y - radius * 0.002, center.z)
    this.draw()
  }

  private box(): Box3 {
    const box = new Box3()
    for (const list of this.pieces.values()) for (const { mesh } of list) if (mesh.visible) box.union(new Box3().setFromObject(mesh))
    return box.isEmpty() && this.subject ? box.setFromObject(this.subject) : box
  }

  private bounds(): Sphere {
    const sphere = this.box().getBoundingSphere(new Sphere())
    sphere.radius = Math.max(sphere.radius, 1e-6)
    return sphere
  }

  private resize() {
    const { clientWidth, clientHeight } = this.home
    if (!clientWidth || !clientHeight) return
    this.renderer.setSize(clientWidth, clientHeight, false)
    this.camera.aspect = clientWidth / clientHeight
    this.camera.updateProjectionMatrix()
    this.draw()
  }

  draw() {
    if (this.waiting) return
    this.waiting = true
    requestAnimationFrame(() => {
      this.waiting = false
      const reach = this.camera.position.distanceTo(this.controls.target)
      const size = this.subject ? this.bounds().radius : 1
      this.camera.near = Math.max(reach - size * 3, reach * 0.002)
      this.camera.far = reach + size * 30
      this.camera.updateProjectionMatrix()
      this.renderer.render(this.scene, this.camera)
      this.framesDrawn += 1
    })
  }

  private clear() {
    if (!this.subject) return
    this.scene.remove(this.subject)
    for (const list of this.pieces.values()) {
      for (const { mesh, back, own } of list) {
        mesh.geometry.dispose()
        ;(back?.material as Material | undefined)?.dispose()
        for (const material of Array.isArray(own) ? own : [own]) {
          for (const value of Object.values(material)) if (value && typeof value === 'object' && 'isTexture' in value) (value as { dispose(): void }).dispose()
          material.dispose()
        }
      }
    }
    this.pieces.clear()
    this.mixer?.stopAllAction()
    this.mixer = this.playing = null
    this.subject = null
  }

  dispose() {
    this.turning = false
    this.asked += 1
    this.clear()
    this.watcher.disconnect()
    this.controls.dispose()
    this.renderer.dispose()
    this.renderer.domElement.remove()
  }
}
