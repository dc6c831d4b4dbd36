// A texture packed as Basis Universal, taken apart by the transcoder that three.js ships.
// Asked [FILE, OUT] it writes the largest level of the first face of a KTX2 file as RGBA, a byte a channel.
import { readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { fileURLToPath } from 'node:url'
import { answered } from './asked'

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

const begin = createRequire(import.meta.url)('./basis_transcoder.cjs') as (given: object) => Promise<Transcoder>
const program = new WebAssembly.Module(readFileSync(fileURLToPath(new URL('./basis_transcoder.wasm', import.meta.url))))

// One for each file: what a damaged one leaves behind is of no concern to the next.
function transcoder(): Promise<Transcoder> {
  const instantiateWasm = (
    imports: WebAssembly.Imports,
    ready: (instance: WebAssembly.Instance, module: WebAssembly.Module) => void,
  ) => {
    const instance = new WebAssembly.Instance(program, imports)
    ready(instance, program)
    return instance.exports
  }
  return begin({ instantiateWasm })
}

void answered(async ([file = '', out = '']) => {
  const basis = await transcoder()
  basis.initializeBasis()
  const packed = new basis.KTX2File(new Uint8Array(readFileSync(file)))
  if (!packed.isValid()) throw new Error('it is no whole KTX2 file')
  if (!packed.startTranscoding()) throw new Error('its tables do not unpack')
  const texels = new Uint8Array(packed.getImageTranscodedSizeInBytes(0, 0, 0, RGBA32))
  if (!packed.transcodeImage(texels, 0, 0, 0, RGBA32, 0, -1, -1)) throw new Error('its blocks do not unpack')
  writeFileSync(out, texels)
})
