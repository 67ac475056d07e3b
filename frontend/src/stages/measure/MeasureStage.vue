<script setup lang="ts">
/** The charging voltage-drop test: number keys and Enter; the focus walks along the loop. */
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Instrument, ProblemDocument, StageName, TestRecord } from '@/api/types'
import BenchFrame from '@/components/BenchFrame.vue'
import CautionStrip from '@/components/CautionStrip.vue'
import ConflictDialog from '@/components/ConflictDialog.vue'
import NumberField from '@/components/NumberField.vue'
import ProblemNotice from '@/components/ProblemNotice.vue'
import VerdictMark from '@/components/VerdictMark.vue'
import { useKeys } from '@/lib/keys'
import { useSession } from '@/lib/session'
import { useCatalogue } from '@/lib/catalogue'
import { overdue } from '@/lib/dates'
import { useUnits } from '@/lib/units'
import { useWorkbench } from '@/lib/workbench'
import TestPlan from './TestPlan.vue'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const session = useSession()
const units = useUnits()
const draft = bench.testDraft
const problem = ref<ProblemDocument | null>(null)
const conflict = ref<ProblemDocument | null>(null)
const busy = ref(false)
const list = ref<HTMLElement | null>(null)
const focused = ref<string | null>(null)
const localProblems = ref<Record<string, string>>({})

const { catalogue } = useCatalogue()
const instruments = useQuery({ queryKey: ['instruments'], queryFn: () => data(client.GET('/api/instruments')) })
const ofKind = (kind: Instrument['kind']) => (instruments.data.value?.instruments ?? []).map((r) => r.instrument).filter((i) => i.kind === kind)
const meters = computed(() => ofKind('voltmeter'))
const clamps = computed(() => ofKind('clamp'))
watch(
  [meters, clamps, catalogue],
  () => {
    draft.engine_space_c ??= catalogue.value?.test_start.engine_space_c ?? null
    draft.ambient_c ??= catalogue.value?.test_start.ambient_c ?? null
    draft.voltmeter ??= meters.value[0] ?? null
    draft.clamp ??= clamps.value[0] ?? null
    if (!draft.measured_by) draft.measured_by = session.me?.name ?? ''
  },
  { immediate: true },
)

const plan = computed(() => bench.judged?.plan ?? null)
const stops = computed(() => plan.value?.stops ?? [])
const probes = computed(() => (focused.value ? bench.probesOf(focused.value) : null))
const found = computed(() => new Map((bench.judged?.assessment.branches ?? []).map((b) => [b.branch_id, b])))
const side = (name: string) => bench.judged?.assessment.sides.find((s) => s.name === name)
const verdictOf = (key: string) => {
  const [quantity, branch] = key.split(':')
  if (quantity === 'branch_drop') return found.value.get(branch ?? '')?.verdict
  if (quantity === 'feed_drop') return side('feed')?.verdict
  if (quantity === 'return_drop') return side('return')?.verdict
  return undefined
}
const serverSays = (key: string) => bench.problems.find((p) => p.element === key)?.message ?? problem.value?.problems?.find((p) => p.element === key)?.message ?? ''
const dueMeters = computed(() => [draft.voltmeter, draft.clamp].filter((i): i is Instrument => overdue(i?.calibration_due)))
const clear = ref(false)

function setReading(key: string, value: number | null): void {
  draft.values[key] = value
  bench.touchTest()
}
function note(key: string, message: string): void {
  if (message) localProblems.value[key] = message
  else delete localProblems.value[key]
}
function fields(): HTMLInputElement[] {
  return [...(list.value?.querySelectorAll<HTMLInputElement>('[data-walk] input') ?? [])]
}
function move(event: KeyboardEvent, by: number): void {
  event.preventDefault()
  const all = fields()
  const next = all[all.indexOf(event.target as HTMLInputElement) + by]
  if (next) {
    next.focus()
    next.select()
  } else if (by > 0) void save()
}
function focusOn(key: string | null): void {
  focused.value = key
  const branch = key?.split(':')[1]
  bench.selected = branch ?? null
}
watch(
  () => bench.selected,
  (id) => {
    if (!id || focused.value?.endsWith(`:${id}`)) return
    void nextTick(() => list.value?.querySelector<HTMLInputElement>(`[data-walk="branch_drop:${id}"] input`)?.focus())
  },
)

const ready = computed(() => bench.asFound !== null && !bench.circuitDirty)
const blocked = computed(() => Object.keys(localProblems.value).length > 0)
async function save(asNew = false): Promise<void> {
  if (!session.mayWrite || blocked.value || !bench.test) return
  busy.value = true
  problem.value = null
  try {
    await bench.saveTest(asNew)
    conflict.value = null
    emit('go', 'read')
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    if (error.status === 409) conflict.value = error.problem
    else problem.value = error.problem
  } finally {
    busy.value = false
  }
}
async function takeTheirs(): Promise<void> {
  bench.takeTest(conflict.value?.theirs as unknown as TestRecord)
  conflict.value = null
  await bench.reload()
}
function again(): void {
  bench.takeTest(null)
  draft.voltmeter = meters.value[0] ?? null
  draft.clamp = clamps.value[0] ?? null
  draft.engine_space_c = catalogue.value?.test_start.engine_space_c ?? null
  draft.ambient_c = catalogue.value?.test_start.ambient_c ?? null
  draft.measured_by = session.me?.name ?? ''
}
function begin(): void {
  clear.value = true
  void nextTick(() => fields()[0]?.focus())
}
useKeys([
  { key: 'Ctrl+s', label: 'save the readings', run: () => void save(), always: true },
  { key: 'm', label: 'to the first field', run: () => fields()[0]?.focus() },
])
</script>

<template>
  <BenchFrame :red="probes?.red" :black="probes?.black">
    <template v-if="!ready">
      <p class="panel ma-0">{{ bench.circuit ? 'Save the circuit first: readings refer to a saved one.' : 'Describe the circuit first.' }}
        <v-btn class="mt-2" color="primary" @click="emit('go', 'circuit')">To the circuit</v-btn></p>
    </template>
    <template v-else>
      <TestPlan />
      <CautionStrip step="measure" :job-id="bench.jobId" gate @clear="clear = true" @confirmed="begin" />
      <div ref="list" class="panel stack" :class="{ waiting: !clear }" :inert="!clear">
        <div class="row"><h2 class="sleeve">Charging voltage drop</h2><span class="grow" /><span class="quiet">Enter: next</span></div>
        <div class="pair">
          <NumberField
            v-model="draft.output_current_a" label="Output current" unit="A" :min="1" :max="1000" required data-walk="output_current" :error="serverSays('output_current_a')"
            @update:model-value="bench.touchTest" @problem="note('output', $event)" @keydown.enter.exact="move($event, 1)" @focusin="focusOn(null)"
          />
          <NumberField
            v-model="draft.engine_speed_rpm" label="Engine speed" unit="/min" :min="100" :max="12000" required data-walk="engine_speed"
            @update:model-value="bench.touchTest" @problem="note('speed', $event)" @keydown.enter.exact="move($event, 1)" @keydown.shift.enter="move($event, -1)" @focusin="focusOn(null)"
          />
        </div>
        <p class="quiet ma-0" data-test="conditions">{{ plan?.conditions }} Drops in mV; write 0.12v for volts.</p>
        <div v-for="stop in stops" :key="stop.key" class="stop" :class="[stop.side, { here: focused === stop.key }]">
          <NumberField
            :model-value="draft.values[stop.key] ?? null" :label="stop.label" :unit="stop.unit" :drop="stop.unit === 'mV'" :data-walk="stop.key" :error="serverSays(stop.key)"
            @update:model-value="setReading(stop.key, $event)" @problem="note(stop.key, $event)" @keydown.enter.exact="move($event, 1)" @keydown.shift.enter="move($event, -1)" @focusin="focusOn(stop.key)"
          />
          <VerdictMark v-if="verdictOf(stop.key) && (draft.values[stop.key] ?? null) !== null" :verdict="verdictOf(stop.key)!" />
          <small v-if="focused === stop.key" class="how">{{ stop.how }}</small>
        </div>
        <div class="pair">
          <v-select
            :model-value="draft.voltmeter?.id" label="Voltmeter" :items="meters.map((m) => ({ value: m.id, title: m.label }))"
            @update:model-value="(id: string) => { draft.voltmeter = meters.find((m) => m.id === id) ?? null; bench.touchTest() }"
          />
          <v-select
            :model-value="draft.clamp?.id" label="Clamp" :items="clamps.map((m) => ({ value: m.id, title: m.label }))"
            @update:model-value="(id: string) => { draft.clamp = clamps.find((m) => m.id === id) ?? null; bench.touchTest() }"
          />
          <NumberField
            v-model="draft.engine_space_c" label="Under the bonnet" :unit="units.temperature" :to-shown="units.temperatureOut" :from-shown="units.temperatureIn" :min="units.temperatureOut(-40)" :max="units.temperatureOut(140)" required
            @update:model-value="bench.touchTest" @problem="note('engine-space', $event)"
          />
          <NumberField
            v-model="draft.ambient_c" label="Around the vehicle" :unit="units.temperature" :to-shown="units.temperatureOut" :from-shown="units.temperatureIn" :min="units.temperatureOut(-40)" :max="units.temperatureOut(60)" required
            @update:model-value="bench.touchTest" @problem="note('ambient', $event)"
          />
        </div>
        <p v-if="instruments.data.value && (!meters.length || !clamps.length)" class="due">The register has no {{ meters.length ? 'clamp' : 'voltmeter' }}: <router-link to="/instruments">add one</router-link>, its accuracy decides the verdicts.</p>
        <p v-if="dueMeters.length" class="due">✕ Calibration overdue: {{ dueMeters.map((m) => m.label).join(', ') }}. <router-link to="/instruments">Instruments</router-link></p>
        <v-text-field v-model="draft.measured_by" label="Measured by" @update:model-value="bench.touchTest" />
        <v-textarea v-model="draft.note" label="Note" rows="1" auto-grow @update:model-value="bench.touchTest" />
        <ProblemNotice :problem="problem" />
        <div class="row">
          <v-btn color="primary" :loading="busy" :disabled="blocked || !bench.test || !session.mayWrite" data-test="save-test" @click="save()">Save and read</v-btn>
          <v-btn v-if="draft.testId" variant="outlined" @click="again">Measure again</v-btn>
        </div>
      </div>
    </template>
    <ConflictDialog
      :problem="conflict" both="Keep both: save mine as another test" theirs="Take theirs" mine-hint="" @keep-both="save(true)" @take-theirs="takeTheirs" @later="conflict = null"
    />
  </BenchFrame>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
.stop {
  display: grid;
  grid-template-columns: 1fr minmax(96px, auto);
  gap: 2px 10px;
  align-items: center;
  border-left: 5px solid var(--line);
  padding-left: 8px;
}
.stop.feed {
  border-left-color: var(--copper);
}
.stop.return {
  border-left-color: var(--slate);
}
.how {
  grid-column: 1 / -1;
  font-weight: 700;
}
.waiting {
  opacity: 0.5;
}
.due {
  color: var(--excess);
  font-weight: 700;
}
</style>
