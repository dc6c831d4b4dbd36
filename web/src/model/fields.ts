import type { LayoutField } from '../api/client'

/** A field in a row of the tree, with how deep it stands and the key by which it is opened. */
export interface Row {
  key: string
  depth: number
  field: LayoutField
  open: boolean
}

/** The rows that are to be seen: the fields of the file, and of those records that are open. */
export function rowsOf(fields: LayoutField[], open: ReadonlySet<string>, depth = 0, above = ''): Row[] {
  return fields.flatMap((field) => {
    const key = above ? `${above}.${field.name}` : field.name
    const isOpen = open.has(key)
    const row = { key, depth, field, open: isOpen }
    return isOpen ? [row, ...rowsOf(field.fields ?? [], open, depth + 1, key)] : [row]
  })
}

/** The keys of the fields that hold a byte, from the outermost to the innermost; the narrowest where several do. */
export function fieldsAt(fields: LayoutField[], byte: number, above = ''): string[] {
  const holding = fields.filter((f) => f.first <= byte && byte < f.end)
  const size = (f: LayoutField) => f.end - f.first
  const field = holding.sort((a, b) => size(a) - size(b))[0]
  if (!field) return []
  const key = above ? `${above}.${field.name}` : field.name
  return [key, ...fieldsAt(field.fields ?? [], byte, key)]
}
