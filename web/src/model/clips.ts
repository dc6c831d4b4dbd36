import type { ClipFacts } from '../api/client'
import { count } from './words'

export type ClipOrder = 'as they come' | 'name' | 'length' | 'keys'
export const ORDERS: ClipOrder[] = ['as they come', 'name', 'length', 'keys']

// The clips that a search finds, by their number; those with a star first.
export function listed(clips: ClipFacts[], words: string, order: ClipOrder, stars: ReadonlySet<string>) {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const found = clips
    .map((clip, number) => ({ clip, number, star: stars.has(clip.name) }))
    .filter(({ clip }) => wanted.every((word) => `${clip.name} ${clip.entry}`.toLowerCase().includes(word)))
  const by = {
    'as they come': () => 0,
    name: (a: ClipFacts, b: ClipFacts) => a.name.localeCompare(b.name, undefined, { numeric: true }),
    length: (a: ClipFacts, b: ClipFacts) => b.seconds - a.seconds,
    keys: (a: ClipFacts, b: ClipFacts) => b.keys - a.keys,
  }[order]
  return found.sort((a, b) => Number(b.star) - Number(a.star) || by(a.clip, b.clip) || a.number - b.number)
}

// "1.60 s, 30 a second, 900 keys"
export function clipWords({ seconds, rate, keys }: ClipFacts): string {
  const even = rate ? `${Number(rate.toFixed(2))} a second` : 'uneven'
  return `${seconds.toFixed(2)} s, ${even}, ${count(keys)} ${keys === 1 ? 'key' : 'keys'}`
}
