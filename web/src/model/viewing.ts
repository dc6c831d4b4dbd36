// How the viewport shows things: kept for each workpiece as long as the page is open.
import type { Backs, Look } from '../viewer/stage'

export interface Viewing {
  look: Look
  joint: string
  backs: Backs
  wires: boolean
  grid: boolean
  person: boolean
  parallel: boolean
  ground: Ground
}
export type Ground = 'paper' | 'white' | 'grey' | 'ink'
export const GROUNDS: Record<Ground, string> = {
  paper: 'radial-gradient(ellipse at 50% 40%, var(--sheet), var(--paper) 70%)',
  white: '#ffffff',
  grey: '#8c8c88',
  ink: '#1b2220',
}
export const AT_FIRST: Viewing = {
  look: 'textured',
  joint: '',
  backs: 'hatched',
  wires: false,
  grid: false,
  person: false,
  parallel: false,
  ground: 'paper',
}

export function kept(text: string | null): Viewing {
  try {
    return { ...AT_FIRST, ...(JSON.parse(text ?? '{}') as Partial<Viewing>) }
  } catch {
    return { ...AT_FIRST }
  }
}
