import { BufferAttribute, BufferGeometry, DoubleSide, InstancedMesh, Matrix4, Mesh, MeshBasicMaterial } from 'three'
import { cornersOf, type FaceSet } from '../model/faces'
import { worldMatrix, type Drawn } from './build'
import { over } from './looks'

const marked = new MeshBasicMaterial({
  color: '#12a0bd',
  opacity: 0.8,
  transparent: true,
  depthWrite: false,
  side: DoubleSide,
  polygonOffset: true,
  polygonOffsetFactor: -2,
  polygonOffsetUnits: -2,
})

// Chosen faces, laid over the surfaces that they belong to; they follow joints and shapes as those do.
export class ChosenFaces {
  private laid: Mesh[] = []

  mark(drawn: Drawn[], chosen: FaceSet[]): void {
    this.clear()
    for (const one of drawn)
      for (const [n, part] of one.parts.entries()) {
        const mine = chosen.find((set) => set.part === part)
        if (mine) this.lay(one, n, mine.faces)
      }
  }

  clear(): void {
    for (const one of this.laid) {
      one.removeFromParent()
      one.geometry.dispose()
    }
    this.laid = []
  }

  private lay(drawn: Drawn, instance: number, faces: string): void {
    const { object } = drawn
    const index = object.geometry.index
    if (!(object instanceof Mesh) || !index) return
    const corners = cornersOf(index.array, faces, drawn.firstFace)
    if (!corners.length) return
    // Vertices are those of the surface; only which of them make faces is told anew.
    const some = new BufferGeometry()
    some.attributes = object.geometry.attributes
    some.morphAttributes = object.geometry.morphAttributes
    some.morphTargetsRelative = object.geometry.morphTargetsRelative
    some.setIndex(new BufferAttribute(corners, 1))
    const laid = object instanceof InstancedMesh ? new Mesh(some, marked) : over(object, marked, some)
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
