import { computed, onScopeDispose, ref, watch } from 'vue'
import type { ClipFacts } from '../api/client'
import { advanced, AT_START, held, ROUNDS, SPEEDS, started, stepped, type Clock, type Rounds } from '../model/clock'
import type { Stand } from '../viewer/motion'

// What of playing outlives a reload.
interface Kept {
  clip: string
  seconds: number
  speed: number
  rounds: Rounds
}

type Clip = Pick<ClipFacts, 'name' | 'seconds'> & { rate?: number }

function kept(text: string | null): Partial<Kept> {
  try {
    return (JSON.parse(text ?? '{}') ?? {}) as Partial<Kept>
  } catch {
    return {}
  }
}

// Plays the clips of what is shown: one, or one fading into another. `pose` makes the model stand so; `place` is where
// this is kept, if anywhere.
export function usePlaying(clips: () => Clip[], pose: (stand: Stand) => void, place = '') {
  const before = kept(place ? sessionStorage.getItem(place) : null)
  // A clip is met by its number, and again by its name when steps have changed the list.
  const [at, name] = [ref(-1), ref(before.clip ?? '')]
  const bound = ref(false)
  const clock = ref<Clock>({ ...AT_START, seconds: Number(before.seconds) || 0 })
  const speed = ref(SPEEDS.find((one) => one === before.speed) ?? 1)
  const rounds = ref<Rounds>(ROUNDS.find(([one]) => one === before.rounds)?.[0] ?? 'loop')
  // The clip that it fades into, and how far.
  const other = ref('')
  const share = ref(0)

  const number = computed(() => {
    if (!name.value) return -1
    const found = clips()
    return found[at.value]?.name === name.value ? at.value : found.findIndex((clip) => clip.name === name.value)
  })
  const otherNumber = computed(() => clips().findIndex((clip) => clip.name === other.value))
  const clip = computed(() => clips()[number.value])
  const length = computed(() => clip.value?.seconds ?? 0)
  const rate = computed(() => clip.value?.rate ?? 0)

  const moments = computed<Stand>(() => {
    const { seconds } = clock.value
    if (bound.value) return 'bind'
    if (number.value < 0) return []
    if (otherNumber.value < 0) return [{ clip: number.value, seconds, share: 1 }]
    // Both at the same share of their way, so that steps of a walk fall on steps of a run.
    const along = length.value ? seconds / length.value : 0
    return [
      { clip: number.value, seconds, share: 1 - share.value },
      { clip: otherNumber.value, seconds: along * clips()[otherNumber.value]!.seconds, share: share.value },
    ]
  })

  let frame = 0
  function run(since: number) {
    frame = requestAnimationFrame((now) => {
      if (!clock.value.running) return
      clock.value = advanced(clock.value, ((now - since) / 1000) * speed.value, length.value, rounds.value)
      run(now)
    })
  }
  function play() {
    if (!clip.value && clips().length) choose(0)
    if (!clip.value) return
    bound.value = false
    clock.value = started(clock.value, length.value, rounds.value)
  }
  const hold = (seconds?: number) => (clock.value = held(clock.value, seconds))
  const toggle = () => (clock.value.running ? hold() : play())
  const step = (frames: number) => clip.value && (clock.value = stepped(clock.value, frames, rate.value, length.value))

  // Another clip begins at its start, playing if one was; none is the pose that it rests in.
  function choose(wanted: number) {
    bound.value = false
    at.value = wanted
    name.value = clips()[wanted]?.name ?? ''
    clock.value = { ...AT_START, running: clock.value.running && wanted >= 0 }
    if (other.value === name.value) fade('')
  }
  // As its joints stood when it was bound to them.
  function bind() {
    choose(-1)
    bound.value = true
  }
  function fade(into: string, by = share.value) {
    other.value = into
    share.value = into ? by : 0
  }

  watch(
    () => clock.value.running,
    (running) => {
      cancelAnimationFrame(frame)
      if (running) run(performance.now())
    },
  )
  watch(moments, (now) => pose(now))
  watch([name, speed, rounds, () => clock.value.running], () => {
    if (!place) return
    const now: Kept = { clip: name.value, seconds: clock.value.seconds, speed: speed.value, rounds: rounds.value }
    sessionStorage.setItem(place, JSON.stringify(now))
  })
  // A step that took the clip away, or cut it shorter.
  watch(length, (now) => {
    if (clock.value.seconds > now) clock.value = { ...clock.value, seconds: now }
  })
  onScopeDispose(() => cancelAnimationFrame(frame))

  return {
    name,
    number,
    clip,
    clock,
    speed,
    rounds,
    other,
    share,
    length,
    rate,
    moments,
    bound,
    play,
    hold,
    toggle,
    step,
    choose,
    bind,
    fade,
  }
}

export type Playing = ReturnType<typeof usePlaying>
