<script setup lang="ts">
/** Loads and chargers of the circuit. */
import { computed } from 'vue'
import { useWorkbench } from '@/composables/workbench'
import { patchPart, removeElement } from './circuitEdit'
import PartNumber from './PartNumber.vue'

const bench = useWorkbench()
const circuit = computed(() => bench.circuit!)
const LAWS = [
  { value: 'current', title: 'steady current' },
  { value: 'resistance', title: 'lamp, heater: resistance' },
  { value: 'power', title: 'inverter, fridge: power' },
]
/** What it is decides where it belongs. */
const ROLES = [
  { value: 'general', title: 'any consumer' },
  { value: 'engine_control', title: 'engine computer, coil driver' },
  { value: 'ignition_coils', title: 'ignition coils' },
  { value: 'winch', title: 'winch' },
]
const ENDS = [
  { field: 'from_node', label: 'Fed from' },
  { field: 'to_node', label: 'Returns to' },
] as const
type List = 'loads' | 'converters' | 'chargers'
const change = (list: List, id: string, patch: object) => bench.edit(patchPart(circuit.value, list, id, patch))
/** What brings a battery up, from another battery or from the mains. */
const LIMITS = [
  { field: 'limit_a', label: 'Output limit', unit: 'A' },
  { field: 'set_point_v', label: 'Absorption', unit: 'V' },
]
const STAGES = [
  { field: 'float_v', label: 'Float', unit: 'V', hint: 'empty: it goes on as it is', optional: true },
  { field: 'again_below_v', label: 'Begins anew below', unit: 'V', hint: 'empty: as most do', optional: true },
]
const FEEDS = [
  { value: 'mains', title: 'the mains, when plugged in' },
  { value: 'sun', title: 'the sun' },
]
const chargers = computed(() => [
  ...circuit.value.converters.map((part) => ({
    list: 'converters' as const,
    of: 'Converter',
    title: 'DC-DC charger',
    part,
    fields: [...LIMITS, ...STAGES, { field: 'input_cut_off_v', label: 'Stops below', unit: 'V' }],
  })),
  ...circuit.value.chargers.map((part) => ({
    list: 'chargers' as const,
    of: 'BenchCharger',
    title: part.fed_by === 'sun' ? 'Solar controller' : 'Mains charger',
    part,
    fields: [...LIMITS, ...STAGES],
  })),
])
const nodes = computed(() => circuit.value.nodes.map((n) => ({ value: n.id, title: n.label })))
const wrong = (id: string, field: string) => bench.problems.filter((p) => p.element === id && p.field === field).map((p) => p.message)
</script>

<template>
  <div class="stack">
    <div v-for="load in circuit.loads" :key="load.id" class="pair" :data-load-editor="load.id">
      <v-text-field
        :model-value="load.label"
        :label="load.cranking ? 'Starter' : 'Load'"
        @update:model-value="$event && change('loads', load.id, { label: $event })"
      />
      <PartNumber of="Load" field="current_a" label="Current" unit="A" :part="load" @change="change('loads', load.id, $event)" />
      <v-select
        v-for="end in ENDS"
        :key="end.field"
        :model-value="load[end.field]"
        :label="end.label"
        :items="nodes"
        :error-messages="wrong(load.id, end.field)"
        @update:model-value="change('loads', load.id, { [end.field]: $event })"
      />
      <v-select :model-value="load.law" label="Takes a" :items="LAWS" @update:model-value="change('loads', load.id, { law: $event })" />
      <v-select
        v-if="!load.cranking"
        :model-value="load.role"
        label="Is"
        :items="ROLES"
        :data-test="`role-${load.id}`"
        @update:model-value="change('loads', load.id, { role: $event })"
      />
      <PartNumber
        of="Load"
        field="inrush_a"
        label="When switched on"
        unit="A"
        hint="for a moment; empty: not known"
        optional
        :part="load"
        @change="change('loads', load.id, $event)"
      />
      <PartNumber
        v-if="load.inrush_a"
        of="Load"
        field="inrush_s"
        label="for"
        unit="s"
        :part="load"
        @change="change('loads', load.id, $event)"
      />
      <PartNumber
        v-if="!load.cranking"
        of="Load"
        field="on_s"
        label="Longest at a stretch"
        unit="s"
        hint="as a winch; empty: for good"
        optional
        :part="load"
        @change="change('loads', load.id, $event)"
      />
      <div class="row">
        <v-switch
          v-if="!load.cranking"
          :model-value="load.on"
          label="On"
          @update:model-value="change('loads', load.id, { on: $event === true })"
        />
        <span class="grow" /><v-btn
          variant="text"
          :aria-label="`Take out ${load.label}`"
          @click="bench.edit(removeElement(circuit, 'loads', load.id))"
          >✕</v-btn
        >
      </div>
    </div>
    <div v-for="c in chargers" :key="c.part.id" class="pair">
      <v-text-field
        :model-value="c.part.label"
        :label="c.title"
        @update:model-value="$event && change(c.list, c.part.id, { label: $event })"
      />
      <PartNumber v-for="f in c.fields" v-bind="f" :key="f.field" :of="c.of" :part="c.part" @change="change(c.list, c.part.id, $event)" />
      <v-select
        v-if="c.list === 'chargers'"
        :model-value="c.part.fed_by"
        label="Fed by"
        :items="FEEDS"
        @update:model-value="change('chargers', c.part.id, { fed_by: $event })"
      />
      <div class="row">
        <span class="grow" /><v-btn
          variant="text"
          :aria-label="`Take out ${c.part.label}`"
          @click="bench.edit(removeElement(circuit, c.list, c.part.id))"
          >✕</v-btn
        >
      </div>
    </div>
    <p v-if="!circuit.loads.length && !chargers.length" class="quiet ma-0">None yet.</p>
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
