import { AnimationMixer, Matrix4, SkinnedMesh, type AnimationAction, type AnimationClip, type Object3D } from 'three'
import type { Keys } from '../model/curves'
import { Appearing } from './appearing'
import type { Built } from './build'
import { clipOf } from './clips'
import type { SceneData } from './manifest'

// A clip of a scene, by its number, at a time in seconds, and how much it counts beside others.
export interface Moment {
  clip: number
  seconds: number
  share: number
}

// How a model stands: at moments of clips, all at once; at none, as it rests; or as it was bound to its joints.
export type Stand = Moment[] | 'bind'

// Where a joint is in its parent: metres, and its turn.
export interface JointAt {
  joint: string
  translation: number[]
  rotation: number[]
}

// Moves what is built to moments of its clips. Nothing runs by itself here: who plays asks for one moment after another.
export class Motion {
  private readonly mixer: AnimationMixer
  private readonly clips = new Map<number, AnimationClip>()
  private readonly actions = new Map<number, AnimationAction>()
  private readonly fixed = new Map<Object3D, Matrix4>()
  private readonly rests = new Map<Object3D, Matrix4>()
  private wanted: Stand = []
  private readonly appearing: Appearing

  constructor(
    private readonly scene: SceneData,
    private readonly built: Built,
  ) {
    this.mixer = new AnimationMixer(built.root)
    this.appearing = new Appearing(scene, built)
  }

  // Whether nothing moves it: it stands as it was built.
  get rested(): boolean {
    return !this.actions.size && !this.rests.size
  }

  // Clips that are not there are passed over; nothing wanted is as it stands without clips. Of two askings on their
  // way only the later counts. True when it stands so.
  async pose(wanted: Stand): Promise<boolean> {
    this.wanted = wanted
    if (wanted === 'bind') {
      this.bind()
      return true
    }
    const missing = wanted.filter(({ clip }) => !this.clips.has(clip))
    if (missing.length) await Promise.all(missing.map(({ clip }) => this.load(clip)))
    if (this.wanted !== wanted) return false
    this.stand(wanted)
    return true
  }

  private async load(number: number): Promise<void> {
    const data = this.scene.clips[number]
    if (!data) return
    const [clip] = await Promise.all([clipOf(data, this.built), this.appearing.load(number)])
    this.clips.set(number, clip)
  }

  // Each joint where the inverse of its bind matrix has it; of several skins on one joint the last one's.
  private bind(): void {
    this.release()
    const places = new Map<Object3D, Matrix4>()
    for (const { object } of this.built.drawn) {
      if (!(object instanceof SkinnedMesh)) continue
      const { bones, boneInverses } = object.skeleton
      bones.forEach((bone, n) => places.set(bone, boneInverses[n]!.clone().invert()))
    }
    this.built.root.traverse((object) => {
      const place = places.get(object)
      const above = object.parent?.matrixWorld
      if (place && above) {
        object.updateMatrix()
        this.rests.set(object, object.matrix.clone())
        above.clone().invert().multiply(place).decompose(object.position, object.quaternion, object.scale)
      }
      // Parents come before their children.
      if (object.matrixAutoUpdate) object.updateMatrix()
      if (above) object.matrixWorld.multiplyMatrices(above, object.matrix)
    })
  }

  private stand(wanted: Moment[]): void {
    if (this.rests.size) this.release()
    const kept = new Set(wanted.map(({ clip }) => clip))
    if ([...this.actions.keys()].some((number) => !kept.has(number))) this.release()
    for (const { clip, seconds, share } of wanted) {
      const action = this.action(clip)
      if (!action) continue
      action.time = Math.min(seconds, action.getClip().duration)
      action.setEffectiveWeight(share)
    }
    this.mixer.update(0)
    this.appearing.stand(wanted)
  }

  private action(number: number): AnimationAction | undefined {
    const known = this.actions.get(number)
    const clip = this.clips.get(number)
    if (known || !clip) return known
    const made = this.mixer.clipAction(clip).play()
    made.paused = true
    this.actions.set(number, made)
    this.loosen(clip)
    return made
  }

  // What stands by a matrix cannot move; while a clip moves it, it stands by its place, turn and scale instead.
  private loosen(clip: AnimationClip): void {
    for (const track of clip.tracks) {
      const object = this.built.root.getObjectByProperty('uuid', track.name.split('.')[0])
      if (!object || object.matrixAutoUpdate || track.name.endsWith('Influences')) continue
      this.fixed.set(object, object.matrix.clone())
      object.matrixAutoUpdate = true
    }
  }

  // The moments of another scene in this one, whose clips are met by their names.
  alike(moments: Stand, other: Motion): Stand {
    if (moments === 'bind') return moments
    const numbers = moments.map(({ clip }) => {
      const name = other.scene.clips[clip]?.name
      return this.scene.clips.findIndex((one) => one.name === name)
    })
    return moments.map((moment, n) => ({ ...moment, clip: numbers[n]! }))
  }

  // Joints where a hand has put them, until the next asking.
  put(joints: JointAt[]): void {
    for (const { joint, translation, rotation } of joints) {
      const object = this.built.nodes.find((one) => one.name === joint)
      if (!object) continue
      if (!this.rests.has(object)) {
        object.updateMatrix()
        this.rests.set(object, object.matrix.clone())
      }
      if (!object.matrixAutoUpdate) this.fixed.set(object, object.matrix.clone())
      object.matrixAutoUpdate = true
      object.position.fromArray(translation)
      object.quaternion.fromArray(rotation)
    }
  }

  // As it stands without clips.
  release(): void {
    // What a clip moves besides, the mixer knows how it rests.
    for (const [object, matrix] of this.rests) matrix.decompose(object.position, object.quaternion, object.scale)
    this.rests.clear()
    this.mixer.stopAllAction()
    this.appearing.release()
    this.actions.clear()
    for (const [object, matrix] of this.fixed) {
      object.matrix.copy(matrix)
      object.matrixAutoUpdate = false
    }
    this.fixed.clear()
  }

  // The keys of one node in a clip that is loaded, by what they move.
  keysOf(clip: number, node: string): Keys[] {
    const at = this.built.nodes.find((one) => one.name === node)
    const found = this.clips.get(clip)?.tracks.filter((track) => at && track.name.startsWith(at.uuid)) ?? []
    return found.map((track) => ({
      path: track.name.split('.')[1]!,
      times: track.times,
      values: track.values,
      spline: track.values.length > track.times.length * track.getValueSize(),
    }))
  }
}
