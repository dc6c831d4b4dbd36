// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, expect, test, vi } from 'vitest'
import { defineComponent, ref } from 'vue'
import { api, type StepUse, type ViewContent } from '../src/api/client'
import { usePreview } from '../src/composables/usePreview'

type Event = { view?: string; reconnected?: boolean }
const news = vi.hoisted(() => ({ listeners: [] as ((event: Event) => void)[] }))
vi.mock('../src/composables/useEvents', () => ({
  useEvents: (heard: (event: Event) => void) => news.listeners.push(heard),
}))
afterEach(() => {
  news.listeners.length = 0
  vi.restoreAllMocks()
})
const tell = (event: Event) => news.listeners.forEach((heard) => heard(event))
const step = (name: string): StepUse[] => [{ step: name, params: {}, on: true, because: '' }]
const content = (summary: string) => ({ steps: [{ summary, fault: null }] }) as unknown as ViewContent

// A server that answers when it is told to, in any order.
function asked() {
  const questions: { about: string; answer: (found: object) => void }[] = []
  vi.spyOn(api, 'job').mockRejectedValue(new Error('gone'))
  vi.spyOn(api, 'preview').mockImplementation(
    (_id, steps) =>
      new Promise((answer) => questions.push({ about: steps[0]!.step, answer: answer as never })) as never,
  )
  let made!: ReturnType<typeof usePreview>
  mount(
    defineComponent(() => {
      made = usePreview(ref('a'))
      return () => null
    }),
  )
  return { questions, made }
}

test('news that are faster than the answer they are about are not missed', async () => {
  const { questions, made } = asked()
  made.tryOut(step('weld'))
  await flushPromises()
  tell({ view: 'somebody else’s' })
  tell({ view: 'weld’s' })
  questions[0]!.answer({ key: 'weld’s', content: null, job: 'j' })
  await flushPromises()
  expect(questions.map((q) => q.about)).toEqual(['weld', 'weld'])
  questions[1]!.answer({ key: 'weld’s', content: content('done'), job: null })
  await flushPromises()
  expect(made.words.value).toBe('done')
  expect(questions.length, 'and nobody asks on').toBe(2)
})

test('one step is asked for at a time, the latest next; news of what is not wanted any more are nothing to it', async () => {
  const { questions, made } = asked()
  tell({ reconnected: true })
  made.tryOut(step('weld'))
  await flushPromises()
  made.tryOut(step('flip'))
  made.tryOut(step('scale'))
  tell({ view: 'weld’s' })
  await flushPromises()
  expect(questions.length, 'the first is on its way').toBe(1)
  questions[0]!.answer({ key: 'weld’s', content: content('too late'), job: null })
  await flushPromises()
  expect(questions.map((q) => q.about)).toEqual(['weld', 'scale'])
  questions[1]!.answer({ key: 'scale’s', content: null, job: null })
  await flushPromises()
  expect(made.words.value).toBe('')
  tell({ view: 'scale’s' })
  await flushPromises()
  expect(questions.length).toBe(3)
  questions[2]!.answer({ key: 'scale’s', content: content('scaled'), job: null })
  await flushPromises()
  expect(made.words.value).toBe('scaled')
  made.tryOut(null)
  tell({ view: 'scale’s' })
  tell({ reconnected: true })
  await flushPromises()
  expect(questions.length, 'left').toBe(3)
})

test('what could not be asked while the server was away is asked when it is back', async () => {
  const { questions, made } = asked()
  vi.mocked(api.preview).mockRejectedValueOnce(new Error('away'))
  made.tryOut(step('weld'))
  await flushPromises()
  expect(made.words.value).toContain('away')
  tell({ reconnected: true })
  await flushPromises()
  questions[0]!.answer({ key: 'weld’s', content: content('done'), job: null })
  await flushPromises()
  expect(made.words.value).toBe('done')
})
