// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { effectScope, type EffectScope } from 'vue'
import type { Job } from '../src/api/client'
import { Events, serve, settled, type Asked } from './server'

const { endedJobs, failedJobs, jobById, runningJobs, useExtracts, useJobs } = await import('../src/composables/useJobs')
const { useEvents } = await import('../src/composables/useEvents')

function job(id: string, more: Partial<Job> = {}): Job {
  return {
    id,
    project_id: 'p',
    kind: 'deliver',
    title: `work ${id}`,
    status: 'running',
    fraction: 0.2,
    message: '',
    away: false,
    created: '2026-11-27T10:00:00Z',
    ended: null,
    fault: null,
    payload: {},
    ...more,
  } as unknown as Job
}
const news = (id: string, more: object) => ({ job: { ...job(id), ...more, title: '' } })

let stored: Map<string, Job>
let asked: Asked[]
let scope: EffectScope
beforeEach(async () => {
  stored = new Map([['a', job('a')]])
  asked = serve({
    'GET /api/projects/*/jobs': () => [...stored.values()],
    'GET /api/jobs/*': ({ path }) => stored.get(path.split('/').at(-1)!),
  })
  scope = effectScope()
  scope.run(() => useJobs(() => 'p'))
  Events.hello()
  await settled()
  asked.length = 0
})
afterEach(() => scope.stop())

describe('jobs', () => {
  it('move on by what events say, without asking', async () => {
    Events.say(news('a', { fraction: 0.7, message: 'part 7' }))
    await settled()
    expect(jobById('a')).toMatchObject({ fraction: 0.7, message: 'part 7', title: 'work a' })
    expect(asked).toEqual([])
  })
  it('are looked up whole when they begin and when they end', async () => {
    stored.set('b', job('b', { title: 'a new one' }))
    Events.say(news('b', { status: 'queued' }))
    await settled()
    expect(jobById('b')?.title).toBe('a new one')
    stored.set('b', job('b', { status: 'failed', fault: { message: 'no' } as never }))
    Events.say(news('b', { status: 'failed' }))
    await settled()
    expect(jobById('b')?.fault).toMatchObject({ message: 'no' })
    expect(asked.map((a) => a.path)).toEqual(['/api/jobs/b', '/api/jobs/b'])
    expect(failedJobs.value.map((j) => j.id)).toEqual(['b'])
  })
  it('of other projects are left alone', async () => {
    Events.say({ job: { ...job('x'), project_id: 'other' } })
    await settled()
    expect(jobById('x')).toBeUndefined()
    expect(asked).toEqual([])
  })
  it('that were missed while the line was broken are asked for again', async () => {
    stored.set('a', job('a', { status: 'done', ended: new Date().toISOString() }))
    stored.set('c', job('c', { status: 'queued' }))
    Events.hello()
    await settled()
    expect(runningJobs.value.map((j) => j.id)).toEqual(['c'])
    expect(endedJobs.value.map((j) => j.id)).toEqual(['a'])
  })
  it('that failed stay until they are put away', async () => {
    stored.set('a', job('a', { status: 'failed' }))
    Events.say({ changed: 'jobs', project_id: 'p' })
    await settled()
    expect(failedJobs.value).toHaveLength(1)
    stored.set('a', job('a', { status: 'failed', away: true }))
    Events.say({ changed: 'jobs', project_id: 'p' })
    await settled()
    expect(failedJobs.value).toEqual([])
  })
  it('as extractions are shown while they run, wait, or ended lately', async () => {
    const minutes = (n: number) => new Date(Date.now() - n * 60_000).toISOString()
    for (const [id, more] of Object.entries({
      run: {},
      paused: { status: 'paused', ended: minutes(900) },
      lately: { status: 'done', ended: minutes(3) },
      long: { status: 'done', ended: minutes(30) },
      away: { status: 'cancelled', away: true },
    }))
      stored.set(id, job(id, { kind: 'extract', ...(more as object) }))
    Events.hello()
    await settled()
    expect(useExtracts().value.map((j) => j.id)).toEqual(['run', 'paused', 'lately'])
  })
})

describe('events', () => {
  it('come over one line, whoever listens, and stop with the listener', () => {
    const heard: string[] = []
    const [one, other] = [effectScope(), effectScope()]
    one.run(() => useEvents((e) => e.view && heard.push(`one ${e.view}`)))
    other.run(() => useEvents((e) => e.view && heard.push(`other ${e.view}`)))
    Events.say({ view: 'v' })
    one.stop()
    Events.say({ view: 'w' })
    other.stop()
    Events.say({ view: 'x' })
    expect(heard).toEqual(['one v', 'other v', 'other w'])
    expect(Events.open).toHaveLength(1)
  })
})
