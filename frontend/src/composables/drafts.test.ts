// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from 'vitest'
import { draftsOf, dropDraft, findDraft, hasFields, keepDraft } from './drafts'

const isOne = hasFields('length')

beforeEach(() => {
  localStorage.clear()
  draftsOf('tobin')
})

describe('a draft on this machine', () => {
  it('comes back as it was', () => {
    keepDraft('7:circuit', { length: 3, nested: [1, null] })
    expect(findDraft('7:circuit', isOne)).toEqual({ length: 3, nested: [1, null] })
    expect(findDraft('8:circuit', isOne)).toBeNull()
  })
  it('is of one person: the next at this machine does not see it', () => {
    keepDraft('7:circuit', { length: 3 })
    draftsOf('ines')
    expect(findDraft('7:circuit', isOne)).toBeNull()
    draftsOf('tobin')
    expect(findDraft('7:circuit', isOne)).not.toBeNull()
  })
  it('is left aside where it has another shape, another version or is damaged', () => {
    keepDraft('7:circuit', { width: 3 })
    expect(findDraft('7:circuit', isOne)).toBeNull()
    const key = Object.keys(localStorage)[0]!
    localStorage.setItem(key, JSON.stringify({ version: 1, value: { length: 3 } }))
    expect(findDraft('7:circuit', isOne)).toBeNull()
    localStorage.setItem(key, '{"version": 2, "val')
    expect(findDraft('7:circuit', isOne)).toBeNull()
  })
  it('goes when it is dropped', () => {
    keepDraft('7:circuit', { length: 3 })
    dropDraft('7:circuit')
    expect(findDraft('7:circuit', isOne)).toBeNull()
  })
  it('does not stop the work where nothing can be stored', () => {
    const full = {
      ...localStorage,
      setItem: () => {
        throw new DOMException('full', 'QuotaExceededError')
      },
    }
    const before = Object.getOwnPropertyDescriptor(globalThis, 'localStorage')
    Object.defineProperty(globalThis, 'localStorage', { value: full, configurable: true })
    expect(() => keepDraft('7:circuit', { length: 3 })).not.toThrow()
    if (before) Object.defineProperty(globalThis, 'localStorage', before)
  })
})
