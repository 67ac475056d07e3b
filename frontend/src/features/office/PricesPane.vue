<script setup lang="ts">
/** What parts and hours cost. */
import type { PriceList } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import NumberField from '@/ui/NumberField.vue'

const props = defineProps<{ prices: PriceList; may: boolean }>()
const emit = defineEmits<{ change: [prices: PriceList] }>()
const SINGLE: readonly {
  field: Exclude<keyof PriceList, 'currency' | 'fuse' | 'battery_per_ah'>
  label: string
  unit?: string
  perUnit?: number
}[] = [
  { field: 'labour_per_h', label: 'Labour, an hour' },
  { field: 'tax_share', label: 'Tax on parts and work', unit: '%', perUnit: 100 },
  { field: 'cable_per_m', label: 'Cable, a metre' },
  { field: 'cable_per_m_mm2', label: 'and for each mm² of it' },
  { field: 'lug', label: 'A lug' },
  { field: 'lug_per_mm2', label: 'and for each mm² of it' },
  { field: 'contact_per_a', label: 'Switch or relay, by ampere' },
  { field: 'converter_per_a', label: 'DC-DC charger, by ampere' },
  { field: 'pulley', label: 'A pulley' },
  { field: 'belt', label: 'A belt' },
  { field: 'lead_h', label: 'A lead takes', unit: 'h' },
  { field: 'lead_h_per_m', label: 'and for each metre', unit: 'h' },
  { field: 'fuse_h', label: 'A fuse takes', unit: 'h' },
  { field: 'contact_h', label: 'A switch takes', unit: 'h' },
  { field: 'clean_h', label: 'Cleaning a joint takes', unit: 'h' },
  { field: 'unit_h', label: 'An alternator takes', unit: 'h' },
  { field: 'pulley_h', label: 'A pulley takes', unit: 'h' },
  { field: 'set_point_h', label: 'Setting a regulator takes', unit: 'h' },
  { field: 'battery_h', label: 'A battery takes', unit: 'h' },
  { field: 'converter_h', label: 'A DC-DC charger takes', unit: 'h' },
]
const setPrice = (change: Partial<PriceList>) => emit('change', { ...props.prices, ...change })
const { catalogue } = useCatalogue()
type Named = readonly { name: string; label: string }[] | undefined
const labelOf = (list: Named, name: string) => list?.find((x) => x.name === name)?.label ?? name
</script>

<template>
  <fieldset class="panel" data-test="prices" :disabled="!may" aria-label="Prices">
    <div class="pairs wide">
      <v-text-field
        :model-value="prices.currency"
        label="Currency, as it is written"
        maxlength="8"
        data-test="currency"
        @update:model-value="setPrice({ currency: $event })"
      />
      <NumberField
        v-for="p in SINGLE"
        :key="p.field"
        :model-value="prices[p.field]"
        :of="`PriceList.${p.field}`"
        :label="p.label"
        :unit="p.unit ?? prices.currency ?? ''"
        :per-unit="p.perUnit"
        required
        :data-test="`price-${p.field}`"
        @update:model-value="$event !== null && setPrice({ [p.field]: $event })"
      />
      <NumberField
        v-for="(value, name) in prices.fuse"
        :key="`fuse ${name}`"
        :model-value="value ?? null"
        of="PriceList.pulley"
        :label="`${labelOf(catalogue?.fuse_families, String(name))}`"
        :unit="prices.currency ?? ''"
        required
        @update:model-value="$event !== null && setPrice({ fuse: { ...prices.fuse, [name]: $event } })"
      />
      <NumberField
        v-for="(value, name) in prices.battery_per_ah"
        :key="`battery ${name}`"
        :model-value="value ?? null"
        of="PriceList.pulley"
        :label="`An Ah of ${labelOf(catalogue?.chemistries, String(name))}`"
        :unit="prices.currency ?? ''"
        required
        @update:model-value="$event !== null && setPrice({ battery_per_ah: { ...prices.battery_per_ah, [name]: $event } })"
      />
    </div>
  </fieldset>
</template>

<style scoped>
fieldset {
  min-width: 0;
}
.pairs {
  display: grid;
  gap: 8px 12px;
}
.wide {
  grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
}
</style>
