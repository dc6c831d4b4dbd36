import type { Material, Mesh } from 'three'
import { MTLLoader } from 'three/examples/jsm/loaders/MTLLoader.js'
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js'
import { geometryOf } from './attributes'
import { nothingRead, type Arrays, type ReadBack } from './readback'

// The loader for MTL keeps each line of a material under its key in lower case.
type Info = Record<string, string | number[]>

export function readObj(text: string, beside: (name: string) => Buffer, arrays: Arrays): ReadBack {
  const root = new OBJLoader().parse(text)
  const out = nothingRead()
  for (const line of text.match(/^mtllib .+$/gm) ?? []) {
    const library = new MTLLoader().parse(beside(line.slice(7).trim()).toString('utf8'), '')
    const described = library.materialsInfo as unknown as Record<string, Info>
    for (const [name, info] of Object.entries(described)) out.materials.push(material(name, info))
  }
  const index = new Map(out.materials.map((found, i) => [found.name, i] as const))
  root.children.forEach((child, number) => {
    const mesh = child as Mesh
    const kind = 'isMesh' in child ? 'triangles' : 'isPoints' in child ? 'points' : 'lines'
    out.nodes.push({ name: child.name, parent: -1, world: child.matrixWorld.toArray(), shown: true })
    const used = Array.isArray(mesh.material) ? mesh.material : [mesh.material]
    const at = (one: Material | undefined): number => (one ? (index.get(one.name) ?? -1) : -1)
    const runs = mesh.geometry.groups.map((group): [number, number, number] => [
      group.start,
      group.count,
      at(used[group.materialIndex ?? 0]),
    ])
    const corners = mesh.geometry.getAttribute('position').count
    out.parts.push({
      node: number,
      primitive: 0,
      kind,
      geometry: out.geometries.length,
      materials: runs.length ? runs : [[0, corners, at(used[0])]],
      skin: null,
    })
    out.geometries.push(geometryOf(mesh.geometry, arrays))
  })
  return out
}

const VALUES: Record<string, string> = { 'base colour': 'kd', roughness: 'pr', metallic: 'pm', emissive: 'ke' }
const MAPS = ['map_kd', 'map_pr', 'map_pm', 'norm', 'map_ke', 'map_d']

function material(name: string, info: Info): ReadBack['materials'][number] {
  const values: Record<string, number[]> = {}
  for (const [word, key] of Object.entries(VALUES)) {
    const found = info[key]
    if (found !== undefined) values[word] = Array.isArray(found) ? found : found.split(/\s+/).map(Number)
  }
  const textures: Record<string, string> = {}
  for (const key of MAPS) {
    const found = info[key]
    if (typeof found === 'string') textures[key] = found
  }
  return { name, values, textures }
}
