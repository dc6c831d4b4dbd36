// The first and the last of a stretch between two places, whichever comes first.
export function stretch(one: number, other: number): [first: number, last: number] {
  return one < other ? [one, other] : [other, one]
}
