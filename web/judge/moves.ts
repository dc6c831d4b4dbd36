import { AnimationMixer, LoopOnce, type AnimationClip, type Mesh, type Object3D } from 'three'
import { posedPositions } from './pose'
import type { Arrays, ReadBack } from './readback'

const SHARES = [0, 0.25, 0.5, 0.75, 1]

// Where the vertices of everything drawn stand at rest and at five moments of each clip, thinned to `mostPosed` places;
// `drawn` are the objects of `out.parts` in their order.
export function movesOf(
  root: Object3D,
  clips: AnimationClip[],
  drawn: Object3D[],
  arrays: Arrays,
  mostPosed: number,
  out: ReadBack,
): void {
  const moving = drawn.flatMap((one, part) => ('isMesh' in one ? [[one as Mesh, part] as const] : []))
  const vertices = moving.reduce((sum, [one]) => sum + one.geometry.getAttribute('position').count, 0)
  const samples = 1 + clips.length * SHARES.length
  const stride = Math.max(1, Math.ceil((vertices * samples) / mostPosed))
  const take = (clip: number, share: number): void => {
    root.updateMatrixWorld(true)
    for (const [one, part] of moving) {
      const still = !('isSkinnedMesh' in one) && !one.morphTargetInfluences?.length
      if (still && clips.length === 0) continue
      out.poses.push({ clip, share, part, stride, positions: arrays.add(posedPositions(one, stride), 3) })
    }
  }
  take(-1, 0)
  clips.forEach((clip, number) => {
    out.clips.push({ name: clip.name, seconds: clip.duration })
    const mixer = new AnimationMixer(root)
    const action = mixer.clipAction(clip)
    action.setLoop(LoopOnce, 1)
    action.clampWhenFinished = true
    for (const share of SHARES) {
      action.reset().play()
      mixer.setTime(share * clip.duration)
      take(number, share)
    }
    mixer.stopAllAction()
    mixer.uncacheRoot(root)
  })
}
