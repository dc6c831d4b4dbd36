// What a step's rule chooses, and what became of the items of a batch, in words.
import type { Batch, BatchItem, Rule, RuleName } from '../api/client'
import { count } from './words'

export function ruleWords(rule: Rule | null | undefined, names: RuleName[]): string {
  if (!rule) return ''
  if (rule.finding) return `where found: ${names.find((one) => one.name === rule.finding)?.title ?? rule.finding}`
  const parts = rule.parts ? `parts called ${rule.parts}` : ''
  return [parts, rule.materials ? `${parts ? '' : 'what has '}material ${rule.materials}` : '']
    .filter(Boolean)
    .join(', ')
}

export const total = (batch: Batch) => Object.values(batch.counts).reduce((sum, n) => sum + n, 0)
export const ended = (batch: Batch) => (batch.counts.done ?? 0) + (batch.counts.failed ?? 0)

export function standing(batch: Batch): string {
  const { done = 0, failed = 0, waiting = 0, running = 0 } = batch.counts
  const words = [`${count(done)} done`]
  if (failed) words.push(`${count(failed)} failed`)
  if (waiting + running) words.push(`${count(waiting + running)} ${batch.working ? 'to go' : 'left, stopped'}`)
  return words.join(', ')
}

type Told = BatchItem['steps'][number]
export const did = (step: Told) =>
  step.changed.length + step.added.length + step.removed.length + step.materials.length > 0
// Steps that did something or could not, in their order; how many found nothing to do.
export function worthTelling(item: BatchItem): { steps: Told[]; idle: number } {
  const steps = item.steps.filter((step) => step.fault || did(step))
  return { steps, idle: item.steps.length - steps.length }
}
export function touchedWords(step: Told): string {
  const lists: [string, string[]][] = [
    ['changed', step.changed],
    ['new', step.added],
    ['gone', step.removed],
    ['materials', step.materials],
  ]
  return lists
    .filter(([, names]) => names.length)
    .map(([word, names]) => `${word}: ${names.join(', ')}`)
    .join('\n')
}
