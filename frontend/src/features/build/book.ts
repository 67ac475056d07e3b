/** What a person does to the book of the bench; what it comes to, the core says. */
import type { BuildBook } from '@/api/types'

type Spec = BuildBook['leads'][number]

export function ticked(book: BuildBook, step: string): BuildBook {
  return book.ticks.some((t) => t.step === step) ? book : { ...book, ticks: [...book.ticks, { step, by: '', at: null }] }
}

export function unticked(book: BuildBook, step: string): BuildBook {
  return { ...book, ticks: book.ticks.filter((t) => t.step !== step) }
}

const BLANK: Omit<Spec, 'branch_id'> = {
  route_mm: null,
  slack: 0.03,
  cable_mm: null,
  from_end: { stud: null, metal: null },
  to_end: { stud: null, metal: null },
}

export function withSpec(book: BuildBook, lead: string, what: Partial<Spec>): BuildBook {
  const before = book.leads.find((l) => l.branch_id === lead) ?? { ...BLANK, branch_id: lead }
  return { ...book, leads: [...book.leads.filter((l) => l.branch_id !== lead), { ...before, ...what }] }
}

/** Whole minutes; from an hour on hours and minutes. */
export function minutesInWords(minutes: number): string {
  const whole = Math.round(minutes)
  if (whole < 60) return `${whole} min`
  const rest = whole % 60
  return rest ? `${Math.floor(whole / 60)} h ${rest} min` : `${Math.floor(whole / 60)} h`
}
