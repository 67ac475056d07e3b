import { describe, expect, it } from 'vitest'
import { heatOpacity, roundedPath, strokeWidth } from './geometry'

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
    expect(roundedPath([[0, 0], [100, 0]])).toBe('M0 0L100 0')
    const bent = roundedPath([[0, 0], [100, 0], [100, 100]], 10)
    expect(bent.startsWith('M0 0L90 0Q100 0 100 10')).toBe(true)
    expect(bent.endsWith('L100 100')).toBe(true)
    expect(roundedPath([])).toBe('')
  })
})
