import { describe, expect, it } from 'vitest'
import { differences } from './differences'

describe('a change, field by field', () => {
  it('says of a part only what differs', () => {
    const was = { 'branches:feed': { id: 'feed', label: 'Feed', length_m: 4, end: { kind: 'crimp' } } }
    const now = { 'branches:feed': { id: 'feed', label: 'Feed', length_m: 5, end: { kind: 'solder' } } }
    expect(differences(was, now)).toEqual([
      { field: 'branches feed, length_m', was: '4', now: '5' },
      { field: 'branches feed, end, kind', was: 'crimp', now: 'solder' },
    ])
  })

  it('names what came and what went', () => {
    expect(differences({ 'nodes:a': null }, { 'nodes:a': { id: 'a', label: 'Stud' } })).toEqual([
      { field: 'nodes a', was: '–', now: 'Stud' },
    ])
    expect(differences({ 'nodes:a': { id: 'a', label: 'Stud' } }, { 'nodes:a': null })).toEqual([
      { field: 'nodes a', was: 'Stud', now: '–' },
    ])
  })

  it('leaves out what is the same, and takes lists and words as they are', () => {
    expect(differences({ a: 1, b: ['x'], c: '' }, { a: 1, b: ['x', 'y'], c: 'said' })).toEqual([
      { field: 'b', was: '["x"]', now: '["x","y"]' },
      { field: 'c', was: '–', now: 'said' },
    ])
    expect(differences(null, { login: 'hand' })).toEqual([{ field: 'login', was: '–', now: 'hand' }])
    expect(differences(null, null)).toEqual([])
  })
})
