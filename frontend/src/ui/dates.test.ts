import { describe, expect, it } from 'vitest'
import { day, moment, overdue, soon, today } from './dates'

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

describe('dates that are shown', () => {
  it('are written as the language of the place does', () => {
    expect(day('2026-03-04', 'en-GB')).toBe('4 Mar 2026')
    expect(day('2026-03-04', 'en-US')).toBe('Mar 4, 2026')
    expect(day('2026-12-31', 'de')).toBe('31.12.2026')
  })
  it('are the same day everywhere: a date has no hour that could move it', () => {
    for (const date of ['2026-01-01', '2026-03-29', '2026-10-25', '2026-12-31'])
      expect(day(date, 'en-GB')).toContain(String(Number(date.slice(-2))))
  })
  it('have their time to the minute, of this place', () => {
    expect(moment(new Date(2026, 2, 4, 15, 6, 7).toISOString(), 'en-GB')).toBe('4 Mar 2026, 15:06')
  })
  it('have no year where they are near, and the hour of the workshop’s clock as it is written', () => {
    expect(soon('2026-12-01T08:00:00', 'en-GB')).toBe('Tue 1 Dec, 08:00')
  })
})
