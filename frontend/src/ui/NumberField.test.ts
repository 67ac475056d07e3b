// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import { mounted } from '@/testing'
import NumberField from './NumberField.vue'

const BOUNDS = {
  'cable.length_m': { least: 0, most: 50, above: true, whole: false },
  'State.ambient_c': { least: -40, most: 60, above: false, whole: false },
  'Battery.parallel': { least: 1, most: 20, above: false, whole: true },
}

function field(props: Record<string, unknown>) {
  const made = mounted(NumberField, { label: 'Length', unit: 'm', modelValue: null, ...props }, { bounds: BOUNDS })
  const input = made.find('input')
  const type = async (text: string) => {
    await input.setValue(text)
    return made.emitted('update:modelValue')?.at(-1)?.[0]
  }
  return { made, input, type }
}

afterEach(() => {
  document.body.replaceChildren()
  localStorage.clear()
})

describe('a number field', () => {
  it('takes a decimal comma as well as a point', async () => {
    const { type } = field({})
    expect(await type('1,5')).toBe(1.5)
    expect(await type('2.25')).toBe(2.25)
  })
  it('says what is wrong at its place and keeps what was typed', async () => {
    const { made, input, type } = field({})
    await type('abc')
    expect(made.text()).toContain("'abc' is not a number")
    expect((input.element as HTMLInputElement).value).toBe('abc')
    expect(made.emitted('update:modelValue')).toBeUndefined()
    expect(made.emitted('problem')?.at(-1)?.[0]).toContain('not a number')
  })
  it('asks the core between what it must lie', async () => {
    const { made, type } = field({ of: 'cable.length_m' })
    expect(await type('51')).toBeUndefined()
    expect(made.text()).toContain('At most 50 m.')
    await type('0')
    expect(made.text()).toContain('More than 0 m.')
    expect(await type('0.4')).toBe(0.4)
    expect(made.emitted('problem')?.at(-1)?.[0]).toBe('')
  })
  it('says the bounds in the unit that is shown', async () => {
    localStorage.setItem('mavrik-length', 'ft')
    localStorage.setItem('mavrik-temperature', '°F')
    const { made, type } = field({ of: 'cable.length_m', measure: 'length' })
    await type('170')
    expect(made.text()).toContain('At most 164 ft.')
    expect(await type('10')).toBeCloseTo(3.048, 9)
    const warm = field({ of: 'State.ambient_c', measure: 'temperature' })
    await warm.type('-41')
    expect(warm.made.text()).toContain('At least -40 °F.')
  })
  it('takes no fraction of what is counted', async () => {
    const { made, type } = field({ of: 'Battery.parallel' })
    expect(await type('1.5')).toBeUndefined()
    expect(made.text()).toContain('A whole number.')
    expect(await type('2')).toBe(2)
  })
  it('keeps volts of a drop that is typed in millivolts', async () => {
    const { input, type } = field({ drop: true, modelValue: 0.18, unit: 'mV' })
    expect((input.element as HTMLInputElement).value).toBe('180')
    expect(await type('95')).toBeCloseTo(0.095, 12)
    expect(await type('0.12v')).toBeCloseTo(0.12, 12)
  })
  it('shows a value that came from elsewhere, and not its own over what is being typed', async () => {
    const { made, input, type } = field({ modelValue: 3 })
    await type('2.')
    await made.setProps({ modelValue: 2 })
    expect((input.element as HTMLInputElement).value).toBe('2.')
    await made.setProps({ modelValue: 7 })
    expect((input.element as HTMLInputElement).value).toBe('7')
  })
  it('is empty without a fuss, unless it is needed', async () => {
    const needed = field({ required: true, modelValue: 1 })
    await needed.type('')
    expect(needed.made.text()).toContain('Needed here.')
    expect(needed.made.emitted('update:modelValue')?.at(-1)?.[0]).toBeNull()
    const free = field({ modelValue: 1 })
    await free.type('')
    expect(free.made.text()).not.toContain('Needed')
  })
})
