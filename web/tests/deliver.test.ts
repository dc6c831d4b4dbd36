// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { effectScope, type EffectScope } from 'vue'
import type { Delivery, Job } from '../src/api/client'
import { Events, serve, settled, type Asked } from './server'

const { useJobs } = await import('../src/composables/useJobs')
const { default: DeliveryCard } = await import('../src/features/deliver/DeliveryCard.vue')
const { default: JobTray } = await import('../src/app/JobTray.vue')
const { default: ExtractLine } = await import('../src/features/browse/ExtractLine.vue')

const check = (what: string, passed = true, warning = false) => ({
  what,
  written: '1',
  read: passed ? '1' : '2',
  passed,
  warning,
})
function report(outcome: string, checks: object[], more: object = {}) {
  const proofs = [{ reader: 'another reader', checks, not_made: null, ...more }]
  return {
    outcome,
    told: ['one ring of joints became a common root'],
    formats: [
      { format: 'glb', main: 'crab.glb', files: [{ name: 'crab.glb', size: 4000 }], left_out: ['its camera'], proofs },
    ],
  }
}
function delivery(more: object = {}): Delivery {
  return {
    id: 'd',
    name: 'crab',
    also: [],
    formats: ['glb'],
    created: '2026-11-27T10:00:00Z',
    archive_size: null,
    folder: '/out/crab',
    job: 'j',
    report: null,
    ...more,
  } as unknown as Delivery
}
function job(more: object = {}): Job {
  return {
    id: 'j',
    project_id: 'p',
    kind: 'deliver',
    title: 'Deliver crab',
    status: 'running',
    fraction: 0.4,
    message: 'writing',
    away: false,
    created: '2026-11-27T10:00:00Z',
    ended: null,
    fault: null,
    payload: {},
    ...more,
  } as unknown as Job
}

let listed: Job[]
let older: Job | undefined
let asked: Asked[]
let scope: EffectScope
async function jobs(...all: Job[]) {
  listed = all
  Events.hello()
  await settled()
}
beforeEach(async () => {
  document.body.innerHTML = ''
  older = undefined
  asked = serve({
    'GET /api/projects/*/jobs': () => listed,
    'GET /api/jobs/*': () => older,
    'POST /api/jobs/*/*': () => ({}),
    'POST /api/projects/*/jobs/away': () => ({}),
    'DELETE /api/deliveries/*': () => null,
    'DELETE /api/jobs/*/extracted': () => null,
    'PATCH /api/deliveries/*': () => ({}),
  })
  scope = effectScope()
  scope.run(() => useJobs(() => 'p'))
})
afterEach(() => scope.stop())
const acts = () => asked.filter((a) => a.method !== 'GET').map((a) => `${a.method} ${a.path}`)

describe('a delivery', () => {
  const card = (more: object = {}) =>
    mount(DeliveryCard, { attachTo: document.body, props: { delivery: delivery(more), open: true } })
  it.each([
    ['proven', [check('a'), check('b')], 'proven, 2 checks hold'],
    ['failed', [check('a'), check('b', false), check('c', false)], '2 of 3 checks differ'],
    ['not made', [], 'written, not proven'],
  ])('that is %s says so', async (outcome, checks, words) => {
    await jobs()
    expect(
      card({ report: report(outcome, checks) })
        .get('[data-test=verdict]')
        .text(),
    ).toBe(words)
  })
  it('tells what was changed and what the format cannot carry', async () => {
    await jobs()
    const words = card({ report: report('proven', [check('a')]) }).text()
    expect(words).toContain('Changed on the way: one ring of joints became a common root')
    expect(words).toContain('The format cannot carry its camera')
  })
  it('that could not be read back says why instead of a table', async () => {
    await jobs()
    const wrapper = card({ report: report('not made', [], { not_made: 'the reader is not there' }) })
    expect(wrapper.get('[data-test=not-made]').text()).toContain('the reader is not there')
    expect(wrapper.find('table').exists()).toBe(false)
  })
  it('marks what differs, and what only warns', async () => {
    await jobs()
    const wrapper = card({ report: report('failed', [check('a'), check('b', false), check('c', true, true)]) })
    const words = wrapper.findAll('tbody tr td:last-child')
    expect(words.map((w) => w.text())).toEqual(['differs', 'warns', 'holds'])
    expect(words.map((w) => w.classes().find((c) => c.startsWith('text-') && c !== 'text-right'))).toEqual([
      'text-brick',
      'text-marigold',
      'text-sea',
    ])
  })
  it('that is being written shows how far, and can be stopped', async () => {
    await jobs(job())
    const wrapper = card()
    expect(wrapper.get('[role=progressbar]').attributes('aria-valuenow')).toBe('40')
    await wrapper
      .findAll('button')
      .find((b) => b.text() === 'Cancel')!
      .trigger('click')
    await settled()
    expect(acts()).toEqual(['POST /api/jobs/j/cancel'])
  })
  it('that failed says so after a reload too, though its job is older than the list', async () => {
    older = job({ status: 'failed', fault: { message: 'the disk is full', hint: 'Make room.' } })
    await jobs()
    const wrapper = card()
    await settled()
    expect(wrapper.get('[data-test=delivery-failed]').text()).toContain('The disk is full')
    expect(wrapper.text()).not.toContain('Waiting')
    await wrapper
      .findAll('button')
      .find((b) => b.text() === 'Try again')!
      .trigger('click')
    await settled()
    expect(acts()).toEqual(['POST /api/jobs/j/again'])
  })
  it('that was stopped, or whose job is gone, says that', async () => {
    await jobs(job({ status: 'cancelled' }))
    expect(card().text()).toContain('Stopped on request; nothing was kept.')
    expect(card({ job: null }).text()).toContain('Its job is gone')
  })
  it('is removed only after a question that names its folder', async () => {
    await jobs()
    const wrapper = card({ report: report('proven', [check('a')]) })
    await wrapper.get('[data-test=more]').trigger('click')
    await flushPromises()
    await wrapper.get('[data-test=remove]').trigger('click')
    await flushPromises()
    expect(acts()).toEqual([])
    expect(document.querySelector('[role=dialog]')!.textContent).toContain('/out/crab')
    document.querySelector<HTMLElement>('[role=dialog] [data-test=yes]')!.click()
    await settled()
    expect(acts()).toEqual(['DELETE /api/deliveries/d'])
  })
})

describe('the list of work', () => {
  const tray = () => mount(JobTray, { attachTo: document.body, props: { project: 'p' } })
  const words = (wrapper: ReturnType<typeof tray>) => wrapper.get('[data-test=jobs]').text().replace(/\s+/g, ' ')
  it('says how much is worked on and how much failed, side by side', async () => {
    await jobs()
    const wrapper = tray()
    expect(words(wrapper)).toBe('All quiet')
    await jobs(job(), job({ id: 'k', status: 'queued' }), job({ id: 'l', status: 'failed' }))
    expect(words(wrapper)).toBe('Working on 2 1 failed')
    expect(wrapper.get('[data-test=failed-count]').classes()).toContain('text-brick')
    await jobs(job({ id: 'l', status: 'failed' }))
    expect(words(wrapper)).toBe('1 failed')
  })
  it('lets failed work be tried again or put away', async () => {
    await jobs(job({ id: 'l', status: 'failed', title: 'Read reef', fault: { message: 'no such folder' } }))
    const wrapper = tray()
    await wrapper.get('[data-test=jobs]').trigger('click')
    await settled()
    const row = wrapper.get('[data-test=failed-job]')
    expect(row.text()).toContain('Read reef failed')
    expect(row.text()).toContain('No such folder')
    await row.get('[data-test=again]').trigger('click')
    await row.get('[data-test=away]').trigger('click')
    await settled()
    expect(acts()).toEqual(['POST /api/jobs/l/again', 'POST /api/jobs/l/away'])
  })
  it('shows what ended lately when asked', async () => {
    await jobs(
      job({ id: 'a', status: 'done', title: 'Deliver crab', ended: '2026-11-27T10:05:00Z' }),
      job({ id: 'b', status: 'cancelled', title: 'Extract all', ended: '2026-11-27T10:06:00Z' }),
    )
    const wrapper = tray()
    await wrapper.get('[data-test=jobs]').trigger('click')
    await settled()
    expect(wrapper.find('[data-test=history]').exists()).toBe(false)
    await wrapper
      .findAll('button')
      .find((b) => b.text() === 'What ended lately')!
      .trigger('click')
    const lines = wrapper.findAll('[data-test=history] li').map((l) => l.text().replace(/\s+/g, ' '))
    expect(lines[0]).toMatch(/^Deliver crab ?done ?\d\d:\d\d$/)
    expect(lines[1]).toMatch(/^Extract all ?stopped/)
  })
})

describe('an extraction', () => {
  const line = (more: object) => {
    const it = job({ kind: 'extract', title: 'Extract 9 entries', payload: { done: 4, folder: '/out/reef' }, ...more })
    return mount(ExtractLine, { attachTo: document.body, props: { job: it } })
  }
  it('says what it could not write, and why, when asked', async () => {
    serve({
      'GET /api/jobs/j/results': () => ({ hits: [], won: [], number: 0, not_written: ['a.txt: damaged.', 'b: gone.'] }),
    })
    const wrapper = line({ status: 'done', payload: { done: 9, failed: 3, folder: '/out/reef' } })
    const told = wrapper.get('[data-test=not-written]')
    expect(told.text()).toBe('3 not written')
    await told.trigger('click')
    await settled()
    const lines = wrapper.findAll('[data-test=reasons] li').map((one) => one.text())
    expect(lines).toEqual(['a.txt: damaged.', 'b: gone.', 'and 1 more of the kind'])
    await told.trigger('click')
    expect(wrapper.find('[data-test=reasons]').exists()).toBe(false)
  })
  it('that was stopped says what it left and deletes it after a question', async () => {
    const wrapper = line({ status: 'cancelled' })
    expect(wrapper.text()).toContain('stopped; 4 files left in /out/reef')
    await wrapper.get('[data-test=remove-extracted]').trigger('click')
    await flushPromises()
    expect(acts()).toEqual([])
    expect(document.querySelector('[role=dialog]')!.textContent).toContain('4 files go with the folder: /out/reef')
    document.querySelector<HTMLElement>('[role=dialog] [data-test=yes]')!.click()
    await settled()
    expect(acts()).toEqual(['DELETE /api/jobs/j/extracted'])
  })
  it.each([
    [{ status: 'running', message: 'reef/a.dds' }, ['Pause', 'Stop'], 'reef/a.dds'],
    [{ status: 'paused' }, ['Resume', 'Delete its files', 'Put away'], 'paused; 4 files written so far'],
    [{ status: 'done' }, ['Delete its files', 'Put away'], 'done, in /out/reef'],
    [{ status: 'cancelled', payload: {} }, ['Resume', 'Put away'], 'stopped'],
    [
      { status: 'failed', fault: { message: 'the disk is full' }, payload: { done: 1 } },
      ['Resume', 'Delete its files', 'Put away'],
      'the disk is full',
    ],
  ])('with %j offers %j', (more, offers, words) => {
    const wrapper = line(more)
    expect(wrapper.findAll('button').map((b) => b.text())).toEqual(offers)
    expect(wrapper.text()).toContain(words)
  })
})
