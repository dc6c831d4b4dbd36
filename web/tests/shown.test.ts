import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { Matrix4, Mesh, Vector3, type Object3D } from 'three'
import { beforeAll, describe, expect, it, vi } from 'vitest'
import { build, worldMatrix, type Built } from '../src/viewer/build'
import { Motion } from '../src/viewer/motion'
import type { SceneData } from '../src/viewer/manifest'

// A folder of stored scenes and of where the core says that their parts stand; written by tests of the core, which run
// this. Without it there is nothing to compare.
const folder = process.env.PRUXEL_SHOWN ?? ''

interface Placed {
  part: string
  blob: string
}
interface Moment {
  clip: number
  seconds: number
  parts: Placed[]
}

const read = (name: string) => {
  const bytes = readFileSync(join(folder, 'blobs', name))
  return bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer
}

// Where every vertex of a drawn thing stands in the world.
function standing(built: Built): { part: string; points: Float32Array }[] {
  const matrix = new Matrix4()
  const point = new Vector3()
  return built.drawn.flatMap((drawn) =>
    drawn.parts.map((part, n) => {
      worldMatrix(drawn, n, matrix)
      const positions = drawn.object.geometry.getAttribute('position')
      const points = new Float32Array(3 * positions.count)
      for (let i = 0; i < positions.count; i++) {
        if (drawn.object instanceof Mesh) drawn.object.getVertexPosition(i, point)
        else point.fromBufferAttribute(positions, i)
        point.applyMatrix4(matrix).toArray(points, 3 * i)
      }
      return { part, points }
    }),
  )
}

function farthest(one: Float32Array, other: Float32Array): number {
  let worst = 0
  for (let i = 0; i < one.length; i++) worst = Math.max(worst, Math.abs(one[i]! - other[i]!))
  return worst
}

function diagonal(all: Float32Array[]): number {
  const least = [Infinity, Infinity, Infinity]
  const most = [-Infinity, -Infinity, -Infinity]
  for (const points of all)
    points.forEach((value, i) => {
      least[i % 3] = Math.min(least[i % 3]!, value)
      most[i % 3] = Math.max(most[i % 3]!, value)
    })
  return Math.hypot(...most.map((value, k) => value - least[k]!))
}

// Every part that the core has is matched by one that is drawn, nearest first; nothing is left over.
function compare(when: string, wanted: Placed[], found: { part: string; points: Float32Array }[]) {
  const left = [...found]
  const expected = wanted.map(({ part, blob }) => ({ part, points: new Float32Array(read(blob)) }))
  const reach = Math.max(diagonal(expected.map((e) => e.points)), 1e-6)
  for (const { part, points } of expected) {
    const alike = left.filter((f) => f.part === part && f.points.length === points.length)
    const apart = alike.map((f) => farthest(f.points, points) / reach)
    const best = apart.indexOf(Math.min(...apart))
    expect(apart[best] ?? Infinity, `${part} ${when}, apart by shares of the diagonal`).toBeLessThan(1e-4)
    left.splice(left.indexOf(alike[best]!), 1)
  }
  expect(left.map((f) => f.part)).toEqual([])
}

const world = (root: Object3D) => root.updateMatrixWorld(true)

describe.runIf(folder)('what is drawn stands where the core says', () => {
  beforeAll(() => {
    vi.stubGlobal('fetch', async (url: string) => new Response(read(url.split('/').at(-1)!)))
  })
  const names = folder ? readdirSync(folder).filter((name) => name.endsWith('.json')) : []
  it.each(names)('%s', async (name) => {
    const { scene, moments } = JSON.parse(readFileSync(join(folder, name), 'utf8')) as {
      scene: SceneData
      moments: Moment[]
    }
    const built = await build(scene)
    const motion = new Motion(scene, built)
    for (const { clip, seconds, parts } of moments) {
      await motion.pose(clip < 0 ? [] : [{ clip, seconds, share: 1 }])
      world(built.root)
      compare(`in clip ${clip} at ${seconds} s`, parts, standing(built))
    }
  })
})
