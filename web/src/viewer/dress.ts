import { Mesh, type Material } from 'three'
import { hasBacks, showBacks, type Backs } from './backs'
import type { Drawn } from './build'
import { isShared, materialFor, wireOf, type Look } from './looks'

// How all that is drawn looks: its materials or one channel, its faces from behind, lines over it.
export class Dress {
  private look: Look = 'textured'
  private joint = ''
  private backsAre: Backs = 'hatched'
  private wires: Mesh[] | null = null

  constructor(
    private readonly all: () => Drawn[],
    private readonly draw: () => void,
  ) {}

  prepare(drawn: Drawn): void {
    drawn.object.castShadow = drawn.object.receiveShadow = drawn.object instanceof Mesh
  }

  // What was drawn anew looks as all else does.
  again(): void {
    this.setLook(this.look)
    this.setWires(this.wires !== null)
  }

  // `joint` is the one whose weights are shown, where that is the look.
  setLook(look: Look, joint = this.joint): void {
    this.look = look
    this.joint = joint
    for (const drawn of this.all()) {
      const before = drawn.object.material as Material
      drawn.object.material = materialFor(look, drawn, joint)
      if (before !== drawn.own && !isShared(before)) before.dispose()
    }
    this.setBacks(this.backsAre)
  }

  // What is seen of faces from behind.
  setBacks(backs: Backs): void {
    this.backsAre = backs
    const wanted = this.look === 'sides' ? 'both' : backs
    // Wires have no sides.
    const solid = this.look === 'wire' ? [] : this.all().filter(hasBacks)
    for (const { object } of solid) showBacks(object.material as Material, wanted)
    this.draw()
  }

  // Lines over the surface.
  setWires(on: boolean): void {
    for (const one of this.wires ?? []) one.removeFromParent()
    this.wires = on ? this.all().flatMap((drawn) => wireOf(drawn) ?? []) : null
    this.draw()
  }
}
