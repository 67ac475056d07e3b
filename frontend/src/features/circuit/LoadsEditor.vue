<script setup lang="ts">
/** Loads and chargers of the circuit. */
import { computed } from 'vue'
import type { Circuit } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { removeElement } from '@/features/circuit/circuitEdit'
import { useWorkbench } from '@/composables/workbench'

const bench = useWorkbench()
const circuit = computed(() => bench.circuit!)
type Load = Circuit['loads'][number]
type Converter = Circuit['converters'][number]
const LAWS = [
  { value: 'current', title: 'steady current' },
  { value: 'resistance', title: 'lamp, heater: resistance' },
  { value: 'power', title: 'inverter, fridge: power' },
]
const setLoad = (id: string, patch: Partial<Load>) =>
  bench.edit({ ...circuit.value, loads: circuit.value.loads.map((l) => (l.id === id ? { ...l, ...patch } : l)) })
const drop = (list: 'loads' | 'converters' | 'chargers', id: string) => bench.edit(removeElement(circuit.value, list, id))
type Charger = Circuit['chargers'][number]
const setCharger = (id: string, patch: Partial<Charger>) =>
  bench.edit({ ...circuit.value, chargers: circuit.value.chargers.map((c) => (c.id === id ? { ...c, ...patch } : c)) })
const setConverter = (id: string, patch: Partial<Converter>) =>
  bench.edit({ ...circuit.value, converters: circuit.value.converters.map((c) => (c.id === id ? { ...c, ...patch } : c)) })
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
      <v-text-field
        :model-value="load.label"
        :label="load.cranking ? 'Starter' : 'Load'"
        @update:model-value="$event && setLoad(load.id, { label: $event })"
      />
      <NumberField
        of="Load.current_a"
        :model-value="load.current_a"
        label="Current"
        unit="A"
        required
        @update:model-value="$event !== null && setLoad(load.id, { current_a: $event })"
        @problem="local(`${load.id}:a`)($event)"
      />
      <v-select
        :model-value="load.from_node"
        label="Fed from"
        :items="nodes"
        :error-messages="wrong(load.id, 'from_node')"
        @update:model-value="setLoad(load.id, { from_node: $event })"
      />
      <v-select
        :model-value="load.to_node"
        label="Returns to"
        :items="nodes"
        :error-messages="wrong(load.id, 'to_node')"
        @update:model-value="setLoad(load.id, { to_node: $event })"
      />
      <v-select :model-value="load.law" label="Takes a" :items="LAWS" @update:model-value="setLoad(load.id, { law: $event })" />
      <NumberField
        of="Load.inrush_a"
        :model-value="load.inrush_a ?? null"
        label="When switched on"
        unit="A"
        hint="for a moment; empty: not known"
        @update:model-value="setLoad(load.id, { inrush_a: $event })"
        @problem="local(`${load.id}:inrush`)($event)"
      />
      <NumberField
        v-if="load.inrush_a"
        of="Load.inrush_s"
        :model-value="load.inrush_s ?? null"
        label="for"
        unit="s"
        required
        @update:model-value="$event !== null && setLoad(load.id, { inrush_s: $event })"
        @problem="local(`${load.id}:inrush-s`)($event)"
      />
      <div class="row">
        <v-switch v-if="!load.cranking" :model-value="load.on" label="On" @update:model-value="setLoad(load.id, { on: $event === true })" />
        <span class="grow" /><v-btn variant="text" :aria-label="`Take out ${load.label}`" @click="drop('loads', load.id)">✕</v-btn>
      </div>
    </div>
    <div v-for="c in circuit.converters" :key="c.id" class="pair">
      <v-text-field :model-value="c.label" label="DC-DC charger" @update:model-value="$event && setConverter(c.id, { label: $event })" />
      <NumberField
        of="BenchCharger.limit_a"
        :model-value="c.limit_a"
        label="Output limit"
        unit="A"
        required
        @update:model-value="$event !== null && setConverter(c.id, { limit_a: $event })"
        @problem="local(`${c.id}:a`)($event)"
      />
      <NumberField
        of="BenchCharger.set_point_v"
        :model-value="c.set_point_v"
        label="Absorption"
        unit="V"
        required
        @update:model-value="$event !== null && setConverter(c.id, { set_point_v: $event })"
        @problem="local(`${c.id}:v`)($event)"
      />
      <NumberField
        of="BenchCharger.input_cut_off_v"
        :model-value="c.input_cut_off_v"
        label="Stops below"
        unit="V"
        required
        @update:model-value="$event !== null && setConverter(c.id, { input_cut_off_v: $event })"
        @problem="local(`${c.id}:cut`)($event)"
      />
      <div class="row">
        <span class="grow" /><v-btn variant="text" :aria-label="`Take out ${c.label}`" @click="drop('converters', c.id)">✕</v-btn>
      </div>
    </div>
    <div v-for="c in circuit.chargers" :key="c.id" class="pair">
      <v-text-field :model-value="c.label" label="Bench charger" @update:model-value="$event && setCharger(c.id, { label: $event })" />
      <NumberField
        of="BenchCharger.limit_a"
        :model-value="c.limit_a"
        label="Output limit"
        unit="A"
        required
        @update:model-value="$event !== null && setCharger(c.id, { limit_a: $event })"
        @problem="local(`${c.id}:a`)($event)"
      />
      <NumberField
        of="BenchCharger.set_point_v"
        :model-value="c.set_point_v"
        label="Charging voltage"
        unit="V"
        required
        @update:model-value="$event !== null && setCharger(c.id, { set_point_v: $event })"
        @problem="local(`${c.id}:v`)($event)"
      />
      <div class="row">
        <span class="grow" /><v-btn variant="text" :aria-label="`Take out ${c.label}`" @click="drop('chargers', c.id)">✕</v-btn>
      </div>
    </div>
    <p v-if="!circuit.loads.length && !circuit.converters.length && !circuit.chargers.length" class="quiet ma-0">None yet.</p>
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
