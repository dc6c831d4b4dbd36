// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, expect, test, vi } from 'vitest'
import { defineComponent, ref, shallowRef, type Ref } from 'vue'
import { api, type ViewContent, type Workpiece } from '../src/api/client'
import { useCompare } from '../src/composables/useCompare'
import CompareBar from '../src/features/bench/CompareBar.vue'

type Event = { view?: string; reconnected?: boolean }
const news = vi.hoisted(() => ({ listeners: [] as ((event: Event) => void)[] }))
vi.mock('../src/composables/useEvents', () => ({
  useEvents: (heard: (event: Event) => void) => news.listeners.push(heard),
}))
afterEach(() => {
  news.listeners.length = 0
  vi.restoreAllMocks()
})

const content = (scene: string, befores: string[]) =>
  ({ scene, steps: befores.map((before_scene) => ({ before_scene })) }) as unknown as ViewContent

function comparing() {
  const shown: Ref<ViewContent | undefined> = shallowRef(content('now', ['first', 'second']))
  const tried = { on: ref(false), content: shallowRef<ViewContent | undefined>() }
  const busy = ref(false)
  let made!: ReturnType<typeof useCompare>
  mount(
    defineComponent(() => {
      made = useCompare(shown, tried, busy)
      return () => null
    }),
  )
  return { made, shown, tried, busy }
}

test('beside it stands what was before the last step, or the one pointed at; while one is tried, how it is', () => {
  const { made, shown, tried, busy } = comparing()
  expect(made.beside.value.scene, 'not before it is asked for').toBe('')
  made.on.value = true
  expect(made.beside.value).toEqual({ scene: 'second', words: 'Before step 2' })
  made.pointed.value = 0
  expect(made.beside.value).toEqual({ scene: 'first', words: 'Before step 1' })
  tried.on.value = true
  expect(made.beside.value.scene, 'what is tried is not known yet').toBe('')
  tried.content.value = content('tried', [])
  expect(made.beside.value).toEqual({ scene: 'now', words: 'As it is' })
  busy.value = true
  expect(made.beside.value.scene).toBe('')
  busy.value = tried.on.value = false
  shown.value = content('now', [])
  made.pointed.value = null
  expect(made.beside.value.scene, 'there is no step').toBe('')
})

test('another workpiece stands beside it as soon as it is known, and only the one that is wanted', async () => {
  const { made } = comparing()
  const answers: Record<string, { key: string; content: ViewContent | null }> = {
    a: { key: 'key a', content: null },
    b: { key: 'key b', content: content('scene b', []) },
  }
  const view = vi.spyOn(api, 'view').mockImplementation((id) => Promise.resolve(answers[id] as never))
  made.on.value = true
  made.other.value = 'a'
  await flushPromises()
  expect(made.beside.value).toEqual({ scene: '', words: '' })
  answers.a!.content = content('scene a', [])
  news.listeners.forEach((heard) => heard({ view: 'key of somebody else' }))
  await flushPromises()
  expect(view).toHaveBeenCalledTimes(1)
  news.listeners.forEach((heard) => heard({ view: 'key a' }))
  await flushPromises()
  expect(made.beside.value.scene).toBe('scene a')
  made.other.value = 'b'
  made.other.value = ''
  await flushPromises()
  expect(made.beside.value, 'b came too late').toEqual({ scene: 'second', words: 'Before step 2' })
  view.mockRejectedValue(new Error('away'))
  made.other.value = 'b'
  await flushPromises()
  expect(made.beside.value.scene).toBe('')
})

test('the bar says what stands on the left and takes another', async () => {
  const others = [{ id: 'w2', name: 'diver' }] as unknown as Workpiece[]
  const bar = mount(CompareBar, { props: { words: 'Before step 1', there: true, others, other: '', apart: false } })
  expect(bar.text()).toContain('Before step 1 on the left')
  await bar.get('select').setValue('w2')
  await bar.get('[data-test=side-by-side]').setValue(true)
  expect(bar.emitted('update:other')).toEqual([['w2']])
  expect(bar.emitted('update:apart')).toEqual([[true]])
  await bar.setProps({ there: false, other: 'w2' })
  expect(bar.text()).toContain('Opening…')
  await bar.setProps({ other: '', others: [] })
  expect(bar.text()).toContain('There is no step to compare with.')
  expect(bar.find('select').exists()).toBe(false)
  await bar.get('button').trigger('click')
  expect(bar.emitted('end')).toHaveLength(1)
})
