export type Turn = [number, number, number]

// What makes a pose: joints turned further, in degrees about their own x, then y, then z; joints pulled to places.
export interface Posed {
  turns: { joint: string; turn: Turn }[]
  pulls: { joint: string; to: Turn }[]
}

export const NOTHING: Posed = { turns: [], pulls: [] }

const rounded = (values: Turn, digits: number): Turn => values.map((v) => Number(v.toFixed(digits))) as Turn

// With one joint turned so; not at all takes it out.
export function withTurn(posed: Posed, joint: string, turn: Turn): Posed {
  const others = posed.turns.filter((one) => one.joint !== joint)
  const made = rounded(turn, 3)
  return { ...posed, turns: made.some((angle) => angle !== 0) ? [...others, { joint, turn: made }] : others }
}

export function withPull(posed: Posed, joint: string, to: Turn): Posed {
  const others = posed.pulls.filter((one) => one.joint !== joint)
  return { ...posed, pulls: [...others, { joint, to: rounded(to, 5) }] }
}

export function without(posed: Posed, joint: string): Posed {
  return {
    turns: posed.turns.filter((one) => one.joint !== joint),
    pulls: posed.pulls.filter((one) => one.joint !== joint),
  }
}

export const turnOf = (posed: Posed, joint: string): Turn =>
  posed.turns.find((one) => one.joint === joint)?.turn ?? [0, 0, 0]

export const touched = (posed: Posed): string[] => [
  ...new Set([...posed.turns, ...posed.pulls].map((one) => one.joint)),
]

// "pose", or "pose 2" where that is taken.
export function freeName(taken: string[], plain = 'pose'): string {
  if (!taken.includes(plain)) return plain
  let number = 2
  while (taken.includes(`${plain} ${number}`)) number += 1
  return `${plain} ${number}`
}
