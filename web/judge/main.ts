// A reader of delivered files that shares no code with their writer: three.js's loaders, run under Node.
// Asked [gltf|fbx|obj|stl|ply, FILE, OUT] it writes OUT.json and OUT.bin (arrays, named from the JSON by offset);
// asked [validate, FILE] it answers with the official validator's issues.
import { readFileSync, writeFileSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { SkinnedMesh } from 'three'
import { answered } from './asked'
import { Arrays, type ReadBack } from './readback'
import { readGltf } from './gltf'
import { readFbx } from './fbx'
import { readObj } from './obj'
import { readSolid } from './solid'
import { validate } from './validate'

const MOST_POSED = 200_000

// What the loaders ask of a page before they look at anything; the same for every file, whichever came before.
Object.assign(globalThis, { self: globalThis, window: { innerWidth: 1, innerHeight: 1 } })
// Weights are looked at as they are written; the loaders would scale them.
SkinnedMesh.prototype.normalizeSkinWeights = () => undefined

async function read(how: string, file: string, out: string): Promise<void> {
  const arrays = new Arrays()
  const beside = (name: string): Buffer => readFileSync(join(dirname(file), decodeURIComponent(name)))
  const found: ReadBack =
    how === 'gltf'
      ? await readGltf(readFileSync(file), beside, arrays, MOST_POSED)
      : how === 'fbx'
        ? readFbx(readFileSync(file), arrays, MOST_POSED)
        : how === 'stl' || how === 'ply'
          ? readSolid(how, readFileSync(file), arrays)
          : readObj(readFileSync(file, 'utf8'), beside, arrays)
  writeFileSync(`${out}.bin`, arrays.bytes())
  writeFileSync(`${out}.json`, JSON.stringify(found))
}

void answered(async ([how = '', file = '', out = '']) => {
  try {
    return how === 'validate' ? await validate(file) : await read(how, file, out)
  } catch (error) {
    throw new Error(`${basename(file)}: ${error instanceof Error ? error.message : String(error)}`, { cause: error })
  }
})
