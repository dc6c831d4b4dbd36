import { Vector2, type Camera, type Scene, type WebGLRenderer } from 'three'
import { letGo, type Built, type Drawn } from './build'
import type { Motion } from './motion'

// Another state of what is shown, or another thing, left of an upright line or whole beside it; both are seen by the
// same eye.
export class Wipe {
  private other: Built | null = null
  motion: Motion | null = null
  // From 0, nothing of the other, to 1, nothing else; null: side by side, each in the middle of its half.
  at: number | null = 0.5
  // How often another was asked for: what comes late is not shown.
  asked = 0

  constructor(private readonly scene: Scene) {}

  get there(): boolean {
    return this.other !== null
  }

  get drawn(): Drawn[] {
    return this.other?.drawn ?? []
  }

  put(other: Built | null, motion: Motion | null = null): void {
    if (this.other) {
      this.scene.remove(this.other.root)
      letGo(this.other)
    }
    this.other = other
    this.motion = motion
    if (!other) return
    other.root.visible = false
    this.scene.add(other.root)
    other.root.updateMatrixWorld(true)
  }

  // How much of the width each has.
  get share(): number {
    return this.other && this.at === null ? 0.5 : 1
  }

  // Where a point of the picture, from 0 to 1 across and down, is seen by the eye; null where the other stands.
  seenAt(across: number, down: number): [number, number] | null {
    if (this.share === 1) return [across, down]
    return across < 0.5 ? null : [across - 0.25, down]
  }

  render(renderer: WebGLRenderer, built: Built | null, eye: Camera): void {
    if (!this.other || !built) {
      renderer.render(this.scene, eye)
      return
    }
    const { x: width, y: height } = renderer.getSize(new Vector2())
    const split = Math.round(width * (this.at ?? 0.5))
    renderer.setScissorTest(true)
    for (const [shown, left, right] of [
      [this.other, 0, split],
      [built, split, width],
    ] as const) {
      this.other.root.visible = shown === this.other
      built.root.visible = shown === built
      renderer.setScissor(left, 0, right - left, height)
      if (this.at === null) renderer.setViewport(left - width / 4, 0, width, height)
      renderer.shadowMap.needsUpdate = true // each casts its own
      if (right > left) renderer.render(this.scene, eye)
    }
    renderer.setScissorTest(false)
    renderer.setViewport(0, 0, width, height)
    this.other.root.visible = false
    built.root.visible = true
  }
}
