/** What a person types of the workshop's hours, and what is kept of it. */
import type { Workshop } from '@/api/types'

export type Shift = Workshop['shifts'][number]
export type Means = Workshop

/** Hours of one day of the week, as they are written. */
export function hoursOf(shifts: readonly Shift[], weekday: number): string {
  return shifts
    .filter((s) => s.weekday === weekday)
    .map((s) => `${s.begins}–${s.ends}`)
    .join(' ')
}

const CLOCK = /^(\d{1,2})(?:[:.](\d{2}))?$/
function clockOf(text: string): string | null {
  const [, hour, minute] = CLOCK.exec(text) ?? []
  return hour === undefined ? null : `${hour.padStart(2, '0')}:${minute ?? '00'}`
}

/** The same read back; null: it is no such thing. Whether the hours can be, the core says. */
export function readHours(text: string, weekday: number): Shift[] | null {
  const shifts: Shift[] = []
  for (const part of text
    .trim()
    .split(/[\s,;]+(?![-–])/)
    .filter(Boolean)) {
    const [begins, ends, ...more] = part.split(/[-–]/).map((x) => clockOf(x.trim()))
    if (!begins || !ends || more.length > 0) return null
    shifts.push({ weekday, begins, ends })
  }
  return shifts
}

export function withHours(shifts: readonly Shift[], weekday: number, read: Shift[]): Shift[] {
  const all = [...shifts.filter((s) => s.weekday !== weekday), ...read]
  return all.sort((a, b) => a.weekday - b.weekday || a.begins.localeCompare(b.begins))
}

/** A name for a new one that nothing else goes by. */
export function freshId(what: string, others: readonly { id: string }[]): string {
  let k = others.length + 1
  while (others.some((o) => o.id === `${what}_${k}`)) k += 1
  return `${what}_${k}`
}

/** One of a list changed, or taken out of it. */
export function at<T>(list: readonly T[], k: number, change: Partial<T> | null): T[] {
  return change === null ? list.filter((_, i) => i !== k) : list.map((x, i) => (i === k ? { ...x, ...change } : x))
}
