import { describe, expect, it } from 'vitest'
import type { PurposeProfile, PurposesRecord } from '@/api/types'
import { strictnessOf, withRule } from './purposes'

const PROFILE: PurposeProfile = {
  label: 'Storage',
  why: 'It starts again.',
  rulebook: '',
  requires: ['no_drain'],
  forbids: ['chatters'],
  advises: ['surge'],
}
const rule = (name: string, forbids = false): PurposesRecord['rules'][number] => ({ name, label: name, forbids, stays: [] })

describe('a rule of a purpose', () => {
  it('is required where it is required or forbidden', () => {
    expect(['no_drain', 'chatters', 'surge', 'marked'].map((n) => strictnessOf(PROFILE, n))).toEqual([
      'required',
      'required',
      'advised',
      'no',
    ])
  })
  it('stands in one list only, whatever is chosen after one another', () => {
    let now = PROFILE
    for (const asked of ['advised', 'required', 'no', 'required'] as const) {
      now = withRule(now, rule('no_drain'), asked)
      expect(strictnessOf(now, 'no_drain')).toBe(asked)
      const all = [...now.requires, ...now.forbids, ...now.advises]
      expect(new Set(all).size).toBe(all.length)
    }
    expect(now).toEqual(PROFILE)
  })
  it('is forbidden where it names what must not be', () => {
    expect(withRule(withRule(PROFILE, rule('held_in', true), 'advised'), rule('held_in', true), 'required').forbids).toEqual([
      'chatters',
      'held_in',
    ])
  })
})
