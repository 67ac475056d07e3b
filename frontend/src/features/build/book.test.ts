import { describe, expect, it } from 'vitest'
import type { BuildBook } from '@/api/types'
import { minutesInWords, ticked, unticked, withSpec } from './book'

const empty: BuildBook = { leads: [], anew: [], ticks: [] }

describe('the book of the bench', () => {
  it('has a step ticked once, however often it is tapped', () => {
    const once = ticked(empty, 'safe')
    expect(ticked(once, 'safe')).toBe(once)
    expect(unticked(once, 'safe')).toEqual(empty)
  })

  it('keeps what else was measured of a lead', () => {
    const long = withSpec(empty, 'cable', { route_mm: 1250 })
    const both = withSpec(long, 'cable', { to_end: { stud: 'M10', metal: null } })
    expect(both.leads).toHaveLength(1)
    expect(both.leads[0]).toMatchObject({ branch_id: 'cable', route_mm: 1250, slack: 0.03, to_end: { stud: 'M10' } })
  })

  it('says hours from an hour on', () => {
    expect([minutesInWords(0), minutesInWords(59.4), minutesInWords(60), minutesInWords(95)]).toEqual([
      '0 min',
      '59 min',
      '1 h',
      '1 h 35 min',
    ])
  })
})
