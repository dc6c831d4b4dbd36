// From where on a pair needs nobody's look.
export const SURE = 0.9

// Corrections of which joint is which, a line each: "theirs = ours", nothing behind the sign for none.
export function saidOf(lines: string[]): Map<string, string> {
  const found = new Map<string, string>()
  for (const line of lines) {
    const at = line.indexOf('=')
    if (at > 0) found.set(line.slice(0, at).trim(), line.slice(at + 1).trim())
  }
  return found
}

// The lines with one more correction; `ours` undefined takes it back.
export function corrected(lines: string[], theirs: string, ours: string | undefined): string[] {
  const said = saidOf(lines)
  said.delete(theirs)
  if (ours !== undefined) said.set(theirs, ours)
  return [...said].map(([one, other]) => `${one} = ${other}`.trimEnd())
}

export interface Resting {
  name: string
  above: number
  place: number[]
}

export interface Dot {
  name: string
  x: number
  y: number
  // The end of the joint above, where a line to it is drawn; the dot itself for none.
  from: { x: number; y: number }
}

// A skeleton as it rests, seen from its front or turned about the vertical, in a box of a size with room around it.
export function drawnFlat(joints: Resting[], size: { width: number; height: number }, turnDeg = 0): Dot[] {
  const [c, s] = [Math.cos((turnDeg * Math.PI) / 180), Math.sin((turnDeg * Math.PI) / 180)]
  const flat = joints.map(({ place: [x = 0, y = 0, z = 0] }) => ({ x: c * x + s * z, y: -y }))
  const [left, right] = [Math.min(...flat.map((p) => p.x)), Math.max(...flat.map((p) => p.x))]
  const [top, bottom] = [Math.min(...flat.map((p) => p.y)), Math.max(...flat.map((p) => p.y))]
  const room = 14
  const grown = Math.min(
    (size.width - 2 * room) / Math.max(right - left, 1e-9),
    (size.height - 2 * room) / Math.max(bottom - top, 1e-9),
  )
  const at = flat.map((p) => ({
    x: size.width / 2 + (p.x - (left + right) / 2) * grown,
    y: size.height / 2 + (p.y - (top + bottom) / 2) * grown,
  }))
  return joints.map(({ name, above }, n) => ({ name, ...at[n]!, from: at[above] ?? at[n]! }))
}

// The joint drawn nearest a place, none beyond `most` pixels; of several at one place, each in turn after `last`.
export function nearestDot(dots: Dot[], x: number, y: number, last = '', most = 14): string {
  const far = dots.map((dot) => Math.hypot(dot.x - x, dot.y - y))
  const least = Math.min(...far)
  if (!(least <= most)) return ''
  const here = dots.filter((_, n) => far[n]! <= least + 1).map(({ name }) => name)
  return here[(here.indexOf(last) + 1) % here.length]!
}
