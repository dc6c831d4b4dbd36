// A texture packed as Basis Universal, taken apart by the transcoder that three.js ships.
// node transcode.mjs < FILE.ktx2  writes the largest level of the first face as RGBA, a byte a channel.
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { fileURLToPath } from 'node:url'

interface Packed {
  isValid(): boolean
  startTranscoding(): number
  getImageTranscodedSizeInBytes(level: number, layer: number, face: number, format: number): number
  transcodeImage(
    out: Uint8Array,
    level: number,
    layer: number,
    face: number,
    format: number,
    wantAlpha: number,
    channel0: number,
    channel1: number,
  ): number
}

interface Transcoder {
  initializeBasis(): void
  KTX2File: new (data: Uint8Array) => Packed
}

const RGBA32 = 13

async function main(): Promise<void> {
  const begin = createRequire(import.meta.url)('./basis_transcoder.cjs') as (given: object) => Promise<Transcoder>
  const wasmBinary = readFileSync(fileURLToPath(new URL('./basis_transcoder.wasm', import.meta.url)))
  const transcoder = await begin({ wasmBinary })
  transcoder.initializeBasis()
  const packed = new transcoder.KTX2File(new Uint8Array(readFileSync(0)))
  if (!packed.isValid()) throw new Error('it is no whole KTX2 file')
  if (!packed.startTranscoding()) throw new Error('its tables do not unpack')
  const out = new Uint8Array(packed.getImageTranscodedSizeInBytes(0, 0, 0, RGBA32))
  if (!packed.transcodeImage(out, 0, 0, 0, RGBA32, 0, -1, -1)) throw new Error('its blocks do not unpack')
  process.stdout.write(out)
}

main().catch((error: unknown) => {
  process.stderr.write(error instanceof Error ? error.message : String(error))
  process.exitCode = 2
})
