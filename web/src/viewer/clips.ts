import {
  AnimationClip,
  AnimationMixer,
  InterpolateDiscrete,
  InterpolateLinear,
  Mesh,
  NumberKeyframeTrack,
  Quaternion,
  QuaternionKeyframeTrack,
  VectorKeyframeTrack,
  type AnimationAction,
  type KeyframeTrack,
  type Matrix4,
  type Object3D,
} from 'three'
import { numbers } from './arrays'
import type { Built } from './build'
import type { SceneData } from './manifest'

type Channel = SceneData['clips'][number]['channels'][number]

// Splines are played through their keys: for looking, a straight way between them is near enough.
async function tracks(channel: Channel, built: Built): Promise<KeyframeTrack[]> {
  const [times, stored] = await Promise.all([numbers(channel.times), numbers(channel.values)])
  const at = built.nodes[channel.node]
  if (!at || !times.length) return []
  const spline = channel.interpolation === 'CUBICSPLINE'
  const width = stored.length / times.length / (spline ? 3 : 1)
  const keys = spline ? splineKeys(stored as Float32Array, times.length, width) : stored
  const values = Array.from(channel.path === 'rotation' ? unit(keys) : keys)
  const how = channel.interpolation === 'STEP' ? InterpolateDiscrete : InterpolateLinear
  const when = Array.from(times)
  if (channel.path === 'weights') {
    const shaped = built.drawn.filter(
      (d) => d.node === at && d.object instanceof Mesh && d.object.morphTargetInfluences,
    )
    return shaped.map((d) => new NumberKeyframeTrack(`${d.object.uuid}.morphTargetInfluences`, when, values, how))
  }
  const name = { translation: 'position', rotation: 'quaternion', scale: 'scale' }[channel.path]
  const Kind = channel.path === 'rotation' ? QuaternionKeyframeTrack : VectorKeyframeTrack
  return [new Kind(`${at.uuid}.${name}`, when, values, how)]
}

function splineKeys(stored: Float32Array, count: number, width: number): Float32Array {
  const out = new Float32Array(count * width)
  for (let i = 0; i < count; i++) out.set(stored.subarray((3 * i + 1) * width, (3 * i + 2) * width), i * width)
  return out
}

function unit(turns: ArrayLike<number>): Float32Array {
  const out = new Float32Array(turns.length)
  const one = new Quaternion()
  for (let i = 0; i < turns.length; i += 4)
    one
      .fromArray(turns as number[], i)
      .normalize()
      .toArray(out, i)
  return out
}

export async function clipsOf(scene: SceneData, built: Built): Promise<AnimationClip[]> {
  return Promise.all(
    scene.clips.map(async (clip) => {
      const made = await Promise.all(clip.channels.map((channel) => tracks(channel, built)))
      return new AnimationClip(clip.name, -1, made.flat())
    }),
  )
}

// Plays one clip at a time.
export class Player {
  private readonly mixer: AnimationMixer
  private action: AnimationAction | null = null
  private readonly fixed = new Map<Object3D, Matrix4>()

  constructor(
    private readonly root: Object3D,
    private readonly clips: AnimationClip[],
    private readonly draw: () => void,
  ) {
    this.mixer = new AnimationMixer(root)
  }

  private choose(number: number): AnimationAction | null {
    const clip = this.clips[number]
    if (!clip) return null
    if (this.action?.getClip() !== clip) {
      this.stop()
      this.action = this.mixer.clipAction(clip).play()
      this.loosen(clip)
    }
    return this.action
  }

  // What stands by a matrix cannot move; while a clip moves it, it stands by its place, turn and scale instead.
  private loosen(clip: AnimationClip): void {
    for (const track of clip.tracks) {
      const object = this.root.getObjectByProperty('uuid', track.name.split('.')[0])
      if (!object || object.matrixAutoUpdate || track.name.endsWith('Influences')) continue
      this.fixed.set(object, object.matrix.clone())
      object.matrixAutoUpdate = true
    }
  }

  // Play round and round; `told` hears the time in seconds, every frame.
  play(number: number, told: (seconds: number) => void): void {
    const action = this.choose(number)
    if (!action) return
    action.paused = false
    const step = (before: number) =>
      requestAnimationFrame((now) => {
        if (this.action !== action || action.paused) return
        this.mixer.update((now - before) / 1000)
        told(action.time)
        this.draw()
        step(now)
      })
    step(performance.now())
  }

  hold(number: number, seconds: number): void {
    const action = this.choose(number)
    if (!action) return
    action.paused = true
    action.time = seconds
    this.mixer.update(0)
    this.draw()
  }

  stop(): void {
    this.mixer.stopAllAction()
    this.action = null
    for (const [object, matrix] of this.fixed) {
      object.matrix.copy(matrix)
      object.matrixAutoUpdate = false
    }
    this.fixed.clear()
  }
}
