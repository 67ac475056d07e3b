/** A week of the schedule as strips: where each stretch of work lies on them. Times are those of the workshop's clock, whatever place this is. */
import type { Block, Placed, Schedule, ScheduleView, Workshop } from '@/api/types'

const MINUTE_MS = 60_000
const DAY_MIN = 24 * 60
export const QUARTER_MIN = 15

/** Minutes since 1970 on the workshop's clock. */
export const minutesOf = (wall: string): number => Date.parse(`${wall.slice(0, 19)}Z`) / MINUTE_MS
/** The other way about, as the server writes it. */
export const wallOf = (minutes: number): string => new Date(minutes * MINUTE_MS).toISOString().slice(0, 19)

const written = (wall: string, how: Intl.DateTimeFormatOptions, language?: string) =>
  new Intl.DateTimeFormat(language, { ...how, timeZone: 'UTC' }).format(new Date(wall.includes('T') ? `${wall.slice(0, 19)}Z` : wall))
export const dayName = (wall: string, language?: string) => written(wall, { weekday: 'short', day: 'numeric', month: 'short' }, language)
export const clock = (wall: string, language?: string) => written(wall, { hour: '2-digit', minute: '2-digit' }, language)
export const dayAndClock = (wall: string, language?: string) => `${dayName(wall, language)} ${clock(wall, language)}`

/** First minute of the Monday of a week; weeks: how many later. */
export function mondayOf(wall: string, weeks = 0): number {
  const day = Math.floor(minutesOf(wall) / DAY_MIN)
  // Day 0 of 1970 was a Thursday.
  return (day - ((day + 3) % 7) + 7 * weeks) * DAY_MIN
}

/** First minute of the Monday of the first week that still has working hours. */
export function firstMonday(view: ScheduleView): number {
  const next = view.open.find((o) => minutesOf(o.ends) > minutesOf(view.now))
  return mondayOf(next?.begins ?? view.now)
}

export interface DayStrip {
  /** First minute of the day. */
  start: number
  wall: string
  /** Hours in which the workshop works, as shares of the strip. */
  open: { left: number; width: number }[]
}
export interface WeekStrip {
  days: DayStrip[]
  /** Minutes of the day that every strip begins and ends at. */
  from: number
  to: number
}

/** The days of a week on which the workshop works, all on one scale. */
export function weekOf(view: ScheduleView, monday: number): WeekStrip {
  const hours = view.open
    .map((o) => ({ begins: minutesOf(o.begins), ends: minutesOf(o.ends) }))
    .filter((o) => o.begins >= monday && o.begins < monday + 7 * DAY_MIN)
  if (hours.length === 0) return { days: [], from: 0, to: 0 }
  const startOf = (minutes: number) => Math.floor(minutes / DAY_MIN) * DAY_MIN
  const from = Math.min(...hours.map((o) => o.begins - startOf(o.begins)))
  const to = Math.max(...hours.map((o) => o.ends - startOf(o.begins)))
  const days = [...new Set(hours.map((o) => startOf(o.begins)))].sort((a, b) => a - b)
  return {
    from,
    to,
    days: days.map((start) => ({
      start,
      wall: wallOf(start),
      open: hours
        .filter((o) => startOf(o.begins) === start)
        .map((o) => ({ left: (o.begins - start - from) / (to - from), width: (o.ends - o.begins) / (to - from) })),
    })),
  }
}

export interface Bar {
  block: Block
  left: number
  width: number
  lane: number
  /** Whether the work begins, or is over, with this stretch. */
  first: boolean
  last: boolean
}
export interface Row {
  /** Id of the bay; null: the bench. */
  bay: string | null
  label: string
  lanes: number
  /** Of each day of the week. */
  bars: Bar[][]
}

export const keyOf = (of: { job_id: number; kind: string }): string => `${of.job_id}:${of.kind}`

/** The strips of a week, a row for each bay and the bench; what meets in time lies in lanes of its own. */
export function rowsOf(view: ScheduleView, workshop: Workshop, week: WeekStrip): Row[] {
  const known = new Set(workshop.bays.map((b) => b.id))
  const places: { bay: string | null; label: string }[] = [
    ...workshop.bays.map((b) => ({ bay: b.id as string | null, label: b.label })),
    { bay: null, label: 'Bench' },
  ]
  return places.map(({ bay, label }) => {
    const there = view.blocks.filter((b) => (b.bay && known.has(b.bay) ? b.bay : null) === bay)
    const ends: number[] = []
    const lane = new Map<string, number>()
    for (const block of [...there].sort((a, b) => minutesOf(a.begins) - minutesOf(b.begins))) {
      const free = ends.findIndex((e) => e <= minutesOf(block.begins))
      const at = free < 0 ? ends.length : free
      ends[at] = minutesOf(block.ends)
      lane.set(keyOf(block), at)
    }
    const bars = week.days.map((day) =>
      there.flatMap((block) =>
        block.stretches.flatMap((s, k) => {
          const [begins, until] = [minutesOf(s.begins) - day.start, minutesOf(s.ends) - day.start]
          if (begins < 0 || begins >= DAY_MIN) return []
          const span = week.to - week.from
          return {
            block,
            left: (begins - week.from) / span,
            width: (until - begins) / span,
            lane: lane.get(keyOf(block))!,
            first: k === 0,
            last: k === block.stretches.length - 1,
          }
        }),
      ),
    )
    return { bay, label, lanes: Math.max(1, ends.length), bars }
  })
}

/** Every quarter of an hour in which the workshop works, from the first that is shown. */
const quartersOf = (view: ScheduleView): number[] =>
  view.open.flatMap((o) => {
    const [begins, ends] = [minutesOf(o.begins), minutesOf(o.ends)]
    return Array.from({ length: (ends - begins) / QUARTER_MIN }, (_, k) => begins + k * QUARTER_MIN)
  })

/** So many working quarters later, or earlier; no further than what is shown. */
export function later(view: ScheduleView, wall: string, quarters: number): string {
  const all = quartersOf(view)
  const at = all.findIndex((q) => q >= minutesOf(wall))
  const to = Math.min(Math.max((at < 0 ? all.length - 1 : at) + quarters, 0), all.length - 1)
  return wallOf(all[to] ?? minutesOf(wall))
}

/** The working quarter nearest to a place on a day's strip. */
export function quarterAt(view: ScheduleView, week: WeekStrip, day: number, share: number): string {
  const pointed = day + week.from + share * (week.to - week.from)
  const near = quartersOf(view).filter((q) => q >= day && q < day + DAY_MIN)
  const best = near.reduce((a, b) => (Math.abs(b - pointed) < Math.abs(a - pointed) ? b : a), near[0] ?? pointed)
  return wallOf(best)
}

/** A piece of work put elsewhere. */
export function moved(schedule: Schedule, block: { job_id: number; kind: string }, to: Partial<Placed>): Schedule {
  return { ...schedule, placed: (schedule.placed ?? []).map((p) => (keyOf(p) === keyOf(block) ? { ...p, ...to } : p)) }
}

/** A job without a place. */
export function takenOff(schedule: Schedule, jobId: number): Schedule {
  return { ...schedule, placed: (schedule.placed ?? []).filter((p) => p.job_id !== jobId) }
}

type Wish = NonNullable<Schedule['wishes']>[number]
export const wishOf = (schedule: Schedule, jobId: number): Wish | null => schedule.wishes?.find((w) => w.job_id === jobId) ?? null

/** What a person says of a job; what says nothing is not kept. */
export function wished(schedule: Schedule, jobId: number, what: Partial<Wish>): Schedule {
  const now: Wish = { minutes: {}, parts_on: null, left_out: false, ...wishOf(schedule, jobId), ...what, job_id: jobId }
  const others = (schedule.wishes ?? []).filter((w) => w.job_id !== jobId)
  const says = Object.keys(now.minutes ?? {}).length > 0 || now.parts_on || now.left_out
  return { ...schedule, wishes: says ? [...others, now] : others }
}
