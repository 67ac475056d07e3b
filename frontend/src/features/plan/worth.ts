/** What buys what, as it is shown: signs, order, words for amounts. */
import type { Figures, Worth } from '@/api/types'
import { fixed } from '@/ui/numbers'

export type Rank = 'amps' | 'volts' | 'day' | 'days' | 'heat' | 'money'

export const RANKS: readonly { value: Rank; title: string }[] = [
  { value: 'amps', title: 'A at a hot idle' },
  { value: 'volts', title: 'Volts' },
  { value: 'day', title: 'Ah a day' },
  { value: 'days', title: 'Days to a non-start' },
  { value: 'heat', title: 'Heat' },
  { value: 'money', title: 'Money' },
]

export function amount(value: number | null | undefined, currency: string): string {
  if (value === null || value === undefined) return '–'
  return currency ? `${fixed(value, 0)} ${currency}` : fixed(value, 0)
}
export function signed(value: number | null | undefined, digits: number): string {
  if (value === null || value === undefined) return '–'
  const size = fixed(Math.abs(value), digits)
  if (Number(size) === 0) return fixed(0, digits)
  return `${value < 0 ? '−' : '+'}${size}`
}
/** What is better than as found, in the figure that is ranked by; the larger the better. */
export function gain(rank: Rank, found: Figures, one: Worth): number {
  const figures = one.figures
  if (!figures) return -Infinity
  const never = 1e9
  switch (rank) {
    case 'amps':
      return (figures.idle_surplus_a ?? -never) - (found.idle_surplus_a ?? -never)
    case 'volts':
      return (figures.least_v ?? 0) - (found.least_v ?? 0)
    case 'day':
      return figures.worst_net_ah - found.worst_net_ah
    case 'days':
      return (figures.days ?? never) - (found.days ?? never)
    case 'heat':
      return (found.heat_w ?? never) - (figures.heat_w ?? never)
    case 'money':
      return -(one.cost ?? never)
  }
}
/** The best first; of equals the cheapest. */
export function ranked(rank: Rank, found: Figures, all: readonly Worth[]): Worth[] {
  return [...all].sort((a, b) => gain(rank, found, b) - gain(rank, found, a) || (a.cost ?? Infinity) - (b.cost ?? Infinity))
}
export const daysInWords = (days: number | null | undefined) =>
  days === null || days === undefined ? 'never' : days < 1 ? 'within a day' : `${fixed(days, 0)} d`
