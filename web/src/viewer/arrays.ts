import type { ArrayRef } from './manifest'
import { blobs } from './blobs'

type Numbers = Float32Array | Float64Array | Uint32Array | Uint16Array | Uint8Array | Int16Array | Int8Array

const KINDS: Record<string, new (buffer: ArrayBuffer) => Numbers> = {
  '<f4': Float32Array,
  '<f8': Float64Array,
  '<u4': Uint32Array,
  '<u2': Uint16Array,
  '|u1': Uint8Array,
  '<i2': Int16Array,
  '|i1': Int8Array,
}

export function typed(ref: ArrayRef, data: ArrayBuffer): Numbers {
  const Kind = KINDS[ref.dtype]
  if (!Kind) throw new Error(`Numbers of type ${ref.dtype} cannot be shown.`)
  return new Kind(data)
}

export const numbers = async (ref: ArrayRef): Promise<Numbers> => typed(ref, await blobs.get(ref.blob))

// The first columns of rows of `width` numbers, or zeros behind them where a row has fewer.
export function columns(values: Numbers, width: number, wanted: number): Float32Array | Uint16Array {
  const rows = values.length / width
  const out = values instanceof Uint16Array ? new Uint16Array(rows * wanted) : new Float32Array(rows * wanted)
  for (let row = 0; row < rows; row++)
    for (let k = 0; k < Math.min(width, wanted); k++) out[row * wanted + k] = values[row * width + k] ?? 0
  return out
}

// The four strongest of `width` joints of each vertex, their weights scaled to the same sum.
export function strongest(joints: Numbers, weights: Numbers, width: number) {
  const rows = weights.length / width
  const found = { joints: new Uint16Array(rows * 4), weights: new Float32Array(rows * 4) }
  for (let row = 0; row < rows; row++) {
    const order = Array.from({ length: width }, (_, k) => row * width + k)
    const total = order.reduce((sum, at) => sum + weights[at]!, 0)
    const four = order.sort((a, b) => weights[b]! - weights[a]!).slice(0, 4)
    const kept = four.reduce((sum, at) => sum + weights[at]!, 0)
    four.forEach((at, k) => {
      found.joints[row * 4 + k] = joints[at]!
      found.weights[row * 4 + k] = kept > 0 ? (weights[at]! * total) / kept : 0
    })
  }
  return found
}
