/** Days as the workshop's calendar has them. */

/** Today at this machine's place, as a sortable date. */
export function today(now: Date = new Date()): string {
  const two = (n: number) => String(n).padStart(2, '0')
  return `${now.getFullYear()}-${two(now.getMonth() + 1)}-${two(now.getDate())}`
}

/** Whether a due date lies before today; nothing due is never overdue. */
export function overdue(due: string | null | undefined, now: Date = new Date()): boolean {
  return !!due && due < today(now)
}

/** Date and time of this machine's place, to the minute, as its language writes them. */
export function moment(iso: string, language?: string): string {
  return new Intl.DateTimeFormat(language, { dateStyle: 'medium', timeStyle: 'short' }).format(new Date(iso))
}

/** A sortable date as this machine's language writes it. */
export function day(date: string, language?: string): string {
  const [year, month, of] = date.split('-').map(Number)
  return new Intl.DateTimeFormat(language, { dateStyle: 'medium' }).format(new Date(year!, month! - 1, of))
}

/** Day and time of what is near, without its year. */
export function soon(iso: string, language?: string): string {
  const parts = { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' } as const
  return new Intl.DateTimeFormat(language, parts).format(new Date(iso))
}
