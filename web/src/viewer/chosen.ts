import { BufferAttribute, BufferGeometry, DoubleSide, InstancedMesh, Matrix4, Mesh, MeshBasicMaterial } from 'three'
import { cornersOf, type FaceSet } from '../model/faces'
import { worldMatrix, type Drawn } from './build'
import { over } from './looks'

// Seen through so much, and so far before the surface that it lies on.
const paint = (opacity: number, before: number) =>
  new MeshBasicMaterial({
    color: '#12a0bd',
    opacity,
    transparent: true,
    depthWrite: false,
    side: DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: -before,
    polygonOffsetUnits: -before,
  })
const tinted = paint(0.45, 1)
const marked = paint(0.8, 2)

// Chosen faces and parts, laid over the surfaces that they belong to; they follow joints and shapes as those do.
export class ChosenFaces {
  private laid: Mesh[] = []

  // False where nothing was laid and nothing is.
  mark(drawn: Drawn[], faces: FaceSet[], parts: string[]): boolean {
    const before = this.laid.length
    this.clear()
    for (const one of drawn)
      for (const [n, part] of one.parts.entries()) {
        const mine = faces.find((set) => set.part === part)
        if (mine) this.lay(one, n, mine.faces)
        if (parts.includes(part)) this.lay(one, n, null)
      }
    return before + this.laid.length > 0
  }

  clear(): void {
    for (const one of this.laid) {
      const { parent } = one
      one.removeFromParent()
      // A part is laid over in its own geometry, which stays.
      if (!(parent instanceof Mesh) || parent.geometry !== one.geometry) one.geometry.dispose()
    }
    this.laid = []
  }

  // Some faces, or all where none are named.
  private lay(drawn: Drawn, instance: number, faces: string | null): void {
    const { object } = drawn
    if (!(object instanceof Mesh)) return
    const some = faces === null ? object.geometry : facesOf(object.geometry, faces, drawn.firstFace)
    if (!some) return
    const worn = faces === null ? tinted : marked
    const laid = object instanceof InstancedMesh ? new Mesh(some, worn) : over(object, worn, some)
    laid.renderOrder = 2
    if (object instanceof InstancedMesh) {
      laid.matrixAutoUpdate = false
      laid.matrix
        .copy(object.matrixWorld)
        .invert()
        .multiply(worldMatrix(drawn, instance, new Matrix4()))
    }
    object.add(laid)
    this.laid.push(laid)
  }
}

// Vertices are those of the surface; only which of them make faces is told anew.
function facesOf(surface: BufferGeometry, faces: string, first: number): BufferGeometry | null {
  const corners = surface.index && cornersOf(surface.index.array, faces, first)
  if (!corners?.length) return null
  const some = new BufferGeometry()
  some.attributes = surface.attributes
  some.morphAttributes = surface.morphAttributes
  some.morphTargetsRelative = surface.morphTargetsRelative
  some.setIndex(new BufferAttribute(corners, 1))
  return some
}
