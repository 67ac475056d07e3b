import { describe, expect, it } from 'vitest'
import { band, heatOpacity, roundedPath, strokeWidth, ticks } from './geometry'

describe('the loop drawing', () => {
  it('draws four times the area twice as wide', () => {
    expect(strokeWidth(100)).toBeCloseTo(2 * strokeWidth(25))
    expect(strokeWidth(undefined)).toBe(7)
    expect(strokeWidth(1000)).toBe(22)
  })
  it('lets heat glow from nothing to nearly full', () => {
    expect(heatOpacity(0)).toBe(0)
    expect(heatOpacity(8)).toBeCloseTo(0.5)
    expect(heatOpacity(1e6)).toBe(0.85)
  })
  it('rounds corners and keeps the ends', () => {
    expect(
      roundedPath([
        [0, 0],
        [100, 0],
      ]),
    ).toBe('M0 0L100 0')
    const bent = roundedPath(
      [
        [0, 0],
        [100, 0],
        [100, 100],
      ],
      10,
    )
    expect(bent.startsWith('M0 0L90 0Q100 0 100 10')).toBe(true)
    expect(bent.endsWith('L100 100')).toBe(true)
    expect(roundedPath([])).toBe('')
  })
})

describe('a captured voltage', () => {
  it('has round numbers at its edges', () => {
    expect(ticks(0, 10, 5)).toEqual([0, 2, 4, 6, 8, 10])
    expect(ticks(13.9, 14.52, 4).map((v) => v.toFixed(1))).toEqual(['14.0', '14.2', '14.4'])
    expect(ticks(1, 1, 5)).toEqual([])
  })
  it('keeps a gap a gap', () => {
    const path = band(
      [0, 0, null, 1],
      [1, 1, null, 2],
      (k) => k,
      (v) => v,
    )
    expect(path).toBe('M0.0 1.0L1.0 1.0L1.0 0.0L0.0 0.0ZM3.0 2.0L3.0 1.0Z')
  })
})
