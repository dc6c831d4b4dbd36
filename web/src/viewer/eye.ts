import {
  Matrix4,
  OrthographicCamera,
  Vector2,
  Vector3,
  type Camera,
  type PerspectiveCamera,
  type WebGLRenderer,
} from 'three'

export type Axis = 'front' | 'back' | 'left' | 'right' | 'above' | 'below'

// Where to look from. Not quite upright from above and below: an eye that looks straight down has no up of its own.
export const FROM: Record<Axis, [number, number, number]> = {
  front: [0, 0, 1],
  back: [0, 0, -1],
  left: [-1, 0, 0],
  right: [1, 0, 0],
  above: [0, 1, 1e-4],
  below: [0, -1, 1e-4],
}

// An eye without perspective that shows at the depth of the target just what the camera shows there.
export function parallelEye(camera: PerspectiveCamera, target: Vector3, into: OrthographicCamera): OrthographicCamera {
  const tall = camera.position.distanceTo(target) * Math.tan((camera.fov * Math.PI) / 360)
  into.top = tall
  into.bottom = -tall
  into.right = tall * camera.aspect
  into.left = -into.right
  into.near = -camera.far
  into.far = camera.far
  into.position.copy(camera.position)
  into.quaternion.copy(camera.quaternion)
  into.updateProjectionMatrix()
  into.updateMatrixWorld(true)
  return into
}

// See all of what is so large, from in front of it to far behind.
export function reachTo(camera: PerspectiveCamera, target: Vector3, radius: number): void {
  const away = camera.position.distanceTo(target)
  camera.near = Math.max(away - radius * 3, away * 0.002)
  camera.far = away + radius * 30
  camera.updateProjectionMatrix()
}

// What a renderer draws as a PNG at twice the size, see-through where nothing is.
export async function pictureOf(renderer: WebGLRenderer, render: () => void): Promise<Blob | null> {
  const { width, height } = renderer.getSize(new Vector2())
  renderer.setSize(width * 2, height * 2, false)
  render()
  const made = await new Promise<Blob | null>((take) => renderer.domElement.toBlob(take))
  renderer.setSize(width, height, false)
  return made
}

// Clip space from the world, by rows.
export function clipRows(eye: Camera): number[] {
  eye.updateMatrixWorld()
  return new Matrix4().multiplyMatrices(eye.projectionMatrix, eye.matrixWorldInverse).transpose().toArray()
}

// Go around what is looked at, about the axis up.
export function turnAbout(camera: Camera, target: Vector3, angle: number): void {
  const away = camera.position.clone().sub(target)
  camera.position.copy(target).add(away.applyAxisAngle(new Vector3(0, 1, 0), angle))
  camera.lookAt(target)
}
