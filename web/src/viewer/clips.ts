import {
  AnimationClip,
  Interpolant,
  InterpolateDiscrete,
  InterpolateLinear,
  Mesh,
  NumberKeyframeTrack,
  Quaternion,
  QuaternionKeyframeTrack,
  VectorKeyframeTrack,
  type KeyframeTrack,
} from 'three'
import { numbers } from './arrays'
import type { Built } from './build'
import type { SceneData } from './manifest'

type ClipData = SceneData['clips'][number]
type Channel = ClipData['channels'][number]

// Keys of in-tangent, value, out-tangent, met by a cubic (glTF 2.0, appendix C.5). `turns`: values are quaternions.
class Spline extends Interpolant {
  constructor(
    times: ArrayLike<number>,
    values: ArrayLike<number>,
    size: number,
    result: ArrayLike<number> | undefined,
    private readonly turns: boolean,
  ) {
    super(times as never, values as never, size, result as never)
  }

  override copySampleValue_(index: number): never {
    const { resultBuffer: out, sampleValues: values, valueSize: size } = this.opened()
    for (let k = 0; k < size; k++) out[k] = values[(3 * index + 1) * size + k]!
    return out as never
  }

  override interpolate_(next: number, before: number, t: number, after: number): never {
    const { resultBuffer: out, sampleValues: values, valueSize: size } = this.opened()
    const span = after - before
    const s = (t - before) / span
    const [s2, s3] = [s * s, s * s * s]
    const [from, to] = [3 * (next - 1) * size, 3 * next * size]
    let length = 0
    for (let k = 0; k < size; k++) {
      out[k] =
        (2 * s3 - 3 * s2 + 1) * values[from + size + k]! +
        (s3 - 2 * s2 + s) * span * values[from + 2 * size + k]! +
        (3 * s2 - 2 * s3) * values[to + size + k]! +
        (s3 - s2) * span * values[to + k]!
      length += out[k]! ** 2
    }
    if (this.turns) for (let k = 0; k < size; k++) out[k]! /= Math.sqrt(length) || 1
    return out as never
  }

  private opened() {
    return this as unknown as { resultBuffer: number[]; sampleValues: ArrayLike<number>; valueSize: number }
  }
}

// A track whose keys are splines; three asks each track how wide a value is, and for what lies between two.
export function splined<T extends KeyframeTrack>(track: T, size: number): T {
  const turns = track instanceof QuaternionKeyframeTrack
  return Object.assign(track, {
    getValueSize: () => size,
    createInterpolant: (result?: ArrayLike<number>) => new Spline(track.times, track.values, size, result, turns),
  })
}

async function tracks(channel: Channel, built: Built): Promise<KeyframeTrack[]> {
  const [times, stored] = await Promise.all([numbers(channel.times), numbers(channel.values)])
  const at = built.nodes[channel.node]
  if (!at || !times.length) return []
  const spline = channel.interpolation === 'CUBICSPLINE'
  const width = stored.length / times.length / (spline ? 3 : 1)
  const values = channel.path === 'rotation' && !spline ? unit(stored) : stored
  const how = channel.interpolation === 'STEP' ? InterpolateDiscrete : InterpolateLinear
  const made = (Kind: typeof VectorKeyframeTrack, name: string): KeyframeTrack => {
    const track = new Kind(name, times as never, values as never, how)
    return spline ? splined(track, width) : track
  }
  if (channel.path === 'weights') {
    const shaped = built.drawn.filter(
      (d) => d.node === at && d.object instanceof Mesh && d.object.morphTargetInfluences,
    )
    return shaped.map((d) => made(NumberKeyframeTrack as never, `${d.object.uuid}.morphTargetInfluences`))
  }
  const name = { translation: 'position', rotation: 'quaternion', scale: 'scale' }[channel.path]
  const Kind = channel.path === 'rotation' ? QuaternionKeyframeTrack : VectorKeyframeTrack
  return [made(Kind as typeof VectorKeyframeTrack, `${at.uuid}.${name}`)]
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

// Fetched when it is wanted: a scene may have hundreds.
export async function clipOf(clip: ClipData, built: Built): Promise<AnimationClip> {
  const made = await Promise.all(clip.channels.map((channel) => tracks(channel, built)))
  const listed = made.flat()
  // A clip of one key has no length; the mixer divides by it.
  const length = Math.max(1e-6, ...listed.map((track) => track.times.at(-1) ?? 0))
  return new AnimationClip(clip.name, length, listed)
}
