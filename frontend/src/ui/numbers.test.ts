import { describe, expect, it } from 'vitest'
import { asTyped, fixed, inRange, mv, parseDrop, parseNumber } from './numbers'

describe('parseNumber', () => {
  it('takes a decimal point, a decimal comma and blanks', () => {
    expect(parseNumber(' 12.5 ').value).toBe(12.5)
    expect(parseNumber('12,5').value).toBe(12.5)
    expect(parseNumber('\u22123').value).toBe(-3)
    expect(parseNumber(',5').value).toBe(0.5)
  })
  it('says what is wrong with anything else', () => {
    for (const text of ['1,234.5', 'abc', '1e5', '--3', '0x10', '1 2']) {
      const parsed = parseNumber(text)
      expect(parsed.value).toBeNull()
      expect(parsed.error).toContain('is not a number')
    }
  })
  it('takes an empty field as nothing, without an error', () => {
    expect(parseNumber('  ')).toEqual({ value: null, error: '' })
  })
})

describe('parseDrop', () => {
  it('reads millivolts unless volts are said', () => {
    expect(parseDrop('120').value).toBeCloseTo(0.12)
    expect(parseDrop('120 mV').value).toBeCloseTo(0.12)
    expect(parseDrop('0,12v').value).toBeCloseTo(0.12)
    expect(parseDrop('0.12 V').value).toBeCloseTo(0.12)
  })
  it('keeps the error of a bad number', () => {
    expect(parseDrop('12..5').error).not.toBe('')
    expect(parseDrop('').value).toBeNull()
  })
})

describe('words for numbers', () => {
  it('never shows a negative zero', () => {
    expect(fixed(-0.0001, 2)).toBe('0.00')
    expect(fixed(-1.5, 1)).toBe('\u22121.5')
    expect(fixed(null, 1)).toBe('–')
  })
  it('shows volts as whole millivolts', () => {
    expect(mv(0.2104)).toBe('210')
  })
  it('says the bound that was passed', () => {
    const limits = { least: 0, most: 50 }
    expect(inRange(-1, limits, 'm')).toBe('At least 0 m.')
    expect(inRange(51, limits, 'm')).toBe('At most 50 m.')
    expect(inRange(0, limits, 'm')).toBe('')
    expect(inRange(0, { ...limits, above: true }, 'm')).toBe('More than 0 m.')
    expect(inRange(-2, { least: 1e-6, most: 9 }, 'A')).toBe('More than 0 A.')
    expect(inRange(1e-7, { least: 1e-6, most: 9 }, 'A')).toBe('At least 0.000001 A.')
    expect(inRange(0, { least: 1, most: 9 }, 'A')).toBe('At least 1 A.')
    expect(inRange(1e9, {}, 'm')).toBe('')
  })
  it('puts numbers back as they were typed', () => {
    expect(asTyped(0.1 + 0.2)).toBe('0.3')
    expect(asTyped(null)).toBe('')
  })
})
