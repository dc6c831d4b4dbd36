import {
  Color,
  InterpolateDiscrete,
  InterpolateLinear,
  MeshStandardMaterial,
  NumberKeyframeTrack,
  type Material,
  type Object3D,
  type Texture,
} from 'three'
import { numbers } from './arrays'
import type { Built } from './build'
import { splined } from './clips'
import type { ArrayRef, SceneData } from './manifest'
import type { Moment } from './motion'

interface Keys {
  times: ArrayRef
  values: ArrayRef
  interpolation?: string
}
type At = (seconds: number) => number[]
interface Looks {
  shown: { node: number; at: At }[]
  materials: { material: number; path: string; at: At }[]
}

const MAPS = ['map', 'metalnessMap', 'roughnessMap', 'normalMap', 'aoMap', 'emissiveMap'] as const
type Worn = Partial<Record<(typeof MAPS)[number], Texture | null>>

async function valueOf({ times, values, interpolation = 'STEP' }: Keys): Promise<At> {
  const [when, what] = await Promise.all([numbers(times), numbers(values)])
  const spline = interpolation === 'CUBICSPLINE'
  const width = what.length / Math.max(when.length, 1) / (spline ? 3 : 1)
  const how = interpolation === 'STEP' ? InterpolateDiscrete : InterpolateLinear
  const plain = new NumberKeyframeTrack('x', when as never, what as never, how)
  const track = spline ? splined(plain, width) : plain
  const made = (track as unknown as { createInterpolant(): { evaluate(t: number): number[] } }).createInterpolant()
  return (seconds) => Array.from(made.evaluate(seconds))
}

// What clips do beyond places and shapes: when parts are to be seen, and how materials look meanwhile. What it changes
// it remembers, and gives back.
export class Appearing {
  private readonly clips = new Map<number, Looks>()
  private readonly unseen = new Set<Object3D>()
  private readonly rests = new Map<Material, Material>()
  private readonly lent: Texture[] = []

  constructor(
    private readonly scene: SceneData,
    private readonly built: Built,
  ) {}

  async load(number: number): Promise<void> {
    const clip = this.scene.clips[number]
    if (!clip || this.clips.has(number)) return
    const shown = clip.shown.map(async (one) => ({ node: one.node, at: await valueOf(one) }))
    const materials = clip.looks.map(async (one) => ({
      material: one.material,
      path: one.path,
      at: await valueOf(one),
    }))
    this.clips.set(number, { shown: await Promise.all(shown), materials: await Promise.all(materials) })
  }

  // At moments of clips that are loaded; where several say something of one thing, the one that counts most.
  stand(moments: Moment[]): void {
    const hidden = new Set<number>()
    const looks = new Map<string, { material: number; path: string; values: number[] }>()
    for (const { clip, seconds } of [...moments].sort((a, b) => a.share - b.share)) {
      for (const { node, at } of this.clips.get(clip)?.shown ?? [])
        if (at(seconds)[0]! < 0.5) hidden.add(node)
        else hidden.delete(node)
      for (const { material, path, at } of this.clips.get(clip)?.materials ?? [])
        looks.set(`${material} ${path}`, { material, path, values: at(seconds) })
    }
    this.hide(hidden)
    if (!looks.size && this.rests.size) this.undress()
    for (const look of looks.values()) this.dress(look)
  }

  release(): void {
    this.hide(new Set())
    this.undress()
  }

  // By layers: who hides parts by hand does it otherwise, and neither undoes the other's.
  private hide(nodes: Set<number>): void {
    const gone = new Set<Object3D>()
    for (const number of nodes) this.built.nodes[number]?.traverse((object) => gone.add(object))
    for (const { object, node } of this.built.drawn) {
      if (gone.has(node) && !this.unseen.has(object)) object.layers.disableAll()
      else if (!gone.has(node) && this.unseen.has(object)) object.layers.set(0)
      if (gone.has(node)) this.unseen.add(object)
      else this.unseen.delete(object)
    }
  }

  private dress({ material, path, values }: { material: number; path: string; values: number[] }): void {
    for (const { own } of this.built.drawn) {
      if (own.userData.material !== material) continue
      const worn = own as MeshStandardMaterial
      if (!this.rests.has(own)) {
        this.rests.set(own, own.clone())
        this.lend(worn)
      }
      if (path === 'base_color') {
        worn.color.copy(new Color().fromArray(values))
        worn.opacity = worn.transparent || worn.alphaTest > 0 ? values[3]! : worn.opacity
      } else if (path === 'emissive' && worn.emissive) worn.emissive.copy(new Color().fromArray(values))
      else if (path === 'roughness' && worn.roughness !== undefined) worn.roughness = values[0]!
      else if (path === 'metallic' && worn.metalness !== undefined) worn.metalness = values[0]!
      for (const key of MAPS) {
        const texture = (worn as Worn)[key]
        if (path === 'offset') texture?.offset.fromArray(values)
        if (path === 'tiling') texture?.repeat.fromArray(values)
      }
    }
  }

  // Textures are shared with other materials: what is to lie otherwise is a copy over the same picture.
  private lend(worn: Worn): void {
    const copies = new Map<Texture, Texture>()
    for (const key of MAPS) {
      const texture = worn[key]
      if (!texture) continue
      const copy = copies.get(texture) ?? texture.clone()
      copies.set(texture, copy)
      worn[key] = copy
    }
    this.lent.push(...copies.values())
  }

  private undress(): void {
    for (const [own, rest] of this.rests) {
      own.copy(rest)
      rest.dispose()
    }
    this.rests.clear()
    this.lent.splice(0).forEach((texture) => texture.dispose())
  }
}
