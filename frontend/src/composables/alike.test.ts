import { describe, expect, it } from 'vitest'
import { alike } from './alike'

describe('alike', () => {
  it('does not mind the order of fields, but that of a list', () => {
    expect(alike({ purpose: 'storage', way: { a: 1, b: [1, 2] } }, { way: { b: [1, 2], a: 1 }, purpose: 'storage' })).toBe(true)
    expect(alike({ b: [1, 2] }, { b: [2, 1] })).toBe(false)
  })
  it('tells nothing from null, and a number from its text', () => {
    expect(alike({ a: null }, {})).toBe(false)
    expect(alike({ a: 1 }, { a: '1' })).toBe(false)
    expect(alike(null, null)).toBe(true)
  })
})
