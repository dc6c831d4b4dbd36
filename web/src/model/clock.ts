// Where a clip that plays stands, and how it goes on.
export type Rounds = 'loop' | 'once' | 'back'

export const ROUNDS: [Rounds, string][] = [
  ['loop', 'Loop'],
  ['once', 'Once'],
  ['back', 'To and fro'],
]
export const SPEEDS = [0.1, 0.25, 0.5, 1, 2, 4]
// Where keys stand at no even rate, a frame is as long as those of most screens' videos.
export const USUAL_RATE = 30

export interface Clock {
  seconds: number
  running: boolean
  backwards: boolean
}

export const AT_START: Clock = { seconds: 0, running: false, backwards: false }

// The clock after some more seconds of a clip of a length.
export function advanced(clock: Clock, by: number, length: number, rounds: Rounds): Clock {
  if (!(length > 0)) return { ...clock, seconds: 0, running: clock.running && rounds !== 'once' }
  if (rounds === 'loop') return { ...clock, seconds: (clock.seconds + by) % length, backwards: false }
  if (rounds === 'once') {
    const seconds = Math.min(clock.seconds + by, length)
    return { seconds, running: clock.running && seconds < length, backwards: false }
  }
  // There and back is once around a clip of twice the length.
  const around = ((clock.backwards ? 2 * length - clock.seconds : clock.seconds) + by) % (2 * length)
  const backwards = around > length
  return { ...clock, seconds: backwards ? 2 * length - around : around, backwards }
}

// Play from where it stands; what has played to its end begins anew.
export function started(clock: Clock, length: number, rounds: Rounds): Clock {
  const over = rounds === 'once' && clock.seconds >= length
  return { seconds: over ? 0 : clock.seconds, running: true, backwards: over ? false : clock.backwards }
}

export const frameAt = (seconds: number, rate: number) => Math.round(seconds * (rate || USUAL_RATE))

// Some frames on or back from the frame it is nearest to, within the clip; held there.
export function stepped(clock: Clock, frames: number, rate: number, length: number): Clock {
  const each = rate || USUAL_RATE
  const seconds = (frameAt(clock.seconds, each) + frames) / each
  return { seconds: Math.min(Math.max(seconds, 0), length), running: false, backwards: false }
}

export const held = (clock: Clock, seconds = clock.seconds): Clock => ({ seconds, running: false, backwards: false })
