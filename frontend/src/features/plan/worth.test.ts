import { describe, expect, it } from 'vitest'
import type { Figures, Worth } from '@/api/types'
import { amount, daysInWords, gain, ranked, signed } from './worth'

const figures = (more: Partial<Figures> = {}): Figures => ({
  idle_surplus_a: -5,
  least_v: 12.5,
  days: 9,
  worst_net_ah: -1,
  worst_battery: 'Battery',
  heat_w: 20,
  headline: 'short',
  ...more,
})
const one = (id: string, cost: number | null, more: Partial<Figures> | null): Worth => ({
  id,
  kind: 'lead',
  kind_label: 'Larger cable',
  label: id,
  why: '',
  asks: [],
  comes_with: [],
  concedes: false,
  cost,
  parts: cost,
  hours: 0,
  figures: more ? figures(more) : null,
  refused: more ? '' : 'no',
})

describe('what buys what', () => {
  it('ranks by what is gained, and of equals the cheapest; what cannot be done comes last', () => {
    const all = [
      one('dear', 90, { idle_surplus_a: 3 }),
      one('none', null, null),
      one('cheap', 40, { idle_surplus_a: 3 }),
      one('best', 300, { idle_surplus_a: 20 }),
    ]
    expect(ranked('amps', figures(), all).map((w) => w.id)).toEqual(['best', 'cheap', 'dear', 'none'])
    expect(ranked('money', figures(), all)[0]!.id).toBe('cheap')
  })
  it('holds a battery that never goes flat better than any number of days', () => {
    expect(gain('days', figures(), one('a', 1, { days: null }))).toBeGreaterThan(gain('days', figures(), one('b', 1, { days: 400 })))
    expect(daysInWords(null)).toBe('never')
    expect(daysInWords(0.4)).toBe('within a day')
  })
  it('counts less heat as a gain', () => {
    expect(gain('heat', figures(), one('a', 1, { heat_w: 12 }))).toBe(8)
  })
  it('writes amounts and signs', () => {
    expect(amount(432.68, '')).toBe('433')
    expect(amount(432.68, 'EUR')).toBe('433 EUR')
    expect(signed(-6.75, 1)).toBe('−6.8')
    expect(signed(-0.001, 1)).toBe('0.0')
  })
})
