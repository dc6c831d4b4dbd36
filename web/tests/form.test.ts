// @vitest-environment happy-dom
import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { nextTick, reactive } from 'vue'
import FieldInput from '../src/components/FieldInput.vue'
import { fieldsOf, valuesOf, type Schema, type Target } from '../src/model/form'

const NONE: Record<Target, string[]> = {
  part: ['body', 'wheel', 'wheel.001'],
  material: ['rust'],
  texture: [],
  clip: [],
  joint: [],
  variant: [],
  entry: [],
  workpiece: [],
}

// A form of one field that keeps what is put into it, as the form of a step does.
function form(schema: Schema, value: unknown) {
  const [field] = fieldsOf({ properties: { it: schema } })
  const wrapper = mount(FieldInput, {
    props: {
      field: field!,
      choices: NONE,
      path: 'p',
      modelValue: value,
      'onUpdate:modelValue': (now: unknown) => wrapper.setProps({ modelValue: now }),
    },
  })
  return { wrapper, value: () => wrapper.props('modelValue') }
}

describe('a number', () => {
  it('is taken as it is typed, and refused in words while it is out of range', async () => {
    const { wrapper, value } = form({ type: 'number', minimum: 0, maximum: 10 }, 2)
    const box = wrapper.get<HTMLInputElement>('input#p')
    await box.setValue('7,5')
    expect(value()).toBe(7.5)
    expect(wrapper.find('[role=alert]').exists()).toBe(false)
    await box.setValue('11')
    expect(value()).toBe(7.5)
    expect(wrapper.get('[role=alert]').text()).toBe('Give a number from 0 to 10.')
    expect(box.element.validationMessage || box.element.checkValidity() === false).toBeTruthy()
    expect(box.element.value).toBe('11')
    await box.setValue('10')
    expect(value()).toBe(10)
    expect(wrapper.find('[role=alert]').exists()).toBe(false)
  })
  it('keeps what is being typed: "1." and "1e" are on the way to a number', async () => {
    const { wrapper } = form({ type: 'number' }, 1)
    const box = wrapper.get<HTMLInputElement>('input#p')
    for (const text of ['1.', '1.0', '1e', '-']) {
      await box.setValue(text)
      expect(box.element.value).toBe(text)
    }
  })
  it('slides where both ends are known, by whole steps where it is whole', () => {
    const whole = form({ type: 'integer', minimum: 1, maximum: 9 }, 3).wrapper.get('input[type=range]')
    expect(whole.attributes()).toMatchObject({ min: '1', max: '9', step: '1' })
    expect(form({ type: 'integer', minimum: 1 }, 3).wrapper.find('input[type=range]').exists()).toBe(false)
    expect(form({ type: 'number', minimum: 0, maximum: 1e6 }, 3).wrapper.find('input[type=range]').exists()).toBe(false)
  })
  it.each([
    [{ type: 'integer', minimum: 2 }, 'a whole number, 2 or more'],
    [{ type: 'number', maximum: 3 }, 'a number, 3 or less'],
    [{ type: 'number' }, 'a number'],
  ] as [Schema, string][])('says what it wants: %j', async (schema, words) => {
    const { wrapper } = form(schema, 2)
    await wrapper.get('input#p').setValue('many')
    expect(wrapper.get('[role=alert]').text()).toBe(`Give ${words}.`)
  })
  it('follows a value that is changed from outside', async () => {
    const { wrapper } = form({ type: 'number' }, 1)
    await wrapper.setProps({ modelValue: 42 })
    expect(wrapper.get<HTMLInputElement>('input#p').element.value).toBe('42')
  })
})

describe('parts', () => {
  it('are ticked from those there are; one that is gone stays in sight so that it can be taken out', async () => {
    const { wrapper, value } = form({ type: 'array', items: { type: 'string', refers_to: 'part' } }, ['wheel', 'gone'])
    const lines = wrapper.findAll('label').map((l) => l.text())
    expect(lines).toEqual(['body', 'wheel', 'wheel.001', 'gone'])
    await wrapper.findAll('input')[0]!.setValue(true)
    expect(value()).toEqual(['wheel', 'gone', 'body'])
    await wrapper.findAll('input')[3]!.setValue(false)
    expect(value()).toEqual(['wheel', 'body'])
  })
  it('that are not there are said', () => {
    const { wrapper } = form({ type: 'array', items: { type: 'string', refers_to: 'clip' } }, [])
    expect(wrapper.text()).toContain('There is none here.')
  })
  it('as a single one are searched while typing', async () => {
    const { wrapper, value } = form({ type: 'string', refers_to: 'entry', entry_kind: 'texture' }, '')
    await wrapper.get('input').setValue('crab')
    expect(value()).toBe('crab')
    expect(wrapper.emitted('search')).toEqual([['crab', 'entry', 'texture']])
  })
})

describe('what holds others', () => {
  const triple: Schema = { type: 'array', prefixItems: [{ type: 'number' }, { type: 'number' }, { type: 'number' }] }
  it('changes one number of a vector and leaves the others', async () => {
    const { wrapper, value } = form(triple, [1, 2, 3])
    await wrapper.get('input#p-1').setValue('-5')
    expect(value()).toEqual([1, -5, 3])
  })
  it('adds to a list and takes out of its middle', async () => {
    const { wrapper, value } = form({ type: 'array', items: { type: 'integer', minimum: 4 } }, [4, 5, 6])
    await wrapper.findAll('button').at(-1)!.trigger('click')
    expect(value()).toEqual([4, 5, 6, 4])
    await wrapper.findAll('button')[1]!.trigger('click')
    expect(value()).toEqual([4, 6, 4])
  })
  it('changes one field of a group', async () => {
    const group: Schema = { type: 'object', properties: { a: { type: 'number' }, on: { type: 'boolean' } } }
    const { wrapper, value } = form(group, { a: 1, on: false })
    await wrapper.get('input#p-on').setValue(true)
    expect(value()).toEqual({ a: 1, on: true })
  })
  it('can be left as it is, or given', async () => {
    const { wrapper, value } = form({ anyOf: [{ type: 'number', minimum: 3 }, { type: 'null' }] }, null)
    expect(wrapper.text()).toContain('left as it is')
    await wrapper.get('input[type=checkbox]').setValue(true)
    expect(value()).toBe(3)
    await wrapper.get('input#p').setValue('8')
    expect(value()).toBe(8)
    await wrapper.get('input[type=checkbox]').setValue(false)
    expect(value()).toBeNull()
  })
  it('passes the search of what it holds on to the form', async () => {
    const inner: Schema = { anyOf: [{ type: 'string', refers_to: 'entry' }, { type: 'null' }] }
    const { wrapper } = form(inner, 'a')
    await wrapper.get('input[list]').setValue('bridge')
    await nextTick()
    expect(wrapper.emitted('search')).toEqual([['bridge', 'entry', '']])
  })
})

describe('choices', () => {
  it('offers each of them', async () => {
    const { wrapper, value } = form({ enum: ['x', 'y', 'z'] }, 'y')
    expect(wrapper.findAll('option').map((o) => o.text())).toEqual(['x', 'y', 'z'])
    await wrapper.get('select').setValue('z')
    expect(value()).toBe('z')
  })
})

describe('the values that a form begins with', () => {
  it('are its own, also where the schema is watched', () => {
    const schema = reactive({
      properties: { parts: { type: 'array', items: { type: 'string', refers_to: 'part' }, default: ['body'] } },
    }) as unknown as Schema
    const first = valuesOf(fieldsOf(schema), {})
    ;(first.parts as string[]).push('wheel')
    expect(first).toEqual({ parts: ['body', 'wheel'] })
    expect(valuesOf(fieldsOf(schema), {})).toEqual({ parts: ['body'] })
  })
})
