<script setup lang="ts">
/** Loads and chargers of the circuit. */
import { computed } from 'vue'
import type { Circuit } from '@/api/types'
import NumberField from '@/components/NumberField.vue'
import { useCatalogue } from '@/lib/catalogue'
import { addLoad } from '@/lib/circuitEdit'
import { useWorkbench } from '@/lib/workbench'

const bench = useWorkbench()
const { catalogue } = useCatalogue()
const circuit = computed(() => bench.circuit!)
type Load = Circuit['loads'][number]
type Converter = Circuit['converters'][number]
const LAWS = [
  { value: 'current', title: 'steady current' },
  { value: 'resistance', title: 'lamp, heater: resistance' },
  { value: 'power', title: 'inverter, fridge: power' },
]
const setLoad = (id: string, patch: Partial<Load>) => bench.edit({ ...circuit.value, loads: circuit.value.loads.map((l) => (l.id === id ? { ...l, ...patch } : l)) })
const dropLoad = (id: string) => bench.edit({ ...circuit.value, loads: circuit.value.loads.filter((l) => l.id !== id) })
const setConverter = (id: string, patch: Partial<Converter>) => bench.edit({ ...circuit.value, converters: circuit.value.converters.map((c) => (c.id === id ? { ...c, ...patch } : c)) })
const nodes = computed(() => circuit.value.nodes.map((n) => ({ value: n.id, title: n.label })))
const wrong = (id: string, field: string) => bench.problems.filter((p) => p.element === id && p.field === field).map((p) => p.message)
const local = (key: string) => (message: string) => {
  if (message) bench.localProblems[key] = message
  else delete bench.localProblems[key]
}
</script>

<template>
  <div class="stack">
    <div v-for="load in circuit.loads" :key="load.id" class="pair" :data-load-editor="load.id">
      <v-text-field :model-value="load.label" :label="load.cranking ? 'Starter' : 'Load'" @update:model-value="$event && setLoad(load.id, { label: $event })" />
      <NumberField :model-value="load.current_a" label="Current" unit="A" :min="0.01" :max="2000" required @update:model-value="$event !== null && setLoad(load.id, { current_a: $event })" @problem="local(`${load.id}:a`)($event)" />
      <v-select :model-value="load.from_node" label="Fed from" :items="nodes" :error-messages="wrong(load.id, 'from_node')" @update:model-value="setLoad(load.id, { from_node: $event })" />
      <v-select :model-value="load.to_node" label="Returns to" :items="nodes" :error-messages="wrong(load.id, 'to_node')" @update:model-value="setLoad(load.id, { to_node: $event })" />
      <v-select :model-value="load.law" label="Takes a" :items="LAWS" @update:model-value="setLoad(load.id, { law: $event })" />
      <div class="row">
        <v-switch v-if="!load.cranking" :model-value="load.on" label="On" @update:model-value="setLoad(load.id, { on: $event === true })" />
        <span class="grow" /><v-btn variant="text" :aria-label="`Take out ${load.label}`" @click="dropLoad(load.id)">✕</v-btn>
      </div>
    </div>
    <div v-for="c in circuit.converters" :key="c.id" class="pair">
      <v-text-field :model-value="c.label" label="DC-DC charger" @update:model-value="$event && setConverter(c.id, { label: $event })" />
      <NumberField :model-value="c.limit_a" label="Output limit" unit="A" :min="1" :max="2000" required @update:model-value="$event !== null && setConverter(c.id, { limit_a: $event })" @problem="local(`${c.id}:a`)($event)" />
      <NumberField :model-value="c.set_point_v" label="Absorption" unit="V" :min="6" :max="60" required @update:model-value="$event !== null && setConverter(c.id, { set_point_v: $event })" @problem="local(`${c.id}:v`)($event)" />
      <NumberField :model-value="c.input_cut_off_v" label="Stops below" unit="V" :min="0" :max="60" required @update:model-value="$event !== null && setConverter(c.id, { input_cut_off_v: $event })" @problem="local(`${c.id}:cut`)($event)" />
    </div>
    <v-btn variant="outlined" data-test="add-load" :disabled="!catalogue" @click="catalogue && bench.edit(addLoad(circuit, catalogue.blank_load))">Add a load at the battery</v-btn>
  </div>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
  border-bottom: 1px solid var(--line);
  padding-bottom: 12px;
}
</style>
