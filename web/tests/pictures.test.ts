// @vitest-environment happy-dom
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { effectScope, type EffectScope } from 'vue'
import type { Entry } from '../src/api/client'
import { usePictures } from '../src/composables/usePictures'
import { Refusal, serve } from './server'

let scope: EffectScope
beforeEach(() => {
  vi.useFakeTimers()
  scope = effectScope()
})
afterEach(() => {
  scope.stop()
  vi.useRealTimers()
})

const entry = (id: number, kind: string | null, picture: string | null = null) => ({ id, kind, picture }) as Entry

function looking(rows: Entry[], say: () => unknown = () => null) {
  const asked = serve({ 'POST /api/projects/*/pictures': say })
  const sighted = scope.run(() =>
    usePictures(
      () => 'p',
      (index) => rows[index],
    ),
  )!
  const rest = async () => {
    sighted(rows.map((_, index) => index))
    await vi.advanceTimersByTimeAsync(400)
  }
  return { asked: () => asked.map((one) => (one.body as { entries: number[] }).entries), rest }
}

it('asks once for what lacks a picture, and for no more at once than can be drawn soon', async () => {
  const rows = [entry(1, 'model', 'drawn'), ...Array.from({ length: 60 }, (_, n) => entry(n + 2, 'model'))]
  const { asked, rest } = looking(rows)
  for (let times = 0; times < 4; times++) await rest()
  expect(asked().map((one) => one.length)).toEqual([48, 12])
  expect(new Set(asked().flat()).size).toBe(60)
})

it('asks again once a source that was still read knows what an entry is', async () => {
  const rows = [entry(1, null)]
  const { asked, rest } = looking(rows)
  await rest()
  rows[0] = entry(1, 'model')
  await rest()
  await rest()
  expect(asked()).toEqual([[1], [1]])
})

it('asks again after the question failed', async () => {
  let answers = 0
  const { asked, rest } = looking([entry(1, 'model')], () =>
    answers++ ? null : new Refusal(503, { title: 'busy', status: 503, code: 'busy', detail: 'later' }),
  )
  for (let times = 0; times < 3; times++) await rest()
  expect(asked()).toEqual([[1], [1]])
})
