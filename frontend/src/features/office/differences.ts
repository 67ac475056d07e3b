/** What a change says field by field: of a part that was changed only what differs, of one that came or went its name. */

export interface Difference {
  field: string
  was: string
  now: string
}
type Values = Record<string, unknown>

const isPart = (value: unknown): value is Values => typeof value === 'object' && value !== null && !Array.isArray(value)

function plain(value: unknown): string {
  if (value === null || value === undefined || value === '') return '–'
  if (isPart(value)) return typeof value.label === 'string' ? value.label : JSON.stringify(value)
  return typeof value === 'string' ? value : JSON.stringify(value)
}

export function differences(before: Values | null, after: Values | null, within = ''): Difference[] {
  const names = [...new Set([...Object.keys(before ?? {}), ...Object.keys(after ?? {})])]
  return names.flatMap((name) => {
    const [was, now] = [before?.[name], after?.[name]]
    if (JSON.stringify(was) === JSON.stringify(now)) return []
    const field = within ? `${within}, ${name}` : name.replace(':', ' ')
    return isPart(was) && isPart(now) ? differences(was, now, field) : [{ field, was: plain(was), now: plain(now) }]
  })
}
