import { DoubleSide, FrontSide, Mesh, type Material } from 'three'
import type { Drawn } from './build'
import { backOf, isShared, materialFor, wireOf, type Backs, type Look } from './looks'

// How all that is drawn looks: its materials or one channel, its faces from behind, lines over it.
export class Dress {
  private look: Look = 'textured'
  private joint = ''
  private backsAre: Backs = 'hatched'
  private wires: Mesh[] | null = null
  private readonly backs = new Map<Drawn, Mesh>()

  constructor(
    private readonly all: () => Drawn[],
    private readonly draw: () => void,
  ) {}

  prepare(drawn: Drawn): void {
    drawn.object.castShadow = drawn.object.receiveShadow = drawn.object instanceof Mesh
    const back = backOf(drawn)
    if (!back) return
    drawn.object.add(back)
    this.backs.set(drawn, back)
  }

  forget(drawn: Drawn[]): void {
    for (const one of drawn) this.backs.delete(one)
  }

  clear(): void {
    this.backs.clear()
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
    for (const [drawn, back] of this.backs) {
      back.visible = backs === 'hatched' && this.look !== 'wire' && this.look !== 'sides'
      const material = drawn.object.material as Material
      const side = backs === 'both' || this.look === 'sides' ? DoubleSide : FrontSide
      if (isShared(material) || material.side === side) continue
      material.side = side
      material.needsUpdate = true
    }
    this.draw()
  }

  // Lines over the surface.
  setWires(on: boolean): void {
    for (const one of this.wires ?? []) one.removeFromParent()
    this.wires = on ? this.all().flatMap((drawn) => wireOf(drawn) ?? []) : null
    this.draw()
  }
}
