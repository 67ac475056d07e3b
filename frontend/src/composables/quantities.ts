/** Quantities as the core's registry has them: what a value is shown in, and with how many digits. */
import { computed } from 'vue'
import type { QuantityChoice } from '@/api/types'
import { fixed } from '@/ui/numbers'
import { useCatalogue } from './catalogue'

const NEVER = 1e-6

export function useQuantities() {
  const { catalogue } = useCatalogue()
  const byName = computed(() => new Map((catalogue.value?.quantities ?? []).map((q) => [q.name, q])))
  const of = (name: string): QuantityChoice | undefined => byName.value.get(name)

  /** A value as a technician reads it, with its unit. */
  function shown(name: string, value: number | null | undefined, digits?: number): string {
    const quantity = of(name)
    if (value === null || value === undefined) return '–'
    if (!quantity) return fixed(value, digits ?? 2)
    // Of what is only noticed at times: how often.
    if (quantity.yes_or_no && value > NEVER && value < 1 - NEVER) return `yes in ${fixed(value * 100, 0)}%`
    if (quantity.yes_or_no) return value > 0.5 ? 'yes' : 'no'
    return `${fixed(value * quantity.shown_per_unit, digits ?? quantity.digits)} ${quantity.shown_unit}`
  }
  return { of, shown }
}
