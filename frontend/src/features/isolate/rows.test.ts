import { describe, expect, it } from 'vitest'
import type { RowView, RuleAnswer } from '@/api/types'
import { doesWords, inOrder, rowOf, situationsOf } from './rows'

const row = (situation: string, off: string[], more: Partial<RowView> = {}): RowView => ({
  on: [],
  off,
  situation,
  situation_label: `in ${situation}`,
  live: ['bat_pos'],
  live_v: { bat_pos: 12.7 },
  lit: [],
  runs: false,
  cranks: false,
  fed: [],
  closed: [],
  pulled_in: [],
  drain_a: 0,
  stud_v: 0,
  chatters: [],
  read_first: true,
  ...more,
})
const answer = (rule: string, outcome: RuleAnswer['outcome'], kind: RuleAnswer['kind']): RuleAnswer => ({
  rule,
  label: rule,
  kind,
  outcome,
  words: '',
  row: null,
  change: '',
})

describe('rows of a truth table', () => {
  const rows = [row('idle', []), row('idle', ['Outer']), row('idle', ['Driver', 'Outer']), row('off', ['Outer'])]
  it('are found by situation and by what is off, in whatever order it went off', () => {
    expect(rowOf(rows, 'idle', ['Outer', 'Driver'])).toBe(rows[2])
    expect(rowOf(rows, 'idle', [])).toBe(rows[0])
    expect(rowOf(rows, 'off', [])).toBeUndefined()
  })
  it('name their situations once, in the order of the table', () => {
    expect(situationsOf(rows)).toEqual([
      { value: 'idle', title: 'in idle' },
      { value: 'off', title: 'in off' },
    ])
  })
  it('say what the vehicle does', () => {
    expect(doesWords(row('idle', [], { runs: true }))).toBe('The engine runs')
    expect(doesWords(row('idle', ['Outer'], { runs: true }))).toBe('The engine runs on')
    expect(doesWords(row('idle', ['Outer']))).toBe('The engine stops')
    expect(doesWords(row('cranking', []))).toBe('The starter does not turn')
    expect(doesWords(row('off', [], { live: [] }))).toBe('Everything is dead')
    expect(doesWords(row('idle', [], { runs: true, chatters: ['coil'] }))).toBe('A relay chatters')
  })
})

it('rules come with what decides against a way first', () => {
  const given = [
    answer('fine', 'met', 'requires'),
    answer('better', 'broken', 'advises'),
    answer('wrong', 'broken', 'requires'),
    answer('open', 'unknown', 'forbids'),
  ]
  expect(inOrder(given).map((a) => a.rule)).toEqual(['wrong', 'better', 'open', 'fine'])
})
