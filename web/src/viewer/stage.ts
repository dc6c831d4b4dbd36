import {
  NeutralToneMapping,
  OrthographicCamera,
  PCFShadowMap,
  PerspectiveCamera,
  Scene,
  Sphere,
  SRGBColorSpace,
  Vector3,
  WebGLRenderer,
  type Box3,
} from 'three'
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js'
import { Bones, type Joint } from './bones'
import { build, hideParts, letGo, type Built, type Drawn } from './build'
import type { Keys } from '../model/curves'
import type { FaceSet } from '../model/faces'
import { ChosenFaces } from './chosen'
import { clipRows, FROM, parallelEye, pictureOf, reachTo, type Axis } from './eye'
import { boxOf, pointsOf } from './extent'
import { framing, viewpoint } from './framing'
import { Lights } from './lights'
import { Guides } from './guides'
import { Handles, type Grip, type Held } from './handles'
import { Dress } from './dress'
import type { Backs } from './backs'
import type { Look } from './looks'
import { told } from './manifest'
import { meet, type Met } from './meet'
import { Motion, type JointAt, type Stand } from './motion'
import { partsWithin, type Sides } from './parts'
import { Turntable } from './turntable'
import { Wipe } from './wipe'

export type { Axis, Backs, Look }
// The viewport: shows one stored scene. Knows nothing of Vue. It outlives the page that shows it, so that opening the
// next model needs no new graphics context.
export class Stage {
  readonly renderer: WebGLRenderer
  private readonly scene = new Scene()
  private readonly camera = new PerspectiveCamera(34, 1, 0.01, 1000)
  private readonly controls: OrbitControls
  private readonly lights: Lights
  private readonly guides: Guides
  private readonly flatEye = new OrthographicCamera()
  private parallel = false
  private readonly watcher = new ResizeObserver(() => this.resize())
  private home: HTMLElement | null = null
  private built: Built | null = null
  private motion: Motion | null = null
  private stand: Stand = []
  private bones: Bones | null = null
  private readonly handles: Handles
  private readonly turntable: Turntable
  private hidden: ReadonlySet<string> = new Set()
  private asked = 0
  private waiting = false
  private measuring: Vector3[] = []
  private readonly faces = new ChosenFaces()
  private readonly wipe = new Wipe(this.scene)
  readonly dress = new Dress(
    () => this.all(),
    () => this.draw(),
  )
  framesDrawn = 0

  constructor() {
    this.renderer = new WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true })
    this.renderer.outputColorSpace = SRGBColorSpace
    this.renderer.toneMapping = NeutralToneMapping
    Object.assign(this.renderer.shadowMap, { enabled: true, type: PCFShadowMap, autoUpdate: false })
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
    this.renderer.domElement.style.cssText = 'display:block;width:100%;height:100%;touch-action:none'
    this.lights = new Lights(this.scene)
    this.guides = new Guides(this.scene)
    this.controls = new OrbitControls(this.camera, this.renderer.domElement)
    this.controls.enableDamping = false
    this.controls.zoomToCursor = true
    this.controls.addEventListener('change', () => this.redraw())
    this.controls.addEventListener('start', () => this.turn(false))
    const busy = (dragging: boolean) => (this.controls.enabled = !dragging)
    this.handles = new Handles(this.scene, this.camera, this.renderer.domElement, busy, () => this.redraw())
    this.turntable = new Turntable(this.camera, this.controls.target, () => this.redraw())
  }

  // Stand in an element of the page; what was shown elsewhere is cleared.
  attach(home: HTMLElement): void {
    this.detach()
    this.home = home
    home.append(this.renderer.domElement)
    this.watcher.observe(home)
    this.resize()
  }

  detach(): void {
    this.turntable.stop()
    this.asked += 1
    this.clear()
    this.watcher.disconnect()
    this.renderer.domElement.remove()
    this.home = null
  }

  // Load and show a scene; the camera is kept when the new one is of about the same size and place.
  async show(manifest: string): Promise<boolean> {
    const mine = ++this.asked
    const [data] = await Promise.all([told(manifest), this.lights.ready()])
    const built = await build(data)
    if (mine !== this.asked) return false
    const before = this.built ? this.bounds() : null
    this.clear()
    this.built = built
    this.motion = new Motion(data, built)
    this.stand = []
    for (const drawn of built.drawn) this.dress.prepare(drawn)
    this.scene.add(built.root)
    built.root.updateMatrixWorld(true)
    this.dress.again()
    this.endMeasuring()
    this.setVisible(this.hidden)
    const after = this.bounds()
    const grown = before ? Math.abs(Math.log(after.radius / before.radius)) : Infinity
    const same = before && grown < 0.2 && after.center.distanceTo(before.center) < before.radius * 0.2
    if (same) this.settle(after)
    else this.fit()
    return true
  }

  // Show another state beside it, parted by a line; none takes it away. It goes with the next scene.
  async beside(manifest: string): Promise<void> {
    const [mine, turn] = [this.asked, ++this.wipe.asked]
    const data = manifest ? await told(manifest) : null
    const other = data ? await build(data) : null
    if (mine !== this.asked || turn !== this.wipe.asked || !(other || this.wipe.there)) return
    const before = this.wipe.share
    this.wipe.put(other, data && other && new Motion(data, other))
    void this.pose(this.stand)
    for (const drawn of this.wipe.drawn) this.dress.prepare(drawn)
    this.dress.again()
    this.setVisible(this.hidden)
    if (other ? this.wipe.share < 1 : this.wipe.share !== before) this.fit()
  }

  // Where the two part, from 0 to 1 across; null: they stand side by side.
  part(at: number | null): void {
    const before = this.wipe.share
    this.wipe.at = at
    if (this.built && this.wipe.share !== before) this.fit()
    else this.draw()
  }

  private all(): Drawn[] {
    return [...this.drawn, ...this.wipe.drawn]
  }

  setVisible(hidden: ReadonlySet<string>): void {
    this.hidden = hidden
    let changed = false
    for (const one of this.all()) changed = hideParts(one, hidden) || changed
    if (changed) this.draw()
  }

  setGuides(wanted: { grid: boolean; person: boolean }): void {
    if (this.guides.show(wanted) && this.built) this.fit()
    this.draw()
  }

  get square(): number {
    return this.guides.square
  }

  setParallel(on: boolean): void {
    this.parallel = on
    this.draw()
  }

  turnLight(by: number): void {
    this.lights.turn(by)
    this.draw()
  }

  // Look along an axis at what is visible.
  viewFrom(axis: Axis): void {
    this.turntable.stop()
    this.fit(new Vector3(...FROM[axis]).normalize())
  }

  get drawn(): Drawn[] {
    return this.built?.drawn ?? []
  }

  partsWithin(sides: Sides): string[] {
    return partsWithin(this.drawn, this.hidden, this.eye(), sides)
  }

  // What is in sight as a PNG with a see-through ground, at twice the size.
  async picture(): Promise<Blob | null> {
    const made = await pictureOf(this.renderer, () => this.render())
    this.draw()
    return made
  }

  // The next point of a measurement; the distance once there are two, and a third begins anew.
  measure(across: number, down: number): number | null {
    const found = this.hit(across, down)
    if (found) this.measuring = [...(this.measuring.length < 2 ? this.measuring : []), found.point]
    this.guides.measure(this.measuring)
    this.redraw()
    return this.guides.distance
  }

  endMeasuring(): void {
    if (!this.measuring.length) return
    this.measuring = []
    this.guides.measure([])
    this.redraw()
  }

  // What is under a point of the element, from 0 to 1 across and down; null for nothing.
  hit(across: number, down: number): Met | null {
    const seen = this.wipe.seenAt(across, down)
    return seen && meet(this.drawn, this.hidden, this.eye(), seen)
  }

  mark(faces: FaceSet[], parts: string[]): void {
    if (this.faces.mark(this.drawn, faces, parts)) this.redraw()
  }

  // Clip space from the world, by rows.
  clipFromWorld(): number[] {
    return clipRows(this.eye())
  }

  // Turn slowly by itself until somebody takes hold of it.
  turn(on: boolean): void {
    if (on) this.turntable.start(this.bounds())
    else this.turntable.stop()
  }

  // Stand as clips have it, what is shown beside it too; without moments as it stands by itself.
  async pose(stand: Stand): Promise<void> {
    this.stand = stand
    const { motion, wipe } = this
    if (!motion) return
    const rested = () => motion.rested && (wipe.motion?.rested ?? true)
    const before = rested()
    const beside = wipe.motion?.pose(wipe.motion.alike(stand, motion))
    const [stood] = await Promise.all([motion.pose(stand), beside])
    if (stood && motion === this.motion && !(before && rested())) this.draw()
  }

  // The joints over the model, but those below some; the list of all. One stands out.
  setBones(on: boolean, hidden: ReadonlySet<string> = new Set(), chosen = ''): Joint[] {
    if (on && this.built && !this.bones) {
      this.bones = new Bones(this.built)
      this.scene.add(this.bones.group)
    } else if (!on) {
      if (!this.bones) return []
      this.dropBones()
    }
    this.bones?.show(hidden, chosen)
    this.redraw()
    return this.bones?.joints ?? []
  }

  // Rings or arrows at a joint; at none they go.
  setHandles(joint: string, how: Grip, held: Held): void {
    const object = joint ? this.built?.nodes.find((node) => node.name === joint) : null
    this.handles.at(object ?? null, how, held)
    this.redraw()
  }

  // Whether the pointer is on a handle, where a click chooses nothing.
  get handled(): boolean {
    return this.handles.touched
  }

  // Joints placed by hand, over how the model stands.
  async place(joints: JointAt[]): Promise<void> {
    await this.pose(this.stand)
    this.motion?.put(joints)
    this.draw()
  }

  private dropBones(): void {
    this.bones?.group.removeFromParent()
    this.bones?.dispose()
    this.bones = null
  }

  // The joint at a point of the element, from 0 to 1 across and down; empty for none, or where none are shown.
  jointAt(across: number, down: number): string {
    const seen = this.wipe.seenAt(across, down)
    if (!this.bones || !seen) return ''
    return this.bones.near(seen[0] * 2 - 1, 1 - seen[1] * 2, this.eye(), this.camera.aspect)
  }

  keysOf(clip: number, joint: string): Keys[] {
    return this.motion?.keysOf(clip, joint) ?? []
  }

  // Frame what is visible. Near and far follow, from a millimetre to ten kilometres.
  fit(from?: Vector3): void {
    const { center, radius } = this.bounds()
    const back = from ?? viewpoint(this.box().getSize(new Vector3()))
    const tall = Math.tan((this.camera.fov * Math.PI) / 360)
    const found = framing(this.points(), back, tall, this.camera.aspect * this.wipe.share)
    const target = found?.target ?? center
    this.controls.target.copy(target)
    this.camera.position.copy(target).addScaledVector(back, Math.max(found?.away ?? radius * 4, radius * 0.2))
    this.settle({ center, radius })
    this.controls.update()
  }

  private *points(): Generator<Vector3> {
    yield* this.guides.points()
    yield* pointsOf(this.wipe.share < 1 ? this.all() : this.drawn, this.hidden)
  }

  private settle({ center, radius }: { center: Vector3; radius: number }): void {
    this.controls.minDistance = radius * 0.02
    this.controls.maxDistance = radius * 40
    const moved = this.lights.place(center, radius, this.box().min.y)
    this.guides.place(this.box())
    if (moved) this.draw()
    else this.redraw()
  }

  private box(): Box3 {
    return boxOf(this.drawn, this.hidden)
  }

  private bounds(): Sphere {
    const sphere = this.box().getBoundingSphere(new Sphere())
    sphere.radius = Math.max(sphere.radius, 1e-6)
    return sphere
  }

  private resize(): void {
    const { clientWidth, clientHeight } = this.home ?? { clientWidth: 0, clientHeight: 0 }
    if (!clientWidth || !clientHeight) return
    this.renderer.setSize(clientWidth, clientHeight, false)
    this.lights.sharpen(Math.max(clientWidth, clientHeight) * this.renderer.getPixelRatio())
    this.camera.aspect = clientWidth / clientHeight
    this.camera.updateProjectionMatrix()
    this.draw()
  }

  draw(): void {
    this.renderer.shadowMap.needsUpdate = true
    this.redraw()
  }

  // Seen from elsewhere, lit as before.
  private redraw(): void {
    if (this.waiting || !this.home) return
    this.waiting = true
    requestAnimationFrame(() => {
      this.waiting = false
      if (this.home) this.render()
    })
  }

  private render(): void {
    reachTo(this.camera, this.controls.target, this.built ? this.bounds().radius : 1)
    this.guides.face(this.camera)
    if (this.bones) this.built?.root.updateMatrixWorld()
    this.bones?.place()
    this.handles.follow(this.eye())
    this.wipe.render(this.renderer, this.built, this.eye())
    this.framesDrawn += 1
  }

  private eye(): PerspectiveCamera | OrthographicCamera {
    return this.parallel ? parallelEye(this.camera, this.controls.target, this.flatEye) : this.camera
  }

  // Geometries and textures stay with their caches; only what belongs to this scene alone goes.
  private clear(): void {
    if (!this.built) return
    this.motion = null
    this.dropBones()
    this.handles.at(null)
    this.faces.clear()
    this.wipe.put(null)
    this.scene.remove(this.built.root)
    letGo(this.built)
    this.built = null
  }
}

let shared: Stage | null = null

// The one viewport of the page.
export function theStage(): Stage {
  shared ??= new Stage()
  return shared
}
