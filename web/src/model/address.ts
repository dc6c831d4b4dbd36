import type { LocationQuery } from 'vue-router'
import type { Wish } from '../api/client'

// How the list of entries looks, as its address says it: what is asked for, and whether it is shown as a list.
export const START: Wish = { search: '', kind: 'model', sort: 'path', down: false }
// Every kind, as a word of the address; without any word it is models.
const ANY = 'any'
const TEXT = { search: 'q', folder: 'in', source: 'source', variant: 'variant', flag: 'state' } as const
const SIZES = { least: 'least', most: 'most' } as const

const word = (value: LocationQuery[string] | undefined) => (typeof value === 'string' && value ? value : null)

/** The list of entries of a project as it was left, as its address says it. */
export const keptList = (project: string) =>
  JSON.parse(sessionStorage.getItem(`pruxel.browse.${project}`) ?? '{}') as Record<string, string>

export function wishOf(query: LocationQuery): Wish {
  const kind = word(query.kind)
  const wish: Wish = {
    ...START,
    kind: kind === ANY ? null : (kind ?? START.kind),
    sort: word(query.sort) ?? START.sort,
    down: query.down === '1',
    direct: query.only === '1',
  }
  for (const [name, key] of Object.entries(TEXT)) wish[name as keyof typeof TEXT] = word(query[key]) ?? undefined
  wish.search ??= ''
  // The empty variant is one of its own: entries without any.
  if (query.variant === '') wish.variant = ''
  for (const [name, key] of Object.entries(SIZES)) {
    const number = Number(word(query[key]) ?? NaN)
    wish[name as keyof typeof SIZES] = Number.isFinite(number) ? number : null
  }
  return wish
}

export function queryOf(wish: Wish, asList: boolean): Record<string, string> {
  const query: Record<string, string> = {}
  for (const [name, key] of Object.entries(TEXT)) {
    const value = wish[name as keyof typeof TEXT]
    if (value || (name === 'variant' && value === '')) query[key] = value
  }
  for (const [name, key] of Object.entries(SIZES)) {
    const value = wish[name as keyof typeof SIZES]
    if (value !== null && value !== undefined) query[key] = String(value)
  }
  if (wish.kind !== START.kind) query.kind = wish.kind ?? ANY
  if (wish.sort && wish.sort !== START.sort) query.sort = wish.sort
  if (wish.down) query.down = '1'
  if (wish.direct) query.only = '1'
  if (asList) query.as = 'list'
  return query
}
