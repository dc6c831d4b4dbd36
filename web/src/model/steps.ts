// What the list of steps shows: those whose words hold what was typed, by what they are about.
import type { Finding, StepKind, StepUse } from '../api/client'

export interface Proposal {
  step: string
  rule: string
  title: string
  label: string
  params: Record<string, unknown>
}

// The groups in the order of the work; what is not named here comes last.
const ORDER = ['assemble', 'materials', 'uvs', 'geometry', 'skin', 'motion']
const place = (group: string) => (ORDER.includes(group) ? ORDER.indexOf(group) : ORDER.length)

const holds = (text: string, words: string) =>
  words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.toLowerCase().includes(word))

export function grouped(kinds: StepKind[], words: string): [string, StepKind[]][] {
  const fitting = kinds.filter((kind) => holds(`${kind.title} ${kind.about} ${kind.group}`, words))
  const groups = new Map<string, StepKind[]>()
  for (const kind of [...fitting].sort((a, b) => a.title.localeCompare(b.title)))
    groups.set(kind.group, [...(groups.get(kind.group) ?? []), kind])
  return [...groups].sort(([a], [b]) => place(a) - place(b) || a.localeCompare(b))
}

// What findings propose, each once however many of them ask for it.
export function proposals(findings: Finding[] | null | undefined, words: string): Proposal[] {
  const found = new Map<string, Proposal>()
  for (const { suggestion, title, rule } of findings ?? [])
    if (suggestion && holds(`${suggestion.label} ${title}`, words))
      found.set(JSON.stringify([suggestion.step, suggestion.params]), { ...suggestion, title, rule })
  return [...found.values()]
}

// One step for each kind of finding that proposes one: it follows all findings of its kind, here and in other models.
// Where some of a kind are meant so, each of the others has a step of its own.
export function mends(findings: Finding[] | null | undefined, meantSo: Finding[] = []): StepUse[] {
  const apart = new Set(meantSo.map(({ rule }) => rule))
  const found = new Map<string, StepUse>()
  for (const { rule, suggestion, key } of findings ?? [])
    if (suggestion && apart.has(rule))
      found.set(key, { step: suggestion.step, params: suggestion.params, on: true, because: rule })
    else if (suggestion)
      found.set(`${rule} ${suggestion.step}`, {
        step: suggestion.step,
        params: {},
        on: true,
        rule: { finding: rule, parts: '', materials: '' },
      })
  return [...found.values()]
}

export function actsOn(kind: StepKind, parts: number, shown: number): string {
  if (!kind.acts_on_parts) return 'the whole model'
  if (shown < parts) return `the ${shown} of ${parts} parts shown`
  return parts === 1 ? 'its one part' : `all ${parts} parts, or those you choose`
}
