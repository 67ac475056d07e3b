import { describe, expect, it } from 'vitest'
import type { Block, ScheduleView, Workshop } from '@/api/types'
import {
  dayAndClock,
  dayName,
  firstMonday,
  later,
  minutesOf,
  mondayOf,
  moved,
  quarterAt,
  rowsOf,
  takenOff,
  wallOf,
  weekOf,
  wished,
  wishOf,
} from './week'

const open = ['2026-11-30', '2026-12-01', '2026-12-07'].flatMap((d) => [
  { begins: `${d}T08:00:00`, ends: `${d}T12:00:00` },
  { begins: `${d}T13:00:00`, ends: `${d}T17:00:00` },
])
const block = (job_id: number, bay: string | null, ...stretches: [string, string][]): Block => ({
  job_id,
  number: `26-000${job_id}`,
  label: 'Ferry',
  kind: 'fit',
  minutes: 60,
  people_wanted: 1,
  begins: stretches[0]![0],
  ends: stretches.at(-1)![1],
  stretches: stretches.map(([begins, ends]) => ({ begins, ends })),
  bay,
  people: [],
  pinned: false,
  begun: false,
  parts_on: null,
  late: '',
  conflicts: 0,
})
const view = (...blocks: Block[]): ScheduleView => ({
  headline: '',
  now: '2026-11-30T08:00:00',
  blocks,
  conflicts: [],
  waiting: [],
  open,
})
const workshop = { bays: [{ id: 'a', label: 'Bay A' }] } as unknown as Workshop

describe('a week of the schedule', () => {
  it('begins on Monday, whatever the day, and keeps the clock of the workshop', () => {
    expect(wallOf(mondayOf('2026-12-06T23:00:00'))).toBe('2026-11-30T00:00:00')
    expect(wallOf(mondayOf('2026-11-30T00:00:00', 1))).toBe('2026-12-07T00:00:00')
    expect(wallOf(minutesOf('2026-03-29T02:30:00'))).toBe('2026-03-29T02:30:00')
  })
  it('begins with the week in which there are hours left', () => {
    expect(wallOf(firstMonday({ ...view(), now: '2026-12-01T16:30:00' }))).toBe('2026-11-30T00:00:00')
    expect(wallOf(firstMonday({ ...view(), now: '2026-12-01T17:00:00' }))).toBe('2026-12-07T00:00:00')
    expect(wallOf(firstMonday({ ...view(), now: '2027-12-01T17:00:00' }))).toBe('2027-11-29T00:00:00')
  })
  it('shows the days that are open, on one scale, with the rest at noon', () => {
    const week = weekOf(view(), mondayOf('2026-11-30T08:00:00'))
    expect(week.days.map((d) => d.wall.slice(0, 10))).toEqual(['2026-11-30', '2026-12-01'])
    expect([week.from, week.to]).toEqual([480, 1020])
    expect(week.days[0]!.open[1]).toEqual({ left: 300 / 540, width: 240 / 540 })
    expect(weekOf(view(), mondayOf('2026-11-30T08:00:00', 5)).days).toEqual([])
  })
  it('lays what meets in time into lanes, and goes on the next day', () => {
    const seen = view(
      block(1, 'a', ['2026-11-30T16:00:00', '2026-11-30T17:00:00'], ['2026-12-01T08:00:00', '2026-12-01T09:00:00']),
      block(2, 'a', ['2026-12-01T08:30:00', '2026-12-01T09:30:00']),
      block(3, null, ['2026-11-30T08:00:00', '2026-11-30T09:00:00']),
      block(4, 'gone', ['2026-11-30T10:00:00', '2026-11-30T11:00:00']),
    )
    const rows = rowsOf(seen, workshop, weekOf(seen, mondayOf(seen.now)))
    expect(rows.map((r) => [r.label, r.lanes])).toEqual([
      ['Bay A', 2],
      ['Bench', 1],
    ])
    expect(rows[0]!.bars[0]!.map((b) => [b.block.job_id, b.first, b.last])).toEqual([[1, true, false]])
    expect(rows[0]!.bars[1]!.map((b) => [b.block.job_id, b.lane])).toEqual([
      [1, 0],
      [2, 1],
    ])
    // Work in a bay that is no longer there is not lost from sight.
    expect(rows[1]!.bars[0]!.map((b) => b.block.job_id)).toEqual([3, 4])
  })
})

describe('words', () => {
  it('speak of a day as of a time of it', () => {
    expect(dayName('2026-12-01', 'en-GB')).toBe(dayName('2026-12-01T23:45:00', 'en-GB'))
    expect(dayAndClock('2026-12-01T08:15:00', 'en-GB')).toContain('08:15')
  })
})

describe('moving work', () => {
  const schedule = {
    placed: [{ job_id: 1, kind: 'fit' as const, begins: '2026-11-30T11:45:00', bay: 'a', people: ['p'], pinned: false }],
    wishes: [],
  }
  it('goes over noon, over night, and no further than what is shown', () => {
    expect(later(view(), '2026-11-30T11:45:00', 1)).toBe('2026-11-30T13:00:00')
    expect(later(view(), '2026-12-01T08:00:00', -1)).toBe('2026-11-30T16:45:00')
    expect(later(view(), '2026-11-30T08:00:00', -1)).toBe('2026-11-30T08:00:00')
    expect(later(view(), '2027-05-01T08:00:00', 1)).toBe('2026-12-07T16:45:00')
  })
  it('finds the working quarter under the hand', () => {
    const week = weekOf(view(), mondayOf('2026-11-30T08:00:00'))
    const tuesday = week.days[1]!.start
    expect(quarterAt(view(), week, tuesday, 0)).toBe('2026-12-01T08:00:00')
    expect(quarterAt(view(), week, tuesday, 0.5)).toBe('2026-12-01T13:00:00')
    expect(quarterAt(view(), week, tuesday, 1.4)).toBe('2026-12-01T16:45:00')
  })
  it('changes one piece of work, takes a job off, and forgets a wish that says nothing', () => {
    expect(moved(schedule, { job_id: 1, kind: 'fit' }, { bay: 'b' }).placed![0]!.bay).toBe('b')
    expect(moved(schedule, { job_id: 2, kind: 'fit' }, { bay: 'b' })).toEqual(schedule)
    expect(takenOff(schedule, 1).placed).toEqual([])
    const said = wished(schedule, 1, { parts_on: '2026-12-03' })
    expect(wishOf(said, 1)).toMatchObject({ parts_on: '2026-12-03', left_out: false })
    expect(wished(said, 1, { parts_on: null }).wishes).toEqual([])
  })
})
