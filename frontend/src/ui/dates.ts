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
