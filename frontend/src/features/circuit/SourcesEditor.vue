<script setup lang="ts">
/** The alternators and the batteries. */
import { computed, ref } from 'vue'
import type { Circuit } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import { useWorkbench } from '@/composables/workbench'
import { patchPart, removeElement } from './circuitEdit'
import OutputCurve from './OutputCurve.vue'
import PartNumber from './PartNumber.vue'

const bench = useWorkbench()
const { catalogue } = useCatalogue()
const circuit = computed(() => bench.circuit!)
/** Alternators whose output over speed is looked at. */
const curves = ref<string[]>([])
type Battery = Circuit['batteries'][number]
const change = (list: 'alternators' | 'batteries', id: string, patch: object) => bench.edit(patchPart(circuit.value, list, id, patch))
</script>

<template>
  <div class="stack">
    <div v-for="a in circuit.alternators" :key="a.id" class="trio">
      <v-text-field
        :model-value="a.label"
        label="Alternator"
        @update:model-value="$event && change('alternators', a.id, { label: $event })"
      />
      <PartNumber
        v-for="f in [
          { field: 'rated_a', label: 'Rated output', unit: 'A' },
          { field: 'set_point_v', label: 'Set point', unit: 'V' },
          { field: 'pulley_ratio', label: 'Pulley ratio' },
        ]"
        v-bind="f"
        :key="f.field"
        of="Alternator"
        :part="a"
        @change="change('alternators', a.id, $event)"
      />
      <v-select
        v-if="a.kind === 'permanent_magnet'"
        :model-value="a.magnet_regulator"
        class="wide"
        label="Regulator"
        :items="[
          { value: 'shunt', title: 'Shunt: shorts what is not needed' },
          { value: 'series', title: 'Series: opens what is not needed' },
        ]"
        @update:model-value="change('alternators', a.id, { magnet_regulator: $event })"
      />
      <v-btn
        v-if="circuit.alternators.length > 1"
        variant="text"
        :aria-label="`Take out ${a.label}`"
        @click="bench.edit(removeElement(circuit, 'alternators', a.id))"
        >✕ take out</v-btn
      >
      <v-btn
        class="wide"
        variant="text"
        :aria-expanded="curves.includes(a.id)"
        :data-test="`curve-${a.id}`"
        @click="curves = curves.includes(a.id) ? curves.filter((id) => id !== a.id) : [...curves, a.id]"
        >Output over speed {{ curves.includes(a.id) ? '▴' : '▾' }}</v-btn
      >
      <OutputCurve v-if="curves.includes(a.id)" class="wide" :unit="a" />
    </div>
    <div v-for="b in circuit.batteries" :key="b.id" class="trio">
      <v-text-field :model-value="b.label" label="Battery" @update:model-value="$event && change('batteries', b.id, { label: $event })" />
      <v-select
        :model-value="b.chemistry"
        label="Chemistry"
        :items="(catalogue?.chemistries ?? []).map((c) => ({ value: c.name, title: c.label }))"
        @update:model-value="change('batteries', b.id, { chemistry: $event as Battery['chemistry'] })"
      />
      <PartNumber
        v-for="f in [
          { field: 'capacity_ah', label: 'Capacity', unit: 'Ah' },
          { field: 'cca_a', label: 'CCA', unit: 'A', optional: true },
          { field: 'internal_mohm', label: 'Internal R', unit: 'mΩ' },
          { field: 'state_of_charge', label: 'Charge', measure: 'percent' as const },
          { field: 'parallel', label: 'Side by side' },
          { field: 'temperature_c', label: 'Temperature', measure: 'temperature' as const },
        ]"
        v-bind="f"
        :key="f.field"
        of="Battery"
        :part="b"
        @change="change('batteries', b.id, $event)"
      />
      <v-btn
        v-if="circuit.batteries.length > 1"
        variant="text"
        :aria-label="`Take out ${b.label}`"
        @click="bench.edit(removeElement(circuit, 'batteries', b.id))"
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
.wide {
  grid-column: 1 / -1;
}
</style>
