/** Whether two documents say the same, in whatever order their fields come: what was kept comes back in another. */
export function alike(one: unknown, other: unknown): boolean {
  return sorted(one) === sorted(other)
}

function sorted(document: unknown): string {
  return JSON.stringify(document, (_, value: unknown) =>
    value !== null && typeof value === 'object' && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
      : value,
  )
}
