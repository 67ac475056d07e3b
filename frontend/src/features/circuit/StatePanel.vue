<script setup lang="ts">
/** The circuit at a state of one's choice: drag the speed, switch loads, open switches, short a node; loop and stairs follow. */
import { computed, onBeforeUnmount, reactive, watch } from 'vue'
import type { DeadShort, ProblemDocument } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCatalogue } from '@/composables/catalogue'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import StateAnswer from './StateAnswer.vue'

const bench = useWorkbench()
const units = useUnits()
const emit = defineEmits<{ close: [] }>()
const circuit = computed(() => bench.circuit!)
const { catalogue } = useCatalogue()
/** The core says where one begins; the catalogue was there before the circuit could be drawn. */
const start = catalogue.value?.state_start
const state = reactive({
  engine_rpm: start?.engine_rpm ?? 0,
  ambient_c: start?.ambient_c ?? 0,
  engine_space_c: start?.engine_space_c ?? 0,
  cranking: false,
  warm: true,
  fault: null as string | null,
  watch: null as string | null,
})
const loads = reactive<Record<string, boolean>>({})
const contacts = reactive<Record<string, boolean>>({})

const switches = computed(() => circuit.value.branches.filter((b) => 'closed' in b || b.kind === 'voltage_link'))
const starters = computed(() => circuit.value.loads.some((l) => l.cranking))
const consumers = computed(() => circuit.value.loads.filter((l) => !l.cranking))
const isOn = (id: string) => loads[id] ?? circuit.value.loads.find((l) => l.id === id)?.on ?? true
const isClosed = (id: string) => {
  const branch = circuit.value.branches.find((b) => b.id === id)
  return contacts[id] ?? (branch && 'closed' in branch ? branch.closed : false)
}
const points = computed(() => circuit.value.nodes.map((n) => ({ value: n.id as string | null, title: n.label })))
const nodes = computed(() => [{ value: null, title: 'nowhere' }, ...points.value])
const places = computed(() => [{ value: null, title: 'the first battery' }, ...points.value])

watch(
  [state, loads, contacts, () => bench.circuit],
  () => {
    const known = new Set([...circuit.value.loads, ...circuit.value.branches].map((e) => e.id))
    const only = (given: Record<string, boolean>) => Object.fromEntries(Object.entries(given).filter(([id]) => known.has(id)))
    const ground = circuit.value.alternators[0]!.case_node
    bench.tryState({
      engine_rpm: state.engine_rpm,
      ambient_c: state.ambient_c,
      engine_space_c: state.engine_space_c,
      cranking: state.cranking,
      warmed_up: state.warm,
      loads_on: only(loads) as never,
      contacts: only(contacts) as never,
      watch_node: circuit.value.nodes.some((n) => n.id === state.watch) ? state.watch : null,
      fault: state.fault && state.fault !== ground ? ({ from_node: state.fault, to_node: ground } as DeadShort) : null,
    })
  },
  { immediate: true, deep: true },
)
onBeforeUnmount(() => bench.tryState(null))

const warmth = (c: number) => ({ shown: Math.round(units.temperatureOut(c)), unit: units.temperature })
const slides = computed(() =>
  (
    [
      { field: 'engine_rpm', label: 'Engine speed', shown: state.engine_rpm, unit: '/min' },
      { field: 'ambient_c', label: 'Around the vehicle', ...warmth(state.ambient_c) },
      { field: 'engine_space_c', label: 'Under the bonnet', ...warmth(state.engine_space_c) },
    ] as const
  ).map((s) => {
    const span = catalogue.value?.state_spans[s.field]
    return { ...s, span: span && { min: span.least, max: span.most, step: span.step } }
  }),
)
const trouble = computed<ProblemDocument | null>(() => bench.stateProblem)
</script>

<template>
  <section class="panel stack" data-test="state-panel">
    <div class="row">
      <h2 class="sleeve">At this state</h2>
      <span class="grow" /><v-btn variant="text" data-test="close-state" @click="emit('close')">Close</v-btn>
    </div>
    <div v-for="s in slides" :key="s.field">
      <span
        >{{ s.label }} <b class="value">{{ s.shown }}</b> {{ s.unit }}</span
      >
      <v-slider
        v-model="state[s.field]"
        v-bind="s.span"
        :disabled="s.field === 'engine_rpm' && state.cranking"
        :aria-label="s.label"
        :data-test="`state-${s.field}`"
      />
    </div>
    <div class="chips">
      <button
        v-if="starters"
        type="button"
        class="chip"
        :aria-pressed="state.cranking"
        :class="{ on: state.cranking }"
        data-test="state-cranking"
        @click="state.cranking = !state.cranking"
      >
        Cranking
      </button>
      <button type="button" class="chip" :aria-pressed="state.warm" :class="{ on: state.warm }" @click="state.warm = !state.warm">
        Cables warmed up
      </button>
      <button
        v-for="load in consumers"
        :key="load.id"
        type="button"
        class="chip"
        :aria-pressed="isOn(load.id)"
        :class="{ on: isOn(load.id) }"
        :data-load="load.id"
        @click="loads[load.id] = !isOn(load.id)"
      >
        {{ load.label }} {{ load.current_a }} A
      </button>
      <button
        v-for="b in switches"
        :key="b.id"
        type="button"
        class="chip"
        :aria-pressed="isClosed(b.id)"
        :class="{ on: isClosed(b.id) }"
        :data-contact="b.id"
        @click="contacts[b.id] = !isClosed(b.id)"
      >
        {{ b.label }}: {{ b.kind === 'voltage_link' ? (isClosed(b.id) ? 'was closed' : 'was open') : isClosed(b.id) ? 'closed' : 'open' }}
      </button>
    </div>
    <v-select v-model="state.fault" label="Fault here: dead short to the alternator case at" :items="nodes" data-test="state-fault" />
    <v-select v-model="state.watch" label="Voltage asked about" :items="places" data-test="state-watch" />
    <ProblemNotice :problem="trouble" />
    <StateAnswer v-if="bench.solved" :solved="bench.solved" />
  </section>
</template>

<style scoped>
.value {
  font-variant-numeric: tabular-nums;
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.chip {
  min-height: 44px;
  padding: 0 12px;
  border: 1px solid var(--line);
  border-radius: 3px;
}
.chip.on {
  border: 2px solid currentColor;
  font-weight: 700;
  background: rgb(var(--v-theme-surface-variant));
}
</style>
