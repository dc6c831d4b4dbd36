import {
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  Color,
  Group,
  Matrix4,
  Points,
  PointsMaterial,
  SkinnedMesh,
  Vector3,
  type Camera,
  type Object3D,
} from 'three'
import { LineMaterial } from 'three/examples/jsm/lines/LineMaterial.js'
import { LineSegments2 } from 'three/examples/jsm/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/examples/jsm/lines/LineSegmentsGeometry.js'
import type { Built } from './build'

export interface Joint {
  name: string
  depth: number
  // The number of the joint above it among all, -1 for none.
  above: number
  // No vertex follows it, and none that stands below it.
  idle: boolean
}

// By the side of the body that a joint lies on at rest: left is +X where the front is +Z.
const [LEFT, RIGHT, MIDDLE, IDLE, CHOSEN] = ['#d58a12', '#2a8c80', '#4b5d8f', '#9a958a', '#c8321c'].map(
  (c) => new Color(c),
)
const DARK = '#14201e'

function objectsOf(built: Built): Object3D[] {
  const held = new Set<Object3D>()
  for (const { object } of built.drawn)
    if (object instanceof SkinnedMesh) object.skeleton.bones.forEach((bone) => held.add(bone))
  const found: Object3D[] = []
  built.root.traverse((object) => void (held.has(object) && found.push(object)))
  return found
}

function followed(built: Built): Set<Object3D> {
  const found = new Set<Object3D>()
  for (const { object } of built.drawn) {
    if (!(object instanceof SkinnedMesh)) continue
    const [joints, weights] = [object.geometry.getAttribute('skinIndex'), object.geometry.getAttribute('skinWeight')]
    const seen = new Set<number>()
    for (let i = 0; i < weights.array.length; i++) if (weights.array[i]! > 0) seen.add(joints.array[i]!)
    for (const joint of seen) if (object.skeleton.bones[joint]) found.add(object.skeleton.bones[joint])
  }
  return found
}

// The joints that hold what is drawn, each after the one above it.
export function jointTree(built: Built): Joint[] {
  const objects = objectsOf(built)
  const numbers = new Map(objects.map((object, n) => [object, n]))
  const moving = followed(built)
  const listed: Joint[] = []
  for (const object of objects) {
    let above = -1
    for (let at = object.parent; at && above < 0; at = at.parent) above = numbers.get(at) ?? -1
    let idle = true
    object.traverse((below) => void (idle &&= !moving.has(below)))
    listed.push({ name: object.name, above, depth: above < 0 ? 0 : listed[above]!.depth + 1, idle })
  }
  return listed
}

// Those and all that stand below them.
export function withBelow(joints: Joint[], names: ReadonlySet<string>): Set<string> {
  const found = new Set<number>()
  joints.forEach((joint, n) => (names.has(joint.name) || found.has(joint.above)) && found.add(n))
  return new Set([...found].map((n) => joints[n]!.name))
}

// Joints as dots and the ways between them as lines, over the model, as wide from near as from far.
export class Bones {
  readonly group = new Group()
  readonly joints: Joint[]
  private readonly objects: Object3D[]
  private readonly colors: Color[]
  private readonly lines = new LineSegmentsGeometry()
  private readonly dots = new BufferGeometry()
  private readonly materials: { dispose(): void }[]
  private shown: number[] = []
  private chosen = ''

  constructor(built: Built) {
    this.joints = jointTree(built)
    this.objects = objectsOf(built)
    built.root.updateMatrixWorld(true)
    const places = this.objects.map((object) => new Vector3().setFromMatrixPosition(object.matrixWorld))
    const reach = Math.max(...places.map((place) => place.length()), 1e-9)
    this.colors = this.joints.map((joint, n) => {
      if (joint.idle) return IDLE!
      const side = places[n]!.x / reach
      return side > 0.01 ? LEFT! : side < -0.01 ? RIGHT! : MIDDLE!
    })
    const seen = { depthTest: false, depthWrite: false, transparent: true }
    const under = new LineMaterial({ ...seen, color: DARK, opacity: 0.45, linewidth: 5 })
    const over = new LineMaterial({ ...seen, vertexColors: true, linewidth: 2.5 })
    const map = disc()
    const dots = new PointsMaterial({ ...seen, map, vertexColors: true, size: 11, sizeAttenuation: false })
    this.materials = [under, over, dots, map]
    const drawn = [
      new LineSegments2(this.lines, under),
      new LineSegments2(this.lines, over),
      new Points(this.dots, dots),
    ]
    drawn.forEach((object, n) => {
      object.renderOrder = 10_000 + n
      object.frustumCulled = false
      this.group.add(object)
    })
    this.show(new Set())
  }

  // All but some, and those below them; one joint stands out.
  show(hidden: ReadonlySet<string>, chosen = this.chosen): void {
    this.chosen = chosen
    const away = withBelow(this.joints, hidden)
    this.shown = this.joints.flatMap((joint, n) => (away.has(joint.name) ? [] : [n]))
    this.place()
  }

  // Where the joints are now.
  place(): void {
    const ends: number[] = []
    const tints: number[] = []
    const points: number[] = []
    const hues: number[] = []
    for (const n of this.shown) {
      const at = this.at(n).toArray()
      const color = this.joints[n]!.name === this.chosen ? CHOSEN! : this.colors[n]!
      points.push(...at)
      hues.push(...color.toArray())
      const { above } = this.joints[n]!
      if (above < 0) continue
      ends.push(...this.at(above).toArray(), ...at)
      tints.push(...this.colors[above]!.toArray(), ...this.colors[n]!.toArray())
    }
    this.group.visible = points.length > 0
    if (!points.length) return
    this.dots.setAttribute('position', new BufferAttribute(new Float32Array(points), 3))
    this.dots.setAttribute('color', new BufferAttribute(new Float32Array(hues), 3))
    // A geometry of lines wants at least one.
    this.lines.setPositions(ends.length ? ends : [...points.slice(0, 3), ...points.slice(0, 3)])
    this.lines.setColors(tints.length ? tints : [...hues.slice(0, 3), ...hues.slice(0, 3)])
  }

  private at(n: number): Vector3 {
    return new Vector3().setFromMatrixPosition(this.objects[n]!.matrixWorld)
  }

  // The joint nearest to a point in clip space (-1 to 1), if it is near enough; `aspect` is width by height.
  near(x: number, y: number, eye: Camera, aspect: number, reach = 0.04): string {
    const seen = new Matrix4().multiplyMatrices(eye.projectionMatrix, eye.matrixWorldInverse)
    let [found, least] = ['', reach]
    for (const n of this.shown) {
      const point = this.at(n).applyMatrix4(seen)
      const away = Math.hypot((point.x - x) * aspect, point.y - y)
      if (point.z <= 1 && away < least) [found, least] = [this.joints[n]!.name, away]
    }
    return found
  }

  dispose(): void {
    this.lines.dispose()
    this.dots.dispose()
    this.materials.forEach((one) => one.dispose())
  }
}

// A dot with a dark rim.
function disc(): CanvasTexture {
  const canvas = document.createElement('canvas')
  canvas.width = canvas.height = 32
  const pen = canvas.getContext('2d')
  if (pen) {
    pen.fillStyle = '#fff'
    pen.strokeStyle = DARK
    pen.lineWidth = 5
    pen.beginPath()
    pen.arc(16, 16, 12, 0, 2 * Math.PI)
    pen.fill()
    pen.stroke()
  }
  return new CanvasTexture(canvas)
}
