import { describe, expect, it } from 'vitest'
import { shown, worst } from './bench'

const said = (...verdicts: string[]) => verdicts.map((verdict) => ({ verdict })) as never

describe('what is said of a procedure', () => {
  it('is the worst of its readings', () => {
    expect(worst(said('pass', 'fail', 'too_close_to_call'))).toBe('fail')
    expect(worst(said('pass', 'too_close_to_call'))).toBe('too_close_to_call')
    expect(worst(said('pass', 'pass'))).toBe('pass')
    expect(worst(said())).toBeNull()
  })
})

describe('a reading', () => {
  it('has its unit and the digits it deserves', () => {
    expect(shown(12.644, 'V')).toBe('12.64 V')
    expect(shown(36.6, 'A')).toBe('37 A')
    expect(shown(0.034, 'A')).toBe('0.03 A')
    expect(shown(0.9, 'V p-p')).toBe('0.90 V p-p')
    expect(shown(93.4, '°C')).toBe('93 °C')
  })
  it('is a word where it is a yes or a no', () => {
    expect([shown(1, 'yes or no'), shown(0, 'yes or no')]).toEqual(['yes', 'no'])
  })
})
