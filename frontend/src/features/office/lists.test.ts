import { describe, expect, it } from 'vitest'
import { blankUnit, pointsInWords, readPoints } from './lists'

describe('units as they are typed', () => {
  it('reads points with commas, and says nothing to what are none', () => {
    expect(readPoints('1500:40 3000:110,5')).toEqual([
      [1500, 40],
      [3000, 110.5],
    ])
    expect(readPoints('')).toEqual([])
    expect(readPoints('1500')).toBeNull()
    expect(readPoints('1500:x')).toBeNull()
    expect(pointsInWords([[1500, 40]])).toBe('1500:40')
  })
  it('gives a new one a name that is free', () => {
    expect(blankUnit([blankUnit([])]).name).toBe('New unit 2')
  })
})
