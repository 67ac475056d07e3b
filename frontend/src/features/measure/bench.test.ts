import { describe, expect, it } from 'vitest'
import { worst } from './bench'

const said = (...verdicts: string[]) => verdicts.map((verdict) => ({ verdict })) as never

describe('what is said of a procedure', () => {
  it('is the worst of its readings', () => {
    expect(worst(said('pass', 'fail', 'too_close_to_call'))).toBe('fail')
    expect(worst(said('pass', 'too_close_to_call'))).toBe('too_close_to_call')
    expect(worst(said('pass', 'pass'))).toBe('pass')
    expect(worst(said())).toBeNull()
  })
})
