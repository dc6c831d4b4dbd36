// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from 'vitest'
import { stamp, topOf, uploadFault, uploads, useUploads } from '../src/composables/useUploads'
import { Refusal, serve, type Asked } from './server'

const PIECE = 8 << 20
const STORE = '/store/sent/'

interface Held {
  name: string
  size: number
  have: number
}

// A server that takes pieces; `have` is what it holds already of a file that broke off earlier.
function receiver(have: Record<string, number> = {}) {
  const files = new Map<string, Held>()
  const state = (id: string) => {
    const file = files.get(id)!
    return {
      id,
      name: file.name,
      size: file.size,
      have: file.have,
      path: file.have === file.size ? STORE + file.name : null,
    }
  }
  const asked: Asked[] = serve({
    'POST /api/projects/*/uploads': ({ body }) => {
      const { name, size } = body as { name: string; size: number }
      const id = String(files.size)
      files.set(id, { name, size, have: have[name] ?? 0 })
      return state(id)
    },
    'PUT /api/projects/*/uploads/*': ({ path, query }) => {
      const id = path.split('/').at(-1)!
      const file = files.get(id)!
      if (Number(query.get('offset')) !== file.have)
        return new Refusal(409, { title: 'Gap', status: 409, code: 'gap', detail: 'a piece is missing' })
      file.have = Math.min(file.size, file.have + PIECE)
      return state(id)
    },
    'POST /api/projects/*/sources': () => null,
  })
  const names = () => [...files.values()].map((f) => f.name)
  const mounted = () => asked.filter((a) => a.path.endsWith('/sources')).map((a) => (a.body as { path: string }).path)
  return { asked, names, mounted }
}
const sized = (name: string, size: number) => Object.defineProperty(new File(['x'], name), 'size', { value: size })
const listed = (...files: File[]) => files as unknown as FileList

// What is dropped: folders as nested objects, files as their sizes.
type Tree = { [name: string]: number | Tree }
function dropped(tree: Tree): DataTransfer {
  const entry = (name: string, inner: number | Tree, above: string): object => {
    const fullPath = `${above}/${name}`
    if (typeof inner === 'number')
      return { isFile: true, fullPath, file: (done: (f: File) => void) => done(sized(name, inner)) }
    const left = Object.entries(inner).map(([n, i]) => entry(n, i, fullPath))
    // A browser gives a hundred at a time.
    return {
      isFile: false,
      fullPath,
      createReader: () => ({ readEntries: (done: (e: object[]) => void) => done(left.splice(0, 100)) }),
    }
  }
  const items = Object.entries(tree).map(([name, inner]) => ({ webkitGetAsEntry: () => entry(name, inner, '') }))
  return { items } as unknown as DataTransfer
}

beforeEach(() => {
  uploads.value = []
  uploadFault.value = null
})

describe('sending', () => {
  it('goes piece by piece and mounts what arrived', async () => {
    const { asked, mounted } = receiver()
    await useUploads().files('p', listed(sized('big.pak', 2 * PIECE + 5)))
    const offsets = asked.filter((a) => a.method === 'PUT').map((a) => Number(a.query.get('offset')))
    expect(offsets).toEqual([0, PIECE, 2 * PIECE])
    expect(mounted()).toEqual([`${STORE}big.pak`])
    expect(uploads.value).toEqual([])
  })
  it('goes on where it broke off', async () => {
    const { asked } = receiver({ 'big.pak': PIECE })
    await useUploads().files('p', listed(sized('big.pak', 2 * PIECE)))
    expect(asked.filter((a) => a.method === 'PUT').map((a) => Number(a.query.get('offset')))).toEqual([PIECE])
  })
  it('makes one source of several files', async () => {
    const { names, mounted } = receiver()
    await useUploads().files('p', listed(sized('a.bin', 3), sized('b.bin', 4), sized('c.bin', 5)))
    const folders = new Set(names().map((n) => n.split('/')[0]))
    expect(folders.size).toBe(1)
    expect([...folders][0]).toMatch(/^sent files \d{4}-\d\d-\d\d \d\d\.\d\d\.\d\d$/)
    expect(mounted()).toEqual([STORE + [...folders][0]])
  })
  it('keeps folders that are dropped, each its own source, however many files they hold', async () => {
    const { names, mounted } = receiver()
    const many = Object.fromEntries(Array.from({ length: 250 }, (_, i) => [`f${i}`, 1]))
    await useUploads().drop('p', dropped({ game: { maps: { 'one.map': 2 }, many }, mods: { 'x.zip': 9 } }))
    expect(names()).toHaveLength(252)
    expect(names()).toContain('game/maps/one.map')
    expect(mounted()).toEqual([`${STORE}game`, `${STORE}mods`])
  })
  it('puts loose files beside dropped folders into a folder of their own', async () => {
    const { mounted } = receiver()
    await useUploads().drop('p', dropped({ game: { a: 1 }, 'x.pak': 2, 'y.pak': 3 }))
    expect(mounted()).toHaveLength(2)
    expect(mounted()[1]).toContain('sent files')
  })
  it('tells why it failed, and leaves no line that never ends', async () => {
    serve({
      'POST /api/projects/*/uploads': () =>
        new Refusal(507, { title: 'Full', status: 507, code: 'full', detail: 'the disk is full' }),
    })
    await useUploads().files('p', listed(sized('a.bin', 3)))
    expect((uploadFault.value as Error).message).toBe('the disk is full')
    expect(uploads.value).toEqual([])
  })
})

describe('names', () => {
  it('of sendings suit every file system', () =>
    expect(stamp(new Date(Date.UTC(2026, 0, 2, 3, 4, 5)))).toBe('2026-01-02 03.04.05'))
  it.each([
    ['/s/a.pak', 'a.pak', '/s/a.pak'],
    ['/s/game/x/a.pak', 'game/x/a.pak', '/s/game'],
    ['/s/s/s/a', 's/s/a', '/s/s'],
  ])('%s sent as %s is mounted at %s', (place, name, top) => expect(topOf(place, name)).toBe(top))
})
