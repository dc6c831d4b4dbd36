// @vitest-environment happy-dom
import { afterEach, expect, test } from 'vitest'
import { effectScope } from 'vue'
import { useKeys } from '../src/composables/useKeys'

const scopes: ReturnType<typeof effectScope>[] = []
afterEach(() => {
  scopes.splice(0).forEach((scope) => scope.stop())
  document.body.innerHTML = ''
})

function bound(name: string, told: string[], ...keys: string[]) {
  const scope = effectScope()
  scopes.push(scope)
  scope.run(() =>
    useKeys(
      'Here',
      keys.map((key) => [key, name, () => told.push(`${name} ${key}`)]),
    ),
  )
}
const press = (key: string) => {
  const event = new KeyboardEvent('keydown', { key, cancelable: true, bubbles: true })
  document.body.dispatchEvent(event)
  return event.defaultPrevented
}

test('the innermost has a key, and gives it back when it goes', () => {
  const told: string[] = []
  bound('page', told, 'i', 'Escape')
  bound('form', told, 'Escape')
  press('Escape')
  press('i')
  scopes.pop()!.stop()
  press('Escape')
  expect(told).toEqual(['form Escape', 'page i', 'page Escape'])
})

test('an open sheet has the keyboard to itself; a form beside the model leaves Escape alone', () => {
  const told: string[] = []
  bound('page', told, 'i', 'Escape')
  document.body.innerHTML = '<aside role="dialog"></aside>'
  expect([press('i'), press('Escape')]).toEqual([false, true])
  document.body.innerHTML = '<div role="dialog" aria-modal="true"></div>'
  expect([press('i'), press('Escape')], 'the sheet closes by it').toEqual([false, false])
  expect(told).toEqual(['page Escape'])
})
