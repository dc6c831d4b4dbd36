import { type PerspectiveCamera, type Sphere, type Vector3 } from 'three'
import { turnAbout } from './eye'

// Goes slowly around what is shown, by itself, until somebody takes hold of it.
export class Turntable {
  private turning = false

  constructor(
    private readonly camera: PerspectiveCamera,
    private readonly target: Vector3,
    private readonly seen: () => void,
  ) {}

  start({ center, radius }: Sphere): void {
    this.turning = !matchMedia('(prefers-reduced-motion: reduce)').matches
    if (!this.turning) return
    const upright = Math.tan((this.camera.fov * Math.PI) / 360)
    const half = Math.atan(Math.min(upright, upright * this.camera.aspect))
    const away = this.camera.position
      .clone()
      .sub(this.target)
      .setLength((radius / Math.sin(half)) * 0.94)
    this.target.copy(center)
    this.camera.position.copy(center).add(away)
    this.spin(performance.now())
  }

  stop(): void {
    this.turning = false
  }

  private spin(before: number): void {
    requestAnimationFrame((now) => {
      if (!this.turning) return
      turnAbout(this.camera, this.target, ((now - before) / 1000) * 0.5)
      this.seen()
      this.spin(now)
    })
  }
}
