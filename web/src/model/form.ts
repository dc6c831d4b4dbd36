// Fields of a form from the JSON schema of a step's parameters: every type of JSON, ranges, units and references.
export type Target = 'part' | 'material' | 'texture' | 'joint' | 'clip' | 'variant' | 'entry' | 'workpiece'

interface Base {
  name: string
  title: string
  about: string
  start: unknown
}

export interface NumberField extends Base {
  kind: 'number'
  whole: boolean
  least: number | null
  most: number | null
  unit: string
}

export type Field =
  | NumberField
  | (Base & { kind: 'flag' })
  | (Base & { kind: 'text' })
  | (Base & { kind: 'color' })
  | (Base & { kind: 'choice'; options: string[] })
  | (Base & { kind: 'reference'; to: Target; among: string; many: boolean })
  | (Base & { kind: 'tuple'; items: Field[] })
  | (Base & { kind: 'faces' })
  | (Base & { kind: 'pairs' })
  | (Base & { kind: 'list'; item: Field })
  | (Base & { kind: 'group'; fields: Field[] })
  | (Base & { kind: 'optional'; inner: Field })

export interface Schema {
  type?: string
  title?: string
  description?: string
  default?: unknown
  const?: unknown
  enum?: unknown[]
  properties?: Record<string, Schema>
  required?: string[]
  items?: Schema
  prefixItems?: Schema[]
  anyOf?: Schema[]
  allOf?: Schema[]
  $ref?: string
  $defs?: Record<string, Schema>
  minimum?: number
  maximum?: number
  exclusiveMinimum?: number
  exclusiveMaximum?: number
  refers_to?: Target
  // Of entries, those of a kind.
  entry_kind?: string
  // What may be kept of the values for the whole game.
  keeps?: 'scheme'
  unit?: string
  format?: string
}

export function fieldsOf(schema: Schema): Field[] {
  const defs = schema.$defs ?? {}
  return Object.entries(schema.properties ?? {}).map(([name, inner]) => fieldOf(name, inner, defs))
}

function resolved(schema: Schema, defs: Record<string, Schema>): Schema {
  const named = schema.$ref ?? (schema.allOf?.length === 1 ? schema.allOf[0]!.$ref : undefined)
  return named ? { ...defs[named.split('/').at(-1)!], ...schema, $ref: undefined, allOf: undefined } : schema
}

function fieldOf(name: string, given: Schema, defs: Record<string, Schema>): Field {
  const schema = resolved(given, defs)
  const base = { name, title: schema.title ?? worded(name), about: schema.description ?? '' }
  const real = (schema.anyOf ?? []).filter((one) => one.type !== 'null')
  if (schema.anyOf && real.length === 1 && real.length < schema.anyOf.length) {
    const inner = fieldOf(
      name,
      { unit: schema.unit, ...real[0]!, title: schema.title, description: schema.description },
      defs,
    )
    return { ...base, kind: 'optional', inner, start: schema.default ?? null }
  }
  // Of several forms that are possible, the first is offered.
  if (real.length > 1) return fieldOf(name, { ...schema, ...real[0]!, anyOf: undefined }, defs)
  if (schema.refers_to)
    return {
      ...base,
      kind: 'reference',
      to: schema.refers_to,
      among: schema.entry_kind ?? '',
      many: false,
      start: schema.default ?? '',
    }
  const options = schema.enum ?? (schema.const === undefined ? undefined : [schema.const])
  if (options)
    return { ...base, kind: 'choice', options: options.map(String), start: schema.default ?? String(options[0]) }
  if (schema.type === 'boolean') return { ...base, kind: 'flag', start: schema.default ?? false }
  if (schema.type === 'integer' || schema.type === 'number') return number(base, schema)
  if (schema.format === 'faces') return { ...base, kind: 'faces', start: schema.default ?? [] }
  if (schema.format === 'pairs') return { ...base, kind: 'pairs', start: schema.default ?? [] }
  if (schema.type === 'array') return array(name, base, schema, defs)
  if (schema.type === 'object') {
    const fields = fieldsOf({ ...schema, $defs: defs })
    return { ...base, kind: 'group', fields, start: schema.default ?? valuesOf(fields, {}) }
  }
  if (schema.format === 'color') return { ...base, kind: 'color', start: schema.default ?? '#808080' }
  return { ...base, kind: 'text', start: schema.default ?? '' }
}

function number(base: Omit<Base, 'start'>, schema: Schema): NumberField {
  const least = schema.minimum ?? schema.exclusiveMinimum ?? null
  const most = schema.maximum ?? schema.exclusiveMaximum ?? null
  const within = Math.min(Math.max(1, least ?? -Infinity), most ?? Infinity)
  const whole = schema.type === 'integer'
  return { ...base, kind: 'number', whole, least, most, unit: schema.unit ?? '', start: schema.default ?? within }
}

function array(name: string, base: Omit<Base, 'start'>, schema: Schema, defs: Record<string, Schema>): Field {
  if (schema.prefixItems) {
    const items = schema.prefixItems.map((one, i) => fieldOf('xyzw'[i] ?? String(i + 1), one, defs))
    const start = schema.default ?? items.map((item) => (item.kind === 'number' ? 0 : item.start))
    return { ...base, kind: 'tuple', items, start }
  }
  const inner = fieldOf(name, schema.items ?? {}, defs)
  if (inner.kind === 'reference')
    return { ...base, kind: 'reference', to: inner.to, among: inner.among, many: true, start: schema.default ?? [] }
  return { ...base, kind: 'list', item: inner, start: schema.default ?? [] }
}

const worded = (name: string) => (name.charAt(0).toUpperCase() + name.slice(1)).replaceAll('_', ' ')

// The values that a form begins with: those given, else the schema's own. Those are JSON, perhaps watched by Vue, which
// a structured clone does not take.
export function valuesOf(fields: Field[], given: Record<string, unknown>): Record<string, unknown> {
  const own = (field: Field): unknown => JSON.parse(JSON.stringify(field.start))
  return Object.fromEntries(fields.map((field) => [field.name, given[field.name] ?? own(field)]))
}

// A number as it is typed: a comma is a point; null while it is none or out of range.
export function typedNumber(text: string, field: NumberField): number | null {
  const value = Number(text.trim().replace(',', '.'))
  if (!text.trim() || !Number.isFinite(value) || (field.whole && !Number.isInteger(value))) return null
  return (field.least !== null && value < field.least) || (field.most !== null && value > field.most) ? null : value
}
