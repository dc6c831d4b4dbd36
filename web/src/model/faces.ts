// Faces by their numbers, as steps keep them: `0-11, 40`.
export interface FaceSet {
  part: string
  faces: string
}

// Pairs of first and last.
export function rangesOf(text: string): [number, number][] {
  return text.split(',').flatMap((one): [number, number][] => {
    const [first, last] = one.trim().split('-').map(Number)
    return one.trim() && Number.isInteger(first) ? [[first!, last ?? first!]] : []
  })
}

export const holds = (text: string, face: number) =>
  rangesOf(text).some(([first, last]) => first <= face && face <= last)

// How many faces these are together.
export const faceCount = (sets: FaceSet[]) =>
  sets.flatMap(({ faces }) => rangesOf(faces)).reduce((sum, [first, last]) => sum + last - first + 1, 0)

// The corners of those of a surface's faces that are among these; its first face has the number `begin`.
export function cornersOf(index: ArrayLike<number>, text: string, begin: number): Uint32Array {
  const count = index.length / 3
  const within = rangesOf(text)
    .map(([first, last]) => [Math.max(first - begin, 0), Math.min(last - begin, count - 1)] as const)
    .filter(([first, last]) => first <= last)
  const made = new Uint32Array(within.reduce((sum, [first, last]) => sum + (last - first + 1) * 3, 0))
  let at = 0
  for (const [first, last] of within) for (let k = first * 3; k < (last + 1) * 3; k += 1) made[at++] = index[k]!
  return made
}
