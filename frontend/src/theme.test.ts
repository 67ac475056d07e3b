// @vitest-environment happy-dom
/** What axe-core cannot see, words inside a drawing: every colour that writes, on every ground it is written on. */
import { describe, expect, it } from 'vitest'
import { MARKS } from './charts/marks'
import { graphite, paper } from './theme'

import css from './styles/base.css?raw'
const tokens = (selector: string) => {
  const block = css.slice(css.indexOf(selector)).split('}')[0]!
  return Object.fromEntries([...block.matchAll(/--([a-z]+): (#[0-9a-f]{6})/g)].map((m) => [m[1]!, m[2]!]))
}

/** The colours that verdicts are marked with, by name. */
const marks = new Set(Object.values(MARKS).map((m) => m.colour.slice('var(--'.length, -1)))

/** Relative luminance and contrast by WCAG 2.1. */
function luminance(hex: string): number {
  const [r, g, b] = [1, 3, 5].map((at) => {
    const c = parseInt(hex.slice(at, at + 2), 16) / 255
    return c <= 0.03928 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4
  }) as [number, number, number]
  return 0.2126 * r + 0.7152 * g + 0.0722 * b
}
function contrast(one: string, other: string): number {
  const [low, high] = [luminance(one), luminance(other)].toSorted((a, b) => a - b) as [number, number]
  return (high + 0.05) / (low + 0.05)
}

describe.each([
  ['paper', paper.colors, tokens(':root')],
  ['graphite', graphite.colors, tokens('.v-theme--graphite')],
])('the theme %s', (_, colours, own) => {
  const grounds = { surface: colours.surface, background: colours.background }
  it('writes with enough contrast for small words', () => {
    for (const [ground, under] of Object.entries(grounds))
      for (const word of ['copper', 'slate', ...marks])
        expect(contrast(own[word]!, under), `${word} on ${ground}`).toBeGreaterThanOrEqual(4.5)
    for (const under of [colours.surface, colours.background, colours['surface-variant']])
      expect(contrast(colours['on-surface'], under)).toBeGreaterThanOrEqual(7)
  })
  it('writes on its buttons with enough contrast', () => {
    expect(contrast(colours['on-primary'], colours.primary)).toBeGreaterThanOrEqual(4.5)
  })
  it('draws feed and return so that they stand apart from the ground', () => {
    for (const line of ['copper', 'slate']) expect(contrast(own[line]!, colours.surface)).toBeGreaterThanOrEqual(3)
  })
})

describe('contrast', () => {
  it('is 21 between black and white, and 1 of a colour with itself', () => {
    expect(contrast('#000000', '#ffffff')).toBeCloseTo(21, 6)
    expect(contrast('#777777', '#777777')).toBe(1)
    // A grey that is known to lie just under what small words need on white.
    expect(contrast('#777777', '#ffffff')).toBeCloseTo(4.48, 2)
  })
})
