import { describe, expect, it } from 'vitest'
import { overdue, today } from './dates'

const NOON = new Date(2026, 2, 4, 12)

describe('due dates', () => {
  it('are held against the day of this place', () => {
    expect(today(NOON)).toBe('2026-03-04')
    expect(today(new Date(2026, 2, 4, 0, 1))).toBe('2026-03-04')
    expect(today(new Date(2026, 2, 4, 23, 59))).toBe('2026-03-04')
  })
  it('are overdue from the day after', () => {
    expect(overdue('2026-03-03', NOON)).toBe(true)
    expect(overdue('2026-03-04', NOON)).toBe(false)
    expect(overdue(null, NOON)).toBe(false)
  })
})
