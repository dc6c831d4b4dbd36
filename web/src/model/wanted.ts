// How something is to be delivered: formats with their options, what goes into which files, and where.
import type { Purpose } from '../api/client'

export interface Wanted {
  formats: string[]
  options: Record<string, Record<string, unknown>>
  plan: Record<string, unknown>
  below: string
}

export const NOTHING_SAID: Wanted = { formats: ['glb'], options: {}, plan: {}, below: '' }

// Only what differs from what a form begins with is said.
export function said(values: Record<string, unknown>, starting: Record<string, unknown>): Record<string, unknown> {
  const differs = ([key, value]: [string, unknown]) => JSON.stringify(value) !== JSON.stringify(starting[key])
  return Object.fromEntries(Object.entries(values).filter(differs))
}

export const fromPurpose = (purpose: Purpose, starting: Record<string, unknown>): Omit<Wanted, 'below'> => ({
  formats: [...purpose.formats],
  options: filled((purpose.options ?? {}) as Wanted['options']),
  plan: said(purpose.plan as Record<string, unknown>, starting),
})

const filled = (options: Wanted['options']) =>
  Object.fromEntries(Object.entries(options).filter(([, own]) => Object.keys(own).length))

// The purpose that says just this, if one does.
export function purposeOf(wanted: Wanted, purposes: Purpose[], starting: Record<string, unknown>): Purpose | undefined {
  const mine = plain({ formats: wanted.formats, options: filled(wanted.options), plan: said(wanted.plan, starting) })
  return purposes.find((purpose) => plain(fromPurpose(purpose, starting)) === mine)
}

const sorted = (value: unknown): unknown =>
  value && typeof value === 'object' && !Array.isArray(value)
    ? Object.fromEntries(
        Object.entries(value)
          .sort(([a], [b]) => (a < b ? -1 : 1))
          .map(([key, inner]) => [key, sorted(inner)]),
      )
    : value
const plain = (wanted: Omit<Wanted, 'below'>) =>
  JSON.stringify(sorted({ ...wanted, formats: [...wanted.formats].sort() }))

// What each format leaves out of several workpieces, in words.
export function allOf(losses: Record<string, string[]>[]): Record<string, string[]> {
  const formats = [...new Set(losses.flatMap((one) => Object.keys(one)))]
  return Object.fromEntries(formats.map((f) => [f, [...new Set(losses.flatMap((one) => one[f] ?? []))]]))
}
