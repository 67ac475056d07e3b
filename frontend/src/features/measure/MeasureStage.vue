<script setup lang="ts">
/** The tests of this circuit: what tells most now, and the drop test typed beside its branches, number keys and Enter. */
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { client, data } from '@/api/client'
import type { PointView, StageName } from '@/api/types'
import { draftOf, repeatOf } from '@/composables/job/readingsDraft'
import { useCatalogue } from '@/composables/catalogue'
import { useKeys } from '@/composables/keys'
import { useQuantities } from '@/composables/quantities'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import BenchFrame from '@/features/jobs/BenchFrame.vue'
import CautionStrip from '@/ui/CautionStrip.vue'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import { overdue } from '@/ui/dates'
import { fixed } from '@/ui/numbers'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import VerdictMark from '@/ui/VerdictMark.vue'
import { useBench } from './bench'
import { useRunKeeping } from './runKeeping'
import TestPlan from './TestPlan.vue'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const units = useUnits()
const { catalogue } = useCatalogue()
/** What is taken where nobody noted a temperature. */
const assumed = (field: 'engine_space_c' | 'ambient_c') => {
  const start = catalogue.value?.test_start[field]
  return start === undefined ? '' : `empty: ${fixed(units.temperatureOut(start), 0)} ${units.temperature}`
}
const quantities = useQuantities()
const { view } = useBench()
const readings = bench.readings
const draft = readings.draft
const { busy, problem, conflict, says, keep, takeTheirs } = useRunKeeping('charging_drops', readings)
const list = ref<HTMLElement | null>(null)
const focused = ref<string | null>(null)
const localProblems = ref<Record<string, string>>({})
const clear = ref(false)
const more = ref(false)

const procedure = computed(() => view.value?.procedures.find((p) => p.name === 'charging_drops') ?? null)
const points = computed(() => procedure.value?.points ?? [])
/** The output everything else is read at stands first and for itself. */
const output = computed(() => points.value[0] ?? null)
const rows = computed(() => points.value.slice(1))
const here = computed(() => points.value.find((p) => p.point.id === focused.value) ?? null)

const instruments = useQuery({ queryKey: ['instruments'], queryFn: () => data(client.GET('/api/instruments')) })
const register = computed(() => (instruments.data.value?.instruments ?? []).map((r) => r.instrument))
/** What a person chose instead of the server's choice, by kind. */
const chosen = ref<Record<string, string>>({})
const meterOf = (p: PointView) => chosen.value[p.point.meter] ?? p.instrument ?? null
const kinds = computed(() => [...new Set(points.value.map((p) => p.point.meter).filter((m) => m))])
const ofKind = (kind: string) => register.value.filter((i) => i.kind === kind)
const meterNow = (kind: string) => chosen.value[kind] ?? points.value.find((p) => p.point.meter === kind)?.instrument ?? null
const due = computed(() =>
  kinds.value.map((k) => register.value.find((i) => i.id === meterNow(k))).filter((i) => overdue(i?.calibration_due)),
)
const lacking = computed(() => kinds.value.filter((k) => instruments.data.value && !ofKind(k).length))

const consumers = computed(() => bench.circuit?.loads.filter((l) => !l.cranking) ?? [])
const isOn = (id: string) => draft.loads_on?.includes(id) ?? consumers.value.find((l) => l.id === id)?.on ?? false
function flip(id: string): void {
  const on = consumers.value.filter((l) => (l.id === id ? !isOn(id) : isOn(l.id))).map((l) => l.id)
  draft.loads_on = on
  readings.touch()
}
const banks = computed(() => [
  { value: null as string | null, title: 'no load bank' },
  ...(bench.circuit?.batteries ?? []).map((b) => ({ value: b.id as string | null, title: `load bank on ${b.label}` })),
])

const verdicts = computed(() => new Map((bench.judged?.findings.branches ?? []).map((b) => [b.branch_id, b.verdict])))
const sides = computed(() => new Map((bench.judged?.findings.sides ?? []).map((s) => [`${s.name}_v`, s.verdict])))
const verdictOf = (p: PointView) =>
  p.point.id.startsWith('drop_v:') ? verdicts.value.get(p.point.element ?? '') : sides.value.get(p.point.id)
const serverSays = (id: string) => bench.problems.find((x) => x.element === id)?.message ?? says(id)
const sideOf = (p: PointView) =>
  bench.judged?.findings.branches.find((b) => b.branch_id === p.point.element)?.side ?? p.point.id.split('_')[0]
const valueOf = (id: string) => draft.values[id]?.value ?? null
const typed = computed(() => Object.keys(draft.values).length)

function set(p: PointView, value: number | null): void {
  readings.set(p.point.id, value, { instrument: meterOf(p), at: value === null ? null : new Date().toISOString() })
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
function focusOn(p: PointView | null): void {
  focused.value = p?.point.id ?? null
  bench.selected = bench.circuit?.branches.some((b) => b.id === p?.point.element) ? (p?.point.element ?? null) : null
}
watch(
  () => bench.selected,
  (id) => {
    if (!id || here.value?.point.element === id) return
    void nextTick(() => list.value?.querySelector<HTMLInputElement>(`[data-walk="drop_v:${id}"] input`)?.focus())
  },
)

const ready = computed(() => bench.asFound !== null && !bench.circuitDirty)
const blocked = computed(() => Object.keys(localProblems.value).length > 0)
/** Without the output nothing can be brought to the rated one. */
const mayKeep = computed(
  () => !blocked.value && bench.mayWrite && output.value !== null && valueOf(output.value.point.id) !== null && typed.value > 1,
)
async function save(asNew = false): Promise<void> {
  if (!mayKeep.value) return
  const kept = await keep({ asNew })
  if (!kept) return
  readings.take(draftOf(kept))
  emit('go', 'findings')
}
function again(): void {
  readings.take(repeatOf(procedure.value?.last))
  void nextTick(() => fields()[0]?.focus())
}
/** The first field takes the focus as soon as there is one: the tests may still be on their way when the cautions were read. */
const waiting = ref(false)
function begin(): void {
  clear.value = waiting.value = true
}
watch(
  [waiting, procedure],
  () => {
    if (!waiting.value || !procedure.value) return
    waiting.value = false
    void nextTick(() => fields()[0]?.focus())
  },
  { flush: 'post' },
)
useKeys([
  { key: 'Ctrl+s', label: 'keep the readings', run: () => void save(), always: true },
  { key: 'm', label: 'to the first field', run: () => fields()[0]?.focus() },
])
</script>

<template>
  <BenchFrame :red="here?.red || null" :black="here?.black || null">
    <template v-if="!ready">
      <p class="panel ma-0">
        {{ bench.circuit ? 'Save the circuit first: readings refer to a saved one.' : 'Describe the circuit first.' }}
        <v-btn class="mt-2" color="primary" @click="emit('go', 'circuit')">To the circuit</v-btn>
      </p>
    </template>
    <template v-else>
      <TestPlan />
      <CautionStrip step="measure" :job-id="bench.jobId" gate @clear="clear = true" @confirmed="begin" />
      <div v-if="procedure" ref="list" class="panel stack tight" :class="{ waiting: !clear }" :inert="!clear">
        <div class="row">
          <h2 class="sleeve">{{ procedure.title }}</h2>
          <span class="grow" /><v-btn v-if="procedure.last" variant="text" class="px-2" data-test="measure-again" @click="again"
            >Measure again</v-btn
          >
        </div>
        <div class="pair">
          <NumberField
            v-if="output"
            :model-value="valueOf(output.point.id)"
            label="Output current"
            unit="A"
            :of="`reading.${output.point.quantity}`"
            required
            :data-walk="output.point.id"
            :error="serverSays(output.point.id)"
            @update:model-value="set(output, $event)"
            @problem="note('output', $event)"
            @keydown.enter.exact="move($event, 1)"
            @focusin="focusOn(output)"
          />
          <NumberField
            of="Run.engine_rpm"
            :model-value="draft.engine_rpm"
            label="Engine speed"
            unit="/min"
            data-walk="engine_rpm"
            @update:model-value="readings.setCondition('engine_rpm', $event)"
            @problem="note('speed', $event)"
            @keydown.enter.exact="move($event, 1)"
            @keydown.shift.enter="move($event, -1)"
            @focusin="focusOn(null)"
          />
        </div>
        <p class="quiet ma-0 small" data-test="conditions">{{ procedure.conditions }}</p>
        <div v-if="consumers.length" class="chips" role="group" aria-label="Loads that are on during the test">
          <button
            v-for="load in consumers"
            :key="load.id"
            type="button"
            class="chip"
            :class="{ on: isOn(load.id) }"
            :aria-pressed="isOn(load.id)"
            :data-load-on="load.id"
            @click="flip(load.id)"
          >
            {{ load.label }} {{ isOn(load.id) ? 'on' : 'off' }}
          </button>
        </div>
        <v-select
          v-model="draft.bank_on"
          :items="banks"
          label="Where the current goes"
          density="compact"
          data-test="bank"
          @update:model-value="readings.touch()"
        />
        <p class="how" aria-live="polite">{{ here?.how || 'Drops in mV; write 0.12v for volts. Enter: next.' }}</p>
        <div class="walk">
          <div v-for="p in rows" :key="p.point.id" class="stop" :class="[sideOf(p), { here: focused === p.point.id }]">
            <NumberField
              compact
              :model-value="valueOf(p.point.id)"
              :label="p.point.label"
              :unit="quantities.of(p.point.quantity)?.shown_unit ?? ''"
              :drop="p.point.quantity === 'voltage_drop'"
              :data-walk="p.point.id"
              :error="serverSays(p.point.id)"
              @update:model-value="set(p, $event)"
              @problem="note(p.point.id, $event)"
              @keydown.enter.exact="move($event, 1)"
              @keydown.shift.enter="move($event, -1)"
              @focusin="focusOn(p)"
            />
            <VerdictMark v-if="verdictOf(p) && valueOf(p.point.id) !== null" :verdict="verdictOf(p)!" :word="false" />
          </div>
        </div>
        <button type="button" class="fold" :aria-expanded="more" data-test="conditions-more" @click="more = !more">
          Meters, temperatures, note
        </button>
        <template v-if="more">
          <div class="pair">
            <v-select
              v-for="kind in kinds"
              :key="kind"
              :model-value="meterNow(kind)"
              :label="kind === 'clamp' ? 'Clamp' : 'Voltmeter'"
              :items="ofKind(kind).map((m) => ({ value: m.id, title: m.label }))"
              density="compact"
              @update:model-value="chosen[kind] = $event!"
            />
            <NumberField
              of="Run.engine_space_c"
              :model-value="draft.engine_space_c"
              label="Under the bonnet"
              measure="temperature"
              :hint="assumed('engine_space_c')"
              @update:model-value="readings.setCondition('engine_space_c', $event)"
              @problem="note('engine-space', $event)"
            />
            <NumberField
              of="Run.ambient_c"
              :model-value="draft.ambient_c"
              label="Around the vehicle"
              measure="temperature"
              :hint="assumed('ambient_c')"
              @update:model-value="readings.setCondition('ambient_c', $event)"
              @problem="note('ambient', $event)"
            />
          </div>
          <v-textarea v-model="draft.note" label="Note" rows="1" auto-grow @update:model-value="readings.touch()" />
        </template>
        <p v-if="lacking.length" class="due">
          The register has no {{ lacking.map((k) => k.replace('_', ' ')).join(' and no ') }}:
          <router-link to="/instruments">add one</router-link>, its accuracy decides the verdicts.
        </p>
        <p v-if="due.length" class="due">
          ✕ Calibration overdue: {{ due.map((m) => m?.label).join(', ') }}. <router-link to="/instruments">Instruments</router-link>
        </p>
        <ProblemNotice :problem="problem" />
        <div class="row foot">
          <v-btn color="primary" :loading="busy" :disabled="!mayKeep" data-test="save-test" @click="save()"
            >Keep {{ typed }} readings</v-btn
          >
          <span v-if="draft.supersedes && readings.dirty" class="quiet">carries on the last run; that one stays in the record</span>
        </div>
      </div>
    </template>
    <ConflictDialog
      :problem="conflict"
      both="Keep both: mine as a run of its own"
      theirs="Take theirs"
      @keep-both="save(true)"
      @take-theirs="takeTheirs"
      @later="conflict = null"
    />
  </BenchFrame>
</template>

<style scoped>
.tight {
  gap: 8px;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
.small {
  font-size: 0.84rem;
}
.walk {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(170px, 1fr));
  gap: 8px;
}
.stop {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px;
  align-items: center;
  border-left: 5px solid var(--line);
  padding-left: 6px;
}
/* A field that the focus walks to stands clear of the words above and the bar below. */
.stop :deep(input) {
  scroll-margin: 70px 0 80px;
}
.stop.feed {
  border-left-color: var(--copper);
}
.stop.return {
  border-left-color: var(--slate);
}
.stop.here {
  background: rgb(var(--v-theme-surface-variant));
}
.how {
  position: sticky;
  top: 0;
  z-index: 1;
  margin: 0;
  min-height: 2.6em;
  padding: 4px 8px;
  font-weight: 700;
  background: rgb(var(--v-theme-surface));
  border-bottom: 2px solid var(--copper);
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
}
.fold {
  min-height: 44px;
  text-align: left;
  text-decoration: underline;
}
.foot {
  position: sticky;
  bottom: 0;
  margin-bottom: -12px;
  padding: 4px 0 8px;
  z-index: 1;
  background: rgb(var(--v-theme-surface));
}
.waiting {
  opacity: 0.5;
}
.due {
  color: var(--excess);
  font-weight: 700;
  margin: 0;
}
</style>
