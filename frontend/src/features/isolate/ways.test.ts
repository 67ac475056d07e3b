import { expect, test } from 'vitest'
import { inTurn } from './ways'

const way = (name: string, why_not = '') => ({ name, label: name, does: '', changes: true, why_not })

test('what was decided on is asked for first, and what has no place not at all', () => {
  const ways = [way('negative'), way('winch', 'There is no winch.'), way('positive')]
  expect(inTurn(null)).toEqual([])
  expect(inTurn({ ways, kept: null })).toEqual(['negative', 'positive'])
  expect(inTurn({ ways, kept: { way: 'positive' } as never })).toEqual(['positive', 'negative'])
  // A bundle may bring one that has no place here any more.
  expect(inTurn({ ways, kept: { way: 'winch' } as never })).toEqual(['negative', 'positive'])
})
