// @vitest-environment happy-dom
import { mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { api, ApiError } from '../src/api/client'
import Fault from '../src/components/Fault.vue'
import { away } from '../src/composables/useConnection'
import { digestOf } from '../src/model/digest'
import { happened, placeOf } from '../src/model/happened'
import { Refusal, serve, settled } from './server'

const GONE = new Refusal(503, { title: 'away', status: 503, code: 'database-away', detail: 'It comes back.' })

describe('a database that is away', () => {
  beforeEach(() => {
    away.value = null
    vi.useFakeTimers({ toFake: ['setTimeout'] })
    return () => vi.useRealTimers()
  })
  it('is asked again until it answers', async () => {
    let times = 0
    const asked = serve({ 'GET /api/projects': () => (++times < 4 ? GONE : [{ id: 'p', name: 'Reef' }]) })
    const answer = api.projects()
    await vi.advanceTimersByTimeAsync(10_000)
    expect(await answer).toEqual([{ id: 'p', name: 'Reef' }])
    expect(asked).toHaveLength(4)
    expect(away.value).toBe('database')
  })
  it('is given up on after a while', async () => {
    serve({ 'GET /api/projects': () => GONE })
    const answer = api.projects().catch((problem: unknown) => problem)
    await vi.advanceTimersByTimeAsync(90_000)
    expect(await answer).toBeInstanceOf(ApiError)
  })
  it('is not asked twice to do something', async () => {
    const asked = serve({ 'POST /api/projects': () => GONE })
    await expect(api.createProject('Reef')).rejects.toThrow('It comes back.')
    expect(asked).toHaveLength(1)
  })
})

describe('what happened', () => {
  const fault = { message: 'it is cut', file: 'a.pak', offset: 0, expected: '64 bytes', hint: 'Copy it again.' }
  it('is told with the place and the moment', () => {
    const when = new Date('2026-01-02T03:04:05Z')
    expect(happened(fault, '/p/…/browse', when, '0.1.0').split('\n')).toEqual([
      'What: it is cut',
      'File: a.pak',
      'Byte: 0',
      'Expected: 64 bytes',
      'To try: Copy it again.',
      'Where: /p/…/browse',
      'When: 2026-01-02T03:04:05.000Z',
      'Pruxel: 0.1.0',
    ])
  })
  it('says the view, but neither which project nor what the address carries', () => {
    const place = new URL('http://x/p/0aa5c8c8-7e63-4d0f-9b4e-1d9a4e5d2a11/browse?key=secret&search=boss')
    expect(placeOf(place as unknown as Location)).toBe('/p/…/browse')
  })
  it('is copied by a press', async () => {
    const written: string[] = []
    const clipboard = { writeText: (text: string) => Promise.resolve(written.push(text)) }
    Object.defineProperty(navigator, 'clipboard', { value: clipboard, configurable: true })
    const shown = mount(Fault, { props: { fault } })
    await shown.get('[data-test=copy-happened]').trigger('click')
    await settled()
    expect(written[0]).toContain('What: it is cut')
    expect(shown.text()).toContain('Copied')
  })
})

it('a digest is what the header says', async () => {
  expect(await digestOf(new Blob(['hello']))).toBe('sha-256=:LPJNul+wow4m6DsqxbninhsWHlwfp0JecwQzYpOLmCQ=:')
})
