<script setup lang="ts">
/** One test over the whole screen: what to do, where the probes go, the reading large enough to see from the bonnet. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, nextTick, reactive, ref, watch } from 'vue'
import { client, data } from '@/api/client'
import type { JudgedPoint, PointView, ProcedureView } from '@/api/types'
import LimitBar from '@/charts/LimitBar.vue'
import { useCatalogue } from '@/composables/catalogue'
import { draftOf, inputOf, repeatOf, useRunDraft } from '@/composables/job/readingsDraft'
import { useKeys } from '@/composables/keys'
import { useLive } from '@/composables/live'
import { useQuantities } from '@/composables/quantities'
import { useSession } from '@/composables/session'
import { useWorkbench } from '@/composables/workbench'
import CautionList from '@/ui/CautionList.vue'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import { overdue } from '@/ui/dates'
import FullScreen from '@/ui/FullScreen.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useBench } from './bench'
import CaptureDialog from './CaptureDialog.vue'
import LivePanel from './LivePanel.vue'
import RunField from './RunField.vue'
import RunGuide from './RunGuide.vue'
import StepClock from '@/ui/StepClock.vue'
import { useRunKeeping } from './runKeeping'
import { useStepClock } from '@/composables/stepClock'

const props = defineProps<{
  procedure: ProcedureView
  /** The version that it is made on; left out, the one as found. */
  circuitId?: number
  /** The reading that it begins with; left out, the first. */
  first?: string
}>()
const emit = defineEmits<{ close: [] }>()
const bench = useWorkbench()
const session = useSession()
const quantities = useQuantities()
const { madeOf } = useBench()
const { catalogue } = useCatalogue()
const readings = useRunDraft(bench.jobId, props.circuitId ? `${props.procedure.name} on ${props.circuitId}` : props.procedure.name)
const draft = readings.draft
const { busy, problem, conflict, says, keep, takeTheirs } = useRunKeeping(props.procedure.name, readings, props.circuitId)
if (!readings.dirty) readings.take(repeatOf(props.procedure.last))

const instruments = useQuery({ queryKey: ['instruments'], queryFn: () => data(client.GET('/api/instruments')) })
const recordOf = (p: PointView) => instruments.data.value?.instruments.find((r) => r.instrument.id === p.instrument)
const onCircuit = computed(() => props.circuitId ?? bench.asFound?.id)
/** What was said of the last run is of the circuit as found. */
const made = computed(() => (props.circuitId ? undefined : madeOf(props.procedure.name)))
const cautions = computed(() => catalogue.value?.cautions.filter((c) => props.procedure.cautions.includes(c.id)) ?? [])
const clear = ref(!props.procedure.cautions.length)
const tap = ref<{ $el: HTMLElement } | null>(null)
watch(tap, (button) => button?.$el.focus())
const focused = ref<string | null>(null)
const here = computed(() => props.procedure.points.find((p) => p.point.id === focused.value) ?? null)
const valueOf = (id: string) => draft.values[id]?.value ?? null
const given = computed(() => props.procedure.points.filter((p) => valueOf(p.point.id) !== null))

const clock = useStepClock(() => props.procedure.steps)
const live = useLive(() => {
  const p = here.value
  return clear.value && p && p.point.meter && recordOf(p)?.address
    ? {
        instrument: recordOf(p)!.instrument.id,
        state: p.point.state,
        red: p.point.red ?? '',
        black: p.point.black ?? '',
        element: p.point.element ?? '',
        quantity: p.point.quantity,
      }
    : null
})
function fill(p: PointView): void {
  const now = live.reading
  if (now?.value === null || now?.value === undefined) return
  readings.set(p.point.id, now.earned ?? now.value, {
    instrument: p.instrument,
    source: 'meter',
    spread: now.stable ? now.spread : null,
    at: new Date().toISOString(),
  })
}
/** The value on the meter into the field, and on to the next. */
function take(): void {
  const p = here.value
  if (!p || live.reading?.value === null || live.reading?.value === undefined) return
  fill(p)
  const all = fields()
  const at = all.findIndex((f) => f.closest('[data-point]')?.getAttribute('data-point') === p.point.id)
  void nextTick(() => all[at + 1]?.focus())
}
/** Readings with a time of their own are taken when they are due after the step's clock was started. */
const timed = computed(() => props.procedure.points.filter((p) => p.point.after_s !== null && p.point.after_s !== undefined))
watch(
  () => live.reading,
  (now) => {
    const passed = clock.passed()
    if (passed === null || !now || now.value === null || now.overload || now.lost) return
    const due = timed.value.find((p) => passed >= p.point.after_s! && passed <= p.point.after_s! + (p.point.late_s ?? 0))
    // What was typed stays: only an empty field is filled.
    if (due && valueOf(due.point.id) === null) fill(due)
  },
)
/** The reading that a captured waveform is looked at for. */
const captured = ref<PointView | null>(null)
function takeCapture(value: number, from: string): void {
  const p = captured.value
  captured.value = null
  if (!p) return
  readings.set(p.point.id, Number(value.toPrecision(4)), { instrument: p.instrument, source: 'capture', at: new Date().toISOString() })
  const words = `${p.point.label} from the capture ${from}.`
  if (!draft.note.includes(words)) draft.note = `${draft.note} ${words}`.trim()
  readings.touch()
}
const due = computed(() => [
  ...new Set(
    given.value
      .map((p) => recordOf(p)?.instrument)
      .filter((m) => overdue(m?.calibration_due))
      .map((m) => m!.label),
  ),
])
const local = reactive<Record<string, string>>({})
function noteProblem(point: string, message: string): void {
  if (message) local[point] = message
  else delete local[point]
}
/** Between what each reading passes, and what is said of those that stand here: asked anew whenever one changes. */
const judged = useQuery({
  queryKey: computed(() => ['judge', bench.jobId, onCircuit.value, bench.asFound?.lock, inputOf(props.procedure.name, draft).readings]),
  queryFn: () =>
    data(
      client.POST('/api/jobs/{job_id}/runs/judge', {
        params: { path: { job_id: bench.jobId } },
        body: { circuit_id: onCircuit.value!, run: inputOf(props.procedure.name, draft) },
      }),
    ),
  enabled: computed(() => onCircuit.value !== undefined),
  placeholderData: keepPreviousData,
  retry: false,
})
const judgedAt = (id: string) => judged.data.value?.points.find((p) => p.point === id) as JudgedPoint | undefined
/** What would only say where another reading is bad stands here once that one is; what was read stays. */
const asked = computed(() =>
  props.procedure.points.filter((p) => (judgedAt(p.point.id)?.asked ?? !p.point.if_bad) || valueOf(p.point.id) !== null),
)
/** The bar of the reading that is at hand: what is typed, or what the meter shows just now. */
const bar = computed(() => {
  const p = here.value
  const band = p && judgedAt(p.point.id)?.band
  if (!p || !band) return null
  const kind = quantities.of(p.point.quantity)
  const shown = (v: number | null | undefined) => (v === null || v === undefined ? null : v * (kind?.shown_per_unit ?? 1))
  return {
    least: shown(band.least),
    most: shown(band.most),
    value: shown(valueOf(p.point.id) ?? live.reading?.value),
    uncertainty: shown(judgedAt(p.point.id)?.judgement?.uncertainty) ?? 0,
    unit: kind?.shown_unit ?? '',
    digits: kind?.digits ?? 2,
  }
})
const form = ref<HTMLElement | null>(null)

function fields(): HTMLElement[] {
  return [...(form.value?.querySelectorAll<HTMLElement>('.ask input, button.answer') ?? [])]
}
function move(event: KeyboardEvent, by: number): void {
  event.preventDefault()
  const all = fields()
  const next = all[all.indexOf(event.target as HTMLElement) + by]
  if (next) {
    next.focus()
    if (next instanceof HTMLInputElement) next.select()
  } else if (by > 0) void save()
}
function begin(): void {
  clear.value = true
  const isFirst = (f: HTMLElement) => f.closest('[data-point]')?.getAttribute('data-point') === props.first
  void nextTick(() => (fields().find(isFirst) ?? fields()[0])?.focus())
}
function correct(): void {
  readings.take(draftOf(props.procedure.last))
}
async function save(skipped = '', asNew = false): Promise<void> {
  if (busy.value || !bench.mayWrite || Object.keys(local).length || (!skipped && !given.value.length)) return
  const kept = await keep({ skipped, asNew })
  if (!kept) return
  readings.take(repeatOf(kept))
  emit('close')
}
const reason = ref('')
const skipping = ref(false)
useKeys([
  { key: 'Ctrl+s', label: 'keep this test', run: () => void save(), always: true },
  { key: 'Ctrl+Enter', label: 'take what the connected meter shows', run: take, always: true },
  { key: 't', label: "start the step's clock", run: () => clock.start() },
])
</script>

<template>
  <FullScreen
    :title="procedure.title"
    :about="`${procedure.engine} · ${procedure.why}`"
    close-test="close-run"
    :data-run="procedure.name"
    @close="emit('close')"
  >
    <div class="two">
      <section class="stack">
        <CautionList v-if="!clear" :cautions="cautions">
          <v-btn ref="tap" color="error" data-test="run-clear" @click="begin">Seen, go on</v-btn>
        </CautionList>
        <StepClock :clock="clock" />
        <div class="watched stack">
          <LivePanel
            v-if="live.on && here"
            :reading="live.reading"
            :quantity="here.point.quantity"
            :place="here.point.id"
            :logging="timed.length > 0 && clock.began !== null"
            @take="take"
          />
          <LimitBar v-if="bar" v-bind="bar" />
        </div>
        <div ref="form" class="stack fields" :inert="!clear" :class="{ waiting: !clear }">
          <div v-if="procedure.last && !procedure.last.run.skipped && !draft.supersedes" class="row quiet">
            A repeat: the last run stays beside it.
            <v-btn variant="text" class="px-2" data-test="correct-run" @click="correct">Correct the last one instead</v-btn>
          </div>
          <p v-else-if="draft.supersedes" class="quiet ma-0">Corrects the last run; that one stays in the record and counts no more.</p>
          <RunField
            v-for="p in asked"
            :key="p.point.id"
            :at="p"
            :value="valueOf(p.point.id)"
            :here="focused === p.point.id"
            :error="says(p.point.id)"
            :judged="judgedAt(p.point.id)"
            :before="made?.judgements.filter((j) => j.point === p.point.id) ?? []"
            @set="readings.set(p.point.id, $event, { instrument: p.instrument, at: new Date().toISOString() })"
            @problem="noteProblem(p.point.id, $event)"
            @focus="focused = p.point.id"
            @move="move"
            @capture="captured = p"
          />
          <p v-if="due.length" class="due">✕ Calibration overdue: {{ due.join(', ') }}. The readings are kept and marked.</p>
          <p v-if="made?.overdue.length" class="due">
            Last time with a meter whose calibration was overdue: {{ made.overdue.join(', ') }}.
          </p>
          <div class="pair">
            <NumberField
              v-if="procedure.engine_runs"
              of="Run.engine_rpm"
              :model-value="draft.engine_rpm"
              label="Engine speed"
              unit="/min"
              hint="where it was noted"
              @update:model-value="readings.setCondition('engine_rpm', $event)"
              @problem="noteProblem('engine_rpm', $event)"
            />
            <NumberField
              of="Run.ambient_c"
              :model-value="draft.ambient_c"
              label="Air"
              measure="temperature"
              hint="where it was noted"
              @update:model-value="readings.setCondition('ambient_c', $event)"
              @problem="noteProblem('ambient_c', $event)"
            />
          </div>
          <v-text-field v-model="draft.note" label="Note" @update:model-value="readings.touch()" />
          <v-text-field
            v-if="session.may('record_for_others')"
            v-model="draft.measured_by"
            label="Measured by"
            :placeholder="session.me?.name"
            persistent-placeholder
            maxlength="80"
            data-test="measured-by"
            @update:model-value="readings.touch()"
          />
        </div>
      </section>
      <RunGuide class="guide" :procedure="procedure" :clock="clock" :here="here" :cautions="clear ? cautions : []" />
    </div>
    <template #foot>
      <div class="stack" :inert="!clear" :class="{ waiting: !clear }">
        <ProblemNotice :problem="problem" />
        <div class="row">
          <v-btn
            color="primary"
            :loading="busy"
            :disabled="!given.length || !bench.mayWrite || Object.keys(local).length > 0"
            data-test="keep-run"
            @click="save()"
            >Keep {{ given.length }} of {{ asked.length }}</v-btn
          >
          <v-btn variant="text" data-test="skip-run" @click="skipping = !skipping">Skip it</v-btn>
        </div>
        <div v-if="skipping" class="row">
          <v-text-field v-model="reason" label="Why is it skipped?" data-test="skip-reason" /><v-btn
            :disabled="!reason.trim()"
            @click="save(reason.trim())"
            >Skip</v-btn
          >
        </div>
      </div>
    </template>
    <CaptureDialog
      v-if="captured"
      :asks="captured.point.capture === 'ripple' ? 'ripple' : 'cranking'"
      :takes="captured.point.label"
      :engine-rpm="draft.engine_rpm"
      :place="{ state: captured.point.state, red: captured.point.red ?? '', black: captured.point.black ?? '' }"
      @close="captured = null"
      @take="takeCapture"
    />
    <ConflictDialog
      :problem="conflict"
      both="Keep both: mine as a run of its own"
      theirs="Take theirs"
      @keep-both="save('', true)"
      @take-theirs="takeTheirs"
      @later="conflict = null"
    />
  </FullScreen>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  gap: 22px;
  margin: 10px 0 16px;
  align-items: start;
}
/* Of a long list of places the value that is read, and where the probes go, stay in view. */
@media (min-width: 901px), (min-height: 1000px) {
  .watched {
    position: sticky;
    top: -14px;
    z-index: 2;
    background: rgb(var(--v-theme-background));
  }
  .fields :deep(input) {
    /* A field that is walked to does not end up under it. */
    scroll-margin: 420px 0 100px;
  }
}
@media (min-width: 901px) {
  .guide {
    position: sticky;
    top: -14px;
    max-height: calc(100dvh - 110px);
    overflow-y: auto;
  }
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.due {
  color: var(--fail);
  margin: 0;
}
.waiting {
  opacity: 0.5;
}
</style>
