/** What the table of consumers and scenes does to its lists. */
import type { Consumer, Scene } from '@/api/types'

type Usual = Pick<Consumer, 'current_a' | 'law' | 'duty' | 'cut_off_v'>

/** The list with one more, under a name that none has yet; one that nobody knows begins with an ampere to be corrected. */
export function withConsumer(consumers: Consumer[], label: string, usual: Usual | null): Consumer[] {
  const labels = new Set(consumers.map((c) => c.label))
  let name = label
  for (let k = 2; labels.has(name); k++) name = `${label.slice(0, 56)} ${k}`
  const values: Usual = usual
    ? { current_a: usual.current_a, law: usual.law, duty: usual.duty, cut_off_v: usual.cut_off_v }
    : { current_a: 1, law: 'current', duty: 1, cut_off_v: 0 }
  return [...consumers, { ...values, label: name, origin: usual ? 'catalogue' : 'entered', load_id: null, battery_id: null }]
}

/** Scenes in which a consumer goes by another name. */
export const renamed = (scenes: Scene[], before: string, after: string): Scene[] =>
  scenes.map((s) => ({ ...s, on: (s.on ?? []).map((n) => (n === before ? after : n)) }))

/** Scenes without a consumer. */
export const withoutConsumer = (scenes: Scene[], label: string): Scene[] =>
  scenes.map((s) => ({ ...s, on: (s.on ?? []).filter((n) => n !== label) }))

/** An edge above the largest value, at a number one reads off an axis. */
export function roundUp(value: number): number {
  if (!(value > 0)) return 1
  const ten = 10 ** Math.floor(Math.log10(value))
  return ten * [1, 1.5, 2, 3, 4, 5, 6, 8, 10].find((m) => m * ten >= value)!
}
