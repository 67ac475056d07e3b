<script setup lang="ts">
/** The alternator and the batteries. */
import { computed } from 'vue'
import type { Circuit } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { useCatalogue } from '@/composables/catalogue'
import { removeElement } from '@/features/circuit/circuitEdit'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'

const bench = useWorkbench()
const { catalogue } = useCatalogue()
const circuit = computed(() => bench.circuit!)
const units = useUnits()
const FIELDS = [
  { value: 'ok', title: 'regulated' },
  { value: 'open', title: 'open: no output' },
  { value: 'full', title: 'full: regulator shorted' },
]
type Alternator = Circuit['alternators'][number]
type Battery = Circuit['batteries'][number]
const setAlternator = (id: string, patch: Partial<Alternator>) =>
  bench.edit({ ...circuit.value, alternators: circuit.value.alternators.map((a) => (a.id === id ? { ...a, ...patch } : a)) })
const setBattery = (id: string, patch: Partial<Battery>) =>
  bench.edit({ ...circuit.value, batteries: circuit.value.batteries.map((b) => (b.id === id ? { ...b, ...patch } : b)) })
const wrong = (id: string, field: string) => bench.problems.find((p) => p.element === id && p.field === field)?.message ?? ''
const local = (key: string) => (message: string) => {
  if (message) bench.localProblems[key] = message
  else delete bench.localProblems[key]
}
</script>

<template>
  <div class="stack">
    <div v-for="alternator in circuit.alternators" :key="alternator.id" class="trio">
      <v-text-field
        :model-value="alternator.label"
        label="Alternator"
        @update:model-value="$event && setAlternator(alternator.id, { label: $event })"
      />
      <NumberField
        of="Alternator.rated_a"
        :model-value="alternator.rated_a"
        label="Rated output"
        unit="A"
        required
        :error="wrong(alternator.id, 'rated_a')"
        data-field="rated"
        @update:model-value="$event !== null && setAlternator(alternator.id, { rated_a: $event })"
        @problem="local(`${alternator.id}:rated`)($event)"
      />
      <NumberField
        of="Alternator.set_point_v"
        :model-value="alternator.set_point_v"
        label="Set point"
        unit="V"
        required
        :error="wrong(alternator.id, 'set_point_v')"
        @update:model-value="$event !== null && setAlternator(alternator.id, { set_point_v: $event })"
        @problem="local(`${alternator.id}:set-point`)($event)"
      />
      <NumberField
        of="Alternator.pulley_ratio"
        :model-value="alternator.pulley_ratio"
        label="Pulley ratio"
        required
        @update:model-value="$event !== null && setAlternator(alternator.id, { pulley_ratio: $event })"
        @problem="local(`${alternator.id}:ratio`)($event)"
      />
      <v-select
        :model-value="alternator.field"
        label="Field"
        :items="FIELDS"
        @update:model-value="setAlternator(alternator.id, { field: $event })"
      />
      <v-btn
        v-if="circuit.alternators.length > 1"
        variant="text"
        :aria-label="`Take out ${alternator.label}`"
        @click="bench.edit(removeElement(circuit, 'alternators', alternator.id))"
        >✕ take out</v-btn
      >
    </div>
    <div v-for="battery in circuit.batteries" :key="battery.id" class="trio">
      <v-text-field
        :model-value="battery.label"
        label="Battery"
        @update:model-value="$event && setBattery(battery.id, { label: $event })"
      />
      <NumberField
        of="Battery.capacity_ah"
        :model-value="battery.capacity_ah"
        label="Capacity"
        unit="Ah"
        required
        @update:model-value="$event !== null && setBattery(battery.id, { capacity_ah: $event })"
        @problem="local(`${battery.id}:ah`)($event)"
      />
      <NumberField
        of="Battery.cca_a"
        :model-value="battery.cca_a ?? null"
        label="CCA"
        unit="A"
        @update:model-value="setBattery(battery.id, { cca_a: $event })"
        @problem="local(`${battery.id}:cca`)($event)"
      />
      <v-select
        :model-value="battery.chemistry ?? 'flooded'"
        label="Chemistry"
        :items="(catalogue?.chemistries ?? []).map((c) => ({ value: c.name, title: c.label }))"
        @update:model-value="setBattery(battery.id, { chemistry: $event as Battery['chemistry'] })"
      />
      <NumberField
        of="Battery.internal_mohm"
        :model-value="battery.internal_mohm ?? 6"
        label="Internal R"
        unit="mΩ"
        required
        @update:model-value="$event !== null && setBattery(battery.id, { internal_mohm: $event })"
        @problem="local(`${battery.id}:inner`)($event)"
      />
      <NumberField
        of="Battery.state_of_charge"
        :model-value="battery.state_of_charge"
        label="Charge"
        unit="%"
        required
        :to-shown="(v: number) => v * 100"
        :from-shown="(v: number) => v / 100"
        @update:model-value="$event !== null && setBattery(battery.id, { state_of_charge: $event })"
        @problem="local(`${battery.id}:soc`)($event)"
      />
      <NumberField
        of="Battery.parallel"
        :model-value="battery.parallel"
        label="Side by side"
        required
        @update:model-value="$event !== null && Number.isInteger($event) && setBattery(battery.id, { parallel: $event })"
        @problem="local(`${battery.id}:parallel`)($event)"
      />
      <NumberField
        of="Battery.temperature_c"
        :model-value="battery.temperature_c"
        label="Temperature"
        :unit="units.temperature"
        :to-shown="units.temperatureOut"
        :from-shown="units.temperatureIn"
        required
        @update:model-value="$event !== null && setBattery(battery.id, { temperature_c: $event })"
        @problem="local(`${battery.id}:t`)($event)"
      />
      <v-btn
        v-if="circuit.batteries.length > 1"
        variant="text"
        :aria-label="`Take out ${battery.label}`"
        @click="bench.edit(removeElement(circuit, 'batteries', battery.id))"
        >✕ take out</v-btn
      >
    </div>
  </div>
</template>

<style scoped>
.trio {
  display: grid;
  grid-template-columns: 1.3fr 1fr 1fr;
  gap: 10px;
}
</style>
