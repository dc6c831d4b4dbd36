/** Rows of bytes as hexadecimal digits and as characters. */

export const PAGE = 8192

export const addressOf = (offset: number) => offset.toString(16).toUpperCase().padStart(8, '0')

/** The character of a byte, or a dot where it has none that prints. */
export const printed = (byte: number) => (byte > 31 && byte < 127 ? String.fromCharCode(byte) : '·')

export function bytesOf(hex: string): Uint8Array {
  const found = new Uint8Array(hex.length / 2)
  for (let n = 0; n < found.length; n++) found[n] = parseInt(hex.slice(n * 2, n * 2 + 2), 16)
  return found
}

/** An offset as somebody writes it: `0x1F`, `1Fh`, or decimal with or without separators; null where it is none. */
export function offsetOf(words: string): number | null {
  const plain = words.trim().replace(/[\s,_']/g, '')
  const digits = /^(?:0x([0-9a-f]+)|([0-9a-f]+)h)$/i.exec(plain)
  if (digits) return parseInt((digits[1] ?? digits[2])!, 16)
  return /^\d+$/.test(plain) ? Number(plain) : null
}
