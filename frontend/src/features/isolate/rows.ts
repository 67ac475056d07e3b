/** Finding a row of a truth table by how the switches stand. */
import type { RowView, RuleAnswer } from '@/api/types'

/** The row of a situation with just these controls off. */
export function rowOf(rows: readonly RowView[], situation: string, off: readonly string[]): RowView | undefined {
  const gone = new Set(off)
  return rows.find((r) => r.situation === situation && r.off.length === gone.size && r.off.every((label) => gone.has(label)))
}

/** Situations in the order of the table, with their words. */
export function situationsOf(rows: readonly RowView[]): { value: string; title: string }[] {
  return [...new Map(rows.map((r) => [r.situation, r.situation_label])).entries()].map(([value, title]) => ({ value, title }))
}

/** What the vehicle does in a row, in a few words. */
export function doesWords(row: RowView): string {
  if (row.chatters.length) return 'A relay chatters'
  if (row.situation === 'cranking') return row.cranks ? 'The starter turns' : 'The starter does not turn'
  if (row.situation === 'off' || row.situation === 'key_on') return row.live.length ? 'The engine stands' : 'Everything is dead'
  if (!row.runs) return 'The engine stops'
  return row.off.length || row.situation === 'key_off' ? 'The engine runs on' : 'The engine runs'
}

const ORDER = { broken: 0, unknown: 1, met: 2 } as const

/** What decides against it first, then what would be better, then what holds. */
export function inOrder(answers: readonly RuleAnswer[]): RuleAnswer[] {
  const rank = (a: RuleAnswer) => ORDER[a.outcome] * 2 + Number(a.kind === 'advises')
  return [...answers].sort((a, b) => rank(a) - rank(b))
}
