import { Object3D, Quaternion, type Camera, type Scene, type Vector3 } from 'three'
import { TransformControls } from 'three/examples/jsm/controls/TransformControls.js'

export type Grip = 'turn' | 'pull'

// Of x, y and z, and of the one that is held.
const COLORS = ['#b4532f', '#4f7a2c', '#35589c', '#d58a12'] as const

// What somebody does with the handles of a joint; `done` when it is let go.
export interface Held {
  // By how much it was turned, about its own axes, since it was taken hold of.
  turned(by: Quaternion, done: boolean): void
  // Where in the world it is wanted.
  pulled(to: Vector3, done: boolean): void
}

// Rings to turn a joint with, or arrows to pull it by. They move with the joint, and are as large from near as from far.
export class Handles {
  private readonly controls: TransformControls
  private readonly grip = new Object3D()
  private joint: Object3D | null = null
  private readonly before = new Quaternion()
  private how: Grip = 'turn'
  private held: Held | null = null

  // `busy`: that somebody has hold of them, and has let go.
  constructor(
    scene: Scene,
    eye: Camera,
    element: HTMLElement,
    private readonly busy: (dragging: boolean) => void,
    redraw: () => void,
  ) {
    this.controls = new TransformControls(eye, element)
    this.controls.setSize(0.8)
    this.controls.setColors(...COLORS)
    this.controls.addEventListener('change', redraw)
    this.controls.addEventListener('dragging-changed', ({ value }) => this.taken(Boolean(value)))
    this.controls.addEventListener('objectChange', () => this.moved(false))
    scene.add(this.grip, this.controls.getHelper())
  }

  // Whether the pointer is on a handle.
  get touched(): boolean {
    return this.controls.axis !== null
  }

  // At a joint; at none, out of sight.
  at(joint: Object3D | null, how: Grip = 'turn', held: Held | null = null): void {
    Object.assign(this, { joint, how, held })
    if (!joint) {
      this.controls.detach()
      return
    }
    this.controls.setMode(how === 'turn' ? 'rotate' : 'translate')
    this.controls.setSpace(how === 'turn' ? 'local' : 'world')
    joint.updateWorldMatrix(true, false)
    this.follow()
    this.controls.attach(this.grip)
  }

  // Where the joint is now, unless it is being moved, and as large as one sees it.
  follow(eye: Camera = this.controls.camera): void {
    this.controls.camera = eye
    if (!this.joint || this.controls.dragging) return
    this.joint.matrixWorld.decompose(this.grip.position, this.grip.quaternion, this.grip.scale)
    this.grip.scale.set(1, 1, 1)
    this.grip.updateMatrixWorld()
  }

  private taken(dragging: boolean): void {
    this.busy(dragging)
    if (dragging) this.before.copy(this.grip.quaternion)
    else this.moved(true)
  }

  private moved(done: boolean): void {
    if (!this.joint) return
    if (this.how === 'turn') this.held?.turned(this.before.clone().invert().multiply(this.grip.quaternion), done)
    else this.held?.pulled(this.grip.position.clone(), done)
  }
}
