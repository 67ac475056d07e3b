<script setup lang="ts">
/** The circuit at a state of one's choice: drag the speed, switch loads, open switches, short a node; loop and stairs follow. */
import { computed, onBeforeUnmount, reactive, watch } from 'vue'
import type { ProblemDocument } from '@/api/types'
import ProblemNotice from '@/components/ProblemNotice.vue'
import { useCatalogue } from '@/lib/catalogue'
import { fixed, mv } from '@/lib/numbers'
import { useWorkbench } from '@/lib/workbench'

const bench = useWorkbench()
const emit = defineEmits<{ close: [] }>()
const circuit = computed(() => bench.circuit!)
const { catalogue } = useCatalogue()
/** The core says where one begins; the catalogue was there before the circuit could be drawn. */
const start = catalogue.value?.state_start
const state = reactive({
  rpm: start?.engine_rpm ?? 0, ambient: start?.ambient_c ?? 0, bonnet: start?.engine_space_c ?? 0, cranking: false, warm: true, fault: null as string | null,
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
const nodes = computed(() => [{ value: null, title: 'nowhere' }, ...circuit.value.nodes.map((n) => ({ value: n.id, title: n.label }))])

watch(
  [state, loads, contacts, () => bench.circuit],
  () => {
    const known = new Set([...circuit.value.loads, ...circuit.value.branches].map((e) => e.id))
    const only = (given: Record<string, boolean>) => Object.fromEntries(Object.entries(given).filter(([id]) => known.has(id)))
    const ground = circuit.value.alternators[0]!.case_node
    bench.tryState({
      engine_rpm: state.rpm,
      ambient_c: state.ambient,
      engine_space_c: state.bonnet,
      cranking: state.cranking,
      warmed_up: state.warm,
      loads_on: only(loads) as never,
      contacts: only(contacts) as never,
      fault: state.fault && state.fault !== ground ? { from_node: state.fault, to_node: ground, resistance_mohm: 1 } : null,
    })
  },
  { immediate: true, deep: true },
)
onBeforeUnmount(() => bench.tryState(null))

const solved = computed(() => bench.solved)
const trouble = computed<ProblemDocument | null>(() => bench.stateProblem)
/** Where the volts go: every branch by what it loses, the greatest first. */
const ranked = computed(() => [...(solved.value?.point.branches ?? [])].sort((a, b) => Math.abs(b.drop_v) * Number(b.closed) - Math.abs(a.drop_v) * Number(a.closed)).slice(0, 8))
const devices = computed(() => solved.value?.point.devices.filter((d) => d.kind !== 'converter_in') ?? [])
</script>

<template>
  <section class="panel stack" data-test="state-panel">
    <div class="row"><h2 class="sleeve">At this state</h2><span class="grow" /><v-btn variant="text" data-test="close-state" @click="emit('close')">Close</v-btn></div>
    <label class="slide">
      <span>Engine <b class="figures">{{ state.rpm }}</b> /min</span>
      <input v-model.number="state.rpm" type="range" min="0" max="6000" step="50" :disabled="state.cranking" data-test="state-rpm" aria-label="Engine speed" />
    </label>
    <label class="slide">
      <span>Around the vehicle <b class="figures">{{ state.ambient }}</b> °C</span>
      <input v-model.number="state.ambient" type="range" min="-30" max="50" step="1" aria-label="Temperature around the vehicle" />
    </label>
    <div class="chips">
      <button v-if="starters" type="button" class="chip" :aria-pressed="state.cranking" :class="{ on: state.cranking }" data-test="state-cranking" @click="state.cranking = !state.cranking">Cranking</button>
      <button type="button" class="chip" :aria-pressed="state.warm" :class="{ on: state.warm }" @click="state.warm = !state.warm">Cables warmed up</button>
      <button v-for="load in consumers" :key="load.id" type="button" class="chip" :aria-pressed="isOn(load.id)" :class="{ on: isOn(load.id) }" :data-load="load.id" @click="loads[load.id] = !isOn(load.id)">{{ load.label }} {{ load.current_a }} A</button>
      <button v-for="b in switches" :key="b.id" type="button" class="chip" :aria-pressed="isClosed(b.id)" :class="{ on: isClosed(b.id) }" :data-contact="b.id" @click="contacts[b.id] = !isClosed(b.id)">{{ b.label }}: {{ b.kind === 'voltage_link' ? (isClosed(b.id) ? 'was closed' : 'was open') : isClosed(b.id) ? 'closed' : 'open' }}</button>
    </div>
    <v-select v-model="state.fault" label="Dead short to the alternator case at" :items="nodes" data-test="state-fault" />
    <ProblemNotice :problem="trouble" />
    <template v-if="solved">
      <p v-for="note in solved.point.notes" :key="note" class="note">{{ note }}</p>
      <table class="figures" data-test="state-devices">
        <thead><tr><th>Gives and takes</th><th class="n">V</th><th class="n">A</th><th></th></tr></thead>
        <tbody>
          <tr v-for="d in devices" :key="d.device_id + d.kind" :data-device="d.device_id">
            <td>{{ d.label }}</td><td class="n">{{ fixed(d.volts, 2) }}</td><td class="n">{{ fixed(d.current_a, 1) }}</td>
            <td>{{ d.does }}<template v-if="d.limit_a !== null && d.does === 'at its limit'"> of {{ fixed(d.limit_a, 0) }} A</template></td>
          </tr>
        </tbody>
      </table>
      <table class="figures" data-test="state-volts">
        <thead><tr><th>Where the volts go</th><th class="n">mV</th><th class="n">A</th><th class="n">W</th></tr></thead>
        <tbody>
          <tr v-for="b in ranked" :key="b.branch_id" class="line" @click="bench.selected = b.branch_id">
            <td>{{ b.label }}<span v-if="!b.closed" class="quiet"> (open)</span></td><td class="n">{{ b.closed ? mv(Math.abs(b.drop_v)) : '–' }}</td><td class="n">{{ fixed(b.current_a, 1) }}</td><td class="n">{{ fixed(b.closed ? b.heat_w : 0, 1) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet ma-0">Predicted from the parts as fitted, sound; batteries as full as the circuit says. Given {{ fixed(solved.point.given_w, 0) }} W = taken {{ fixed(solved.point.taken_w, 0) }} W + lost in the leads {{ fixed(solved.point.lost_w, 0) }} W.</p>
    </template>
  </section>
</template>

<style scoped>
.slide {
  display: grid;
  gap: 2px;
}
.slide input {
  width: 100%;
  height: 44px;
  accent-color: var(--copper);
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
.note {
  margin: 0;
  border-left: 6px solid var(--excess);
  padding-left: 8px;
}
.line {
  cursor: pointer;
}
</style>
