import {
  BufferGeometry,
  DoubleSide,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineLoop,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  Shape,
  ShapeGeometry,
  Sphere,
  SphereGeometry,
  SplineCurve,
  Vector2,
  Vector3,
  type Box3,
  type Camera,
  type Scene,
} from 'three'

export const PERSON = 1.75 // metres
const INK = '#256a60'
const LINES = 20 // to either side of the middle

// Half of a standing person, as shares of the height: (aside, up), from between the legs down, around and up to the
// crown. The points are joined by a smooth line.
const OUTLINE: [number, number][] = [
  [0.0, 0.462],
  [0.022, 0.3],
  [0.024, 0.1],
  [0.022, 0.012],
  [0.045, 0.0],
  [0.088, 0.004],
  [0.078, 0.035],
  [0.07, 0.1],
  [0.083, 0.2],
  [0.08, 0.28],
  [0.098, 0.4],
  [0.102, 0.49],
  [0.09, 0.6],
  [0.1, 0.735],
  [0.122, 0.6],
  [0.128, 0.48],
  [0.132, 0.425],
  [0.15, 0.418],
  [0.163, 0.47],
  [0.16, 0.6],
  [0.148, 0.74],
  [0.135, 0.79],
  [0.1, 0.818],
  [0.045, 0.838],
  [0.034, 0.858],
  [0.052, 0.89],
  [0.057, 0.93],
  [0.047, 0.975],
  [0.024, 0.996],
  [0.0, 1.0],
]

// The side of one square of the grid: the metre for what is as large as people are, else a tenth, ten metres, and on.
export function squareFor(radius: number): number {
  return 10 ** Math.floor(Math.log10(Math.max(radius, 1e-9) / 0.5))
}

function person(): Group {
  const right = new SplineCurve(OUTLINE.map(([x, y]) => new Vector2(x * PERSON, y * PERSON))).getPoints(140)
  const left = right
    .slice(1, -1)
    .reverse()
    .map(({ x, y }) => new Vector2(-x, y))
  const around = [...right, ...left]
  const group = new Group()
  const filling = new MeshBasicMaterial({
    color: INK,
    opacity: 0.16,
    transparent: true,
    side: DoubleSide,
    depthWrite: false,
  })
  const edge = new LineBasicMaterial({ color: INK, opacity: 0.7, transparent: true })
  group.add(new Mesh(new ShapeGeometry(new Shape(around)), filling))
  group.add(new LineLoop(new BufferGeometry().setFromPoints(around.map(({ x, y }) => new Vector3(x, y, 0))), edge))
  return group
}

function grid(square: number): LineSegments {
  const points: number[] = []
  const reach = LINES * square
  for (let n = -LINES; n <= LINES; n++)
    points.push(n * square, 0, -reach, n * square, 0, reach, -reach, 0, n * square, reach, 0, n * square)
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new Float32BufferAttribute(points, 3))
  return new LineSegments(geometry, new LineBasicMaterial({ color: INK, opacity: 0.28, transparent: true }))
}

// What helps to judge sizes: a grid on the ground, a person beside the model, a line between two points.
export class Guides {
  private readonly group = new Group()
  private readonly someone = person()
  private readonly line = new LineSegments(
    new BufferGeometry(),
    new LineBasicMaterial({ color: '#b4532f', depthTest: false }),
  )
  private readonly ends = [0, 1].map(
    () => new Mesh(new SphereGeometry(1, 12, 8), new MeshBasicMaterial({ color: '#b4532f', depthTest: false })),
  )
  private ground: LineSegments | null = null
  private measured: Vector3[] = []
  private wanted = { grid: false, person: false }
  square = 1

  constructor(scene: Scene) {
    this.line.renderOrder = 10
    for (const end of this.ends) end.renderOrder = 11
    this.group.add(this.someone, this.line, ...this.ends)
    scene.add(this.group)
    this.show(this.wanted)
    this.measure([])
  }

  // Whether somebody is in sight now who was not, or the other way round.
  show({ grid, person }: { grid: boolean; person: boolean }): boolean {
    const other = person !== this.wanted.person
    this.wanted = { grid, person }
    this.someone.visible = person
    if (this.ground) this.ground.visible = grid
    return other
  }

  // The points between which is measured, none to two.
  measure(points: Vector3[]): void {
    this.measured = points
    this.line.visible = points.length === 2
    this.line.geometry.setFromPoints(points.length === 2 ? points : [new Vector3(), new Vector3()])
    this.ends.forEach((end, n) => {
      end.visible = n < points.length
      if (points[n]) end.position.copy(points[n])
    })
  }

  get distance(): number | null {
    const [first, second] = this.measured
    return first && second ? first.distanceTo(second) : null
  }

  // Stand on the ground below what is shown; the person stands at its left.
  place(box: Box3): void {
    const { center, radius } = box.getBoundingSphere(new Sphere())
    this.square = squareFor(radius)
    if (this.ground) {
      this.ground.geometry.dispose()
      this.group.remove(this.ground)
    }
    this.ground = grid(this.square)
    this.ground.visible = this.wanted.grid
    // Lines stand at whole metres of the world.
    const whole = (value: number) => Math.round(value / this.square) * this.square
    this.ground.position.set(whole(center.x), box.min.y, whole(center.z))
    this.group.add(this.ground)
    this.someone.position.set(box.min.x - 0.45 - radius * 0.05, box.min.y, center.z)
  }

  // What must be in the picture beside the model.
  *points(): Generator<Vector3> {
    const { x, y, z } = this.someone.position
    if (this.wanted.person)
      for (const [aside, up] of OUTLINE)
        for (const side of [aside, -aside]) yield new Vector3(x + side * PERSON, y + up * PERSON, z)
  }

  // The outline looks at the eye, upright; the ends of a measured line are of one size in the picture.
  face(camera: Camera): void {
    const away = camera.position.clone().sub(this.someone.position)
    this.someone.rotation.y = Math.atan2(away.x, away.z)
    for (const end of this.ends) end.scale.setScalar(camera.position.distanceTo(end.position) * 0.0045)
  }
}
