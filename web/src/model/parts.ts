// Parts as the list shows them: those whose names hold what is looked for, together by what they have in common.
import type { Part } from '../api/client'

export const GROUPINGS = ['one list', 'material', 'class', 'level of detail'] as const
export type Grouping = (typeof GROUPINGS)[number]

const TITLES: Record<Exclude<Grouping, 'one list'>, (part: Part) => string> = {
  material: (part) => (part.materials.length ? part.materials.join(', ') : 'no material'),
  class: (part) => part.role,
  'level of detail': (part) => (part.detail ? `level ${part.detail}` : 'the finest'),
}

// A star stands for anything: `claw_*` are the names that begin so; words without one may stand anywhere.
export function fits(name: string, words: string): boolean {
  const wanted = words.trim().toLowerCase()
  if (!wanted.includes('*')) return name.toLowerCase().includes(wanted)
  const escaped = wanted.split('*').map((piece) => piece.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
  return new RegExp(`^${escaped.join('.*')}$`).test(name.toLowerCase())
}

// What a further choice comes to: those that are all chosen already are chosen no longer, else all of them are.
export function toggled(chosen: string[], some: string[]): string[] {
  const all = some.every((name) => chosen.includes(name))
  return all ? chosen.filter((name) => !some.includes(name)) : [...new Set([...chosen, ...some])]
}

export function grouped(parts: Part[], by: Grouping, words: string): [string, Part[]][] {
  const found = parts.filter((part) => fits(part.name, words))
  if (by === 'one list') return found.length ? [['', found]] : []
  const groups = new Map<string, Part[]>()
  for (const part of found) groups.set(TITLES[by](part), [...(groups.get(TITLES[by](part)) ?? []), part])
  return [...groups]
}
