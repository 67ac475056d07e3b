import { describe, expect, it } from 'vitest'
import type { Scene } from '@/api/types'
import { renamed, roundUp, withConsumer, withoutConsumer } from './use'

const scenes: Scene[] = [
  { label: 'Idle', engine_rpm: 800, hours_a_day: 1, on: ['Lamps', 'Fridge'], plugged_in: false },
  { label: 'Parked', engine_rpm: 0, hours_a_day: 23, on: ['Fridge'], plugged_in: false },
]

describe('the table of consumers and scenes', () => {
  it('gives every consumer a name of its own', () => {
    const usual = { current_a: 16, law: 'resistance' as const, duty: 1, cut_off_v: 0 }
    const once = withConsumer([], 'Heated rear window', usual)
    const twice = withConsumer(once, 'Heated rear window', usual)
    expect(twice.map((c) => c.label)).toEqual(['Heated rear window', 'Heated rear window 2'])
    expect(twice[0]).toMatchObject({ current_a: 16, origin: 'catalogue' })
    expect(withConsumer([], 'Something else', null)[0]!.origin).toBe('entered')
  })

  it('keeps scenes true to names that change and go', () => {
    expect(renamed(scenes, 'Fridge', 'Freezer').map((s) => s.on)).toEqual([['Lamps', 'Freezer'], ['Freezer']])
    expect(withoutConsumer(scenes, 'Fridge').map((s) => s.on)).toEqual([['Lamps'], []])
  })

  it('ends an axis at a number one can read', () => {
    expect([0, 3, 47, 61, 130, 1000].map(roundUp)).toEqual([1, 3, 50, 80, 150, 1000])
  })
})
