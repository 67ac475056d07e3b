import { describe, expect, it } from 'vitest'
import { heatOpacity, limitBar, roundedPath, strokeWidth } from './geometry'

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

describe('the bar of a reading between its limits', () => {
  const window = { least: 13.9, most: 14.8, value: 14.4, uncertainty: 0.1 }
  it('is not drawn where there is no limit', () => {
    expect(limitBar({ ...window, least: null, most: null })).toBeNull()
  })
  it('keeps limits, reading and its spread in their order', () => {
    const bar = limitBar(window)!
    expect([0, bar.from, bar.low, bar.at!, bar.high, bar.to, 1000]).toEqual(
      [0, bar.from, bar.low, bar.at!, bar.high, bar.to, 1000].toSorted((a, b) => a - b),
    )
    expect(bar.edges.map(([, value]) => value)).toEqual([13.9, 14.8])
  })
  it('shows a reading far outside beside the limits, not beyond the bar', () => {
    for (const value of [-3, 0, 11.2, 40]) {
      const bar = limitBar({ ...window, value })!
      expect(bar.at!).toBeGreaterThan(0)
      expect(bar.at!).toBeLessThan(1000)
      expect(bar.at! < bar.from || bar.at! > bar.to).toBe(true)
    }
  })
  it('has no end where there is no limit on that side', () => {
    expect(limitBar({ ...window, most: null })!.to).toBe(1000)
    expect(limitBar({ ...window, least: null })!.from).toBe(0)
  })
  it('stands empty before anything is read', () => {
    expect(limitBar({ ...window, value: null })!.at).toBeNull()
  })
})
