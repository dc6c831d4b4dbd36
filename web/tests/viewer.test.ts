import { PerspectiveCamera, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'
import { columns, strongest, typed } from '../src/viewer/arrays'
import { Blobs } from '../src/viewer/blobs'
import { framing, viewpoint } from '../src/viewer/framing'

const data = (size: number) => Promise.resolve(new ArrayBuffer(size))

describe('blobs', () => {
  it('asks once for each, however often and at once it is wanted', async () => {
    const asked: string[] = []
    const blobs = new Blobs((name) => (asked.push(name), data(8)))
    await Promise.all([blobs.get('a'), blobs.get('a'), blobs.get('b')])
    await blobs.get('a')
    expect(asked).toEqual(['a', 'b'])
  })
  it('lets go of what was used longest ago', async () => {
    const asked: string[] = []
    const blobs = new Blobs((name) => (asked.push(name), data(10)), 25)
    for (const name of ['a', 'b', 'a', 'c', 'a', 'b']) await blobs.get(name)
    expect(asked).toEqual(['a', 'b', 'c', 'b'])
  })
  it('asks again for what failed', async () => {
    let times = 0
    const blobs = new Blobs(() => (++times === 1 ? Promise.reject(new Error('gone')) : data(4)))
    await expect(blobs.get('a')).rejects.toThrow('gone')
    await expect(blobs.get('a')).resolves.toBeInstanceOf(ArrayBuffer)
  })
})

describe('arrays', () => {
  it('takes the first columns and fills what lacks', () => {
    const values = new Float32Array([1, 2, 3, 4, 5, 6])
    expect([...columns(values, 3, 2)]).toEqual([1, 2, 4, 5])
    expect([...columns(values, 2, 4)]).toEqual([1, 2, 0, 0, 3, 4, 0, 0, 5, 6, 0, 0])
  })
  it('keeps the four strongest joints of each vertex, with what all of them pulled', () => {
    const joints = new Uint16Array([9, 8, 7, 6, 5, 0, 0, 0, 0, 0])
    const weights = new Float32Array([0.1, 0.3, 0.1, 0.3, 0.2, 0, 0, 0, 0, 0])
    const found = strongest(joints, weights, 5)
    expect([...found.joints].slice(0, 4)).toEqual([8, 6, 5, 9])
    expect(found.weights.slice(0, 4).reduce((sum, value) => sum + value, 0)).toBeCloseTo(1)
    expect([...found.weights].slice(4)).toEqual([0, 0, 0, 0])
  })
  it('refuses numbers that it does not know', () => {
    expect(() => typed({ blob: 'x', dtype: '>f2', shape: [1] }, new ArrayBuffer(2))).toThrow('>f2')
  })
})

describe('framing', () => {
  // Whatever the shape, all of it is in the picture and fills a good part of it.
  const shapes: [string, Vector3[]][] = [
    ['a box', corners(1, 1, 1)],
    ['a tall post', corners(0.1, 9, 0.1)],
    ['a flat floor', corners(40, 0.01, 30)],
    ['a grain far away', corners(1e-3, 1e-3, 1e-3).map((p) => p.add(new Vector3(500, 20, -300)))],
  ]
  it.each(shapes)('shows %s whole', (_name, points) => {
    for (const aspect of [0.6, 1, 1.8]) {
      const camera = new PerspectiveCamera(34, aspect, 1e-5, 1e5)
      const back = viewpoint(new Vector3(1, 1, 1))
      const found = framing(points, back, Math.tan((17 * Math.PI) / 180), aspect)!
      camera.position.copy(found.target).addScaledVector(back, found.away)
      camera.lookAt(found.target)
      camera.updateMatrixWorld(true)
      const seen = points.map((p) => p.clone().project(camera))
      const reach = Math.max(...seen.map((p) => Math.max(Math.abs(p.x), Math.abs(p.y))))
      expect(reach).toBeLessThan(1)
      expect(reach).toBeGreaterThan(0.6)
    }
  })
  it('has nothing to show of nothing', () => expect(framing([], new Vector3(0, 0, 1), 0.3, 1)).toBeNull())
})

function corners(x: number, y: number, z: number): Vector3[] {
  return [0, 1, 2, 3, 4, 5, 6, 7].map((n) => new Vector3(n & 1 ? x : 0, n & 2 ? y : 0, n & 4 ? z : 0))
}
