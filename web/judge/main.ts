// A reader of delivered files that shares no code with their writer: three.js's loaders, run under Node.
// node judge.mjs gltf|fbx|obj|stl|ply FILE OUT [MOST_POSED]  writes OUT.json and OUT.bin (arrays, named from the JSON by offset).
// node judge.mjs validate FILE                   prints the official validator's issues as JSON.
import { readFileSync, writeFileSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { Arrays, type ReadBack } from './readback'
import { readGltf } from './gltf'
import { readFbx } from './fbx'
import { readObj } from './obj'
import { readSolid } from './solid'
import { validate } from './validate'

async function main(): Promise<void> {
  const [act, file, out, most] = process.argv.slice(2)
  if (!act || !file) throw new Error('what to read is missing')
  if (act === 'validate') {
    process.stdout.write(JSON.stringify(await validate(file)))
    return
  }
  const arrays = new Arrays()
  const beside = (name: string): Buffer => readFileSync(join(dirname(file), decodeURIComponent(name)))
  const found: ReadBack =
    act === 'gltf'
      ? await readGltf(readFileSync(file), beside, arrays, Number(most ?? 200_000))
      : act === 'fbx'
        ? readFbx(readFileSync(file), arrays, Number(most ?? 200_000))
        : act === 'stl' || act === 'ply'
          ? readSolid(act, readFileSync(file), arrays)
          : readObj(readFileSync(file, 'utf8'), beside, arrays)
  writeFileSync(`${out}.bin`, arrays.bytes())
  writeFileSync(`${out}.json`, JSON.stringify(found))
}

main().catch((error: unknown) => {
  process.stderr.write(
    `${basename(process.argv[3] ?? '')}: ${error instanceof Error ? error.message : String(error)}\n`,
  )
  process.exit(2)
})
