import { describe, expect, it } from 'vitest'
import { at, freshId, hoursOf, readHours, withHours, type Means } from './means'

const means: Means = {
  bays: [{ id: 'bay_1', label: 'Bay 1' }],
  people: [{ id: 'p', label: 'One', away: [], shifts: [] }],
  shifts: [
    { weekday: 0, begins: '08:00', ends: '12:00' },
    { weekday: 0, begins: '13:00', ends: '17:00' },
  ],
  closed: [],
  tools: [],
  measure_min: 90,
}

describe('hours of a workshop', () => {
  it('are written and read back as they were', () => {
    expect(hoursOf(means.shifts, 0)).toBe('08:00–12:00 13:00–17:00')
    expect(readHours(hoursOf(means.shifts, 0), 0)).toEqual(means.shifts)
    expect(hoursOf(means.shifts, 5)).toBe('')
    expect(readHours('', 5)).toEqual([])
  })
  it('are taken as people write them', () => {
    expect(readHours('8-12, 13.30-17', 1)).toEqual([
      { weekday: 1, begins: '08:00', ends: '12:00' },
      { weekday: 1, begins: '13:30', ends: '17:00' },
    ])
    for (const wrong of ['all day', '8', '8-12-13', '8–']) expect(readHours(wrong, 0)).toBeNull()
  })
  it('stand in their order, and other days stay', () => {
    const changed = withHours(means.shifts, 6, readHours('10-12', 6)!)
    expect(changed).toHaveLength(3)
    expect(withHours(changed, 0, [])).toEqual([{ weekday: 6, begins: '10:00', ends: '12:00' }])
  })
})

describe('lists', () => {
  it('give new things names of their own', () => {
    expect(freshId('bay', means.bays)).toBe('bay_2')
    expect(freshId('bay', [{ id: 'bay_2' }])).toBe('bay_3')
  })
  it('change one and leave the rest', () => {
    expect(at([{ a: 1 }, { a: 2 }], 1, { a: 5 })).toEqual([{ a: 1 }, { a: 5 }])
    expect(at([{ a: 1 }, { a: 2 }], 0, null)).toEqual([{ a: 2 }])
  })
})
