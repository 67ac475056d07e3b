<script setup lang="ts">
/** One test over the whole screen: what to do, where the probes go, the reading large enough to see from the bonnet. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { useIntervalFn } from '@vueuse/core'
import { computed, nextTick, reactive, ref, watch } from 'vue'
import { client, data } from '@/api/client'
import type { JudgedPoint, PointView, ProcedureView, RunRecord } from '@/api/types'
import LimitBar from '@/charts/LimitBar.vue'
import LiveTrace from '@/charts/LiveTrace.vue'
import LoopView from '@/charts/LoopView.vue'
import { useCatalogue } from '@/composables/catalogue'
import { draftOf, inputOf, keepRun, repeatOf, useRunDraft } from '@/composables/job/readingsDraft'
import { useKeys } from '@/composables/keys'
import { useLive } from '@/composables/live'
import { useQuantities } from '@/composables/quantities'
import { useSaving } from '@/composables/saving'
import { useSession } from '@/composables/session'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import { overdue } from '@/ui/dates'
import FullScreen from '@/ui/FullScreen.vue'
import NumberField from '@/ui/NumberField.vue'
import { fixed } from '@/ui/numbers'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import VerdictMark from '@/ui/VerdictMark.vue'
import { useBench } from './bench'
import CaptureDialog from './CaptureDialog.vue'

const props = defineProps<{ procedure: ProcedureView }>()
const emit = defineEmits<{ close: [] }>()
const bench = useWorkbench()
const session = useSession()
const units = useUnits()
const quantities = useQuantities()
const { madeOf } = useBench()
const { catalogue, sizes } = useCatalogue()
const { busy, problem, conflict, save: saving, says } = useSaving()
const readings = useRunDraft(bench.jobId, props.procedure.name)
const draft = readings.draft
if (!readings.dirty) readings.take(repeatOf(props.procedure.last))

const instruments = useQuery({ queryKey: ['instruments'], queryFn: () => data(client.GET('/api/instruments')) })
const recordOf = (p: PointView) => instruments.data.value?.instruments.find((r) => r.instrument.id === p.instrument)
const made = computed(() => madeOf(props.procedure.name))
const cautions = computed(() => catalogue.value?.cautions.filter((c) => props.procedure.cautions.includes(c.id)) ?? [])
const clear = ref(!props.procedure.cautions.length)
const tap = ref<{ $el: HTMLElement }[] | { $el: HTMLElement } | null>(null)
watch(tap, (button) => (Array.isArray(button) ? button[0] : button)?.$el.focus())
const focused = ref<string | null>(null)
const here = computed(() => props.procedure.points.find((p) => p.point.id === focused.value) ?? null)
const valueOf = (id: string) => draft.values[id]?.value ?? null
const given = computed(() => props.procedure.points.filter((p) => valueOf(p.point.id) !== null))

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
/** What was shown since the meter is watched; the trace shows the last half minute. */
const trace = reactive<{ at: number[]; values: (number | null)[] }>({ at: [], values: [] })
const TRACE_MOST = 400
watch(
  () => [live.on, here.value?.point.id],
  () => Object.assign(trace, { at: [], values: [] }),
)
const unitNow = computed(() => (here.value ? quantities.of(here.value.point.quantity) : undefined))
watch(
  () => live.reading,
  (now) => {
    if (!now || now.lost) return
    trace.at.push(performance.now() / 1000)
    trace.values.push(now.value === null ? null : now.value * (unitNow.value?.shown_per_unit ?? 1))
    if (trace.at.length > TRACE_MOST) {
      trace.at.shift()
      trace.values.shift()
    }
  },
)
const shownLive = computed(() => {
  const now = live.reading
  if (!now || now.value === null || !here.value) return ''
  const quantity = unitNow.value
  const digits = now.digits ?? quantity?.digits ?? 2
  return `${fixed(now.value * (quantity?.shown_per_unit ?? 1), digits)} ${quantity?.shown_unit ?? now.unit}`
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
/** When the step's clock was started; readings with a time of their own are due so long after it. */
const began = ref<number | null>(null)
const timed = computed(() => props.procedure.points.filter((p) => p.point.after_s !== null && p.point.after_s !== undefined))
watch(
  () => live.reading,
  (now) => {
    if (began.value === null || !now || now.value === null || now.overload || now.lost) return
    const passed = (Date.now() - began.value) / 1000
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
  queryKey: computed(() => ['judge', bench.jobId, bench.asFound?.id, bench.asFound?.lock, inputOf(props.procedure.name, draft).readings]),
  queryFn: () =>
    data(
      client.POST('/api/jobs/{job_id}/runs/judge', {
        params: { path: { job_id: bench.jobId } },
        body: { circuit_id: bench.asFound!.id, run: inputOf(props.procedure.name, draft) },
      }),
    ),
  enabled: computed(() => bench.asFound !== null),
  placeholderData: keepPreviousData,
  retry: false,
})
const judgedAt = (id: string) => judged.data.value?.points.find((p) => p.point === id) as JudgedPoint | undefined
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
    uncertainty: shown(judgedAt(p.point.id)?.said?.uncertainty) ?? 0,
    unit: kind?.shown_unit ?? '',
    digits: kind?.digits ?? 2,
  }
})
const form = ref<HTMLElement | null>(null)

/** A step's clock: it runs down, and where the load has to come off it says so until somebody answers. */
const clock = reactive({ step: -1, left: 0, over: false, end: 0 })
const { resume, pause } = useIntervalFn(
  () => {
    clock.left = Math.max(0, (clock.end - Date.now()) / 1000)
    if (clock.left === 0) {
      pause()
      clock.over = true
    }
  },
  100,
  { immediate: false },
)
function start(k: number, seconds: number): void {
  Object.assign(clock, { step: k, left: seconds, over: false, end: Date.now() + seconds * 1000 })
  began.value = Date.now()
  resume()
}
const countdown = computed(() => props.procedure.steps.findIndex((s) => s.seconds > 0))
const clockWords = computed(() => {
  if (clock.over) return props.procedure.steps[clock.step]?.orders_off ? 'LOAD OFF' : 'Time is up'
  if (clock.left >= 120) return `${Math.floor(clock.left / 60)}:${String(Math.floor(clock.left % 60)).padStart(2, '0')} min`
  return `${clock.left.toFixed(clock.left < 20 ? 1 : 0)} s`
})

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
  void nextTick(() => fields()[0]?.focus())
}
function correct(): void {
  readings.take(draftOf(props.procedure.last))
}
async function save(skipped = '', asNew = false): Promise<void> {
  if (busy.value || !session.mayWrite || Object.keys(local).length || (!skipped && !given.value.length)) return
  const run = inputOf(props.procedure.name, asNew ? { ...draft, supersedes: null } : draft, skipped)
  let kept: RunRecord | null = null
  if (
    !(await saving(async () => {
      kept = await keepRun(bench, run)
    }))
  )
    return
  readings.take(repeatOf(kept))
  emit('close')
}
async function takeTheirs(): Promise<void> {
  readings.take(draftOf(conflict.value?.theirs as unknown as RunRecord))
  conflict.value = null
  await bench.reload()
}
const reason = ref('')
const skipping = ref(false)
useKeys([
  { key: 'Ctrl+s', label: 'keep this test', run: () => void save(), always: true },
  { key: 'Ctrl+Enter', label: 'take what the connected meter shows', run: take, always: true },
  {
    key: 't',
    label: "start the step's clock",
    run: () => countdown.value >= 0 && start(countdown.value, props.procedure.steps[countdown.value]!.seconds),
  },
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
        <ul v-if="cautions.length && !clear" class="cautions">
          <li v-for="c in cautions" :key="c.id" :class="{ grave: c.confirm }">{{ c.text }}</li>
          <li><v-btn ref="tap" color="error" data-test="run-clear" @click="begin">Seen, go on</v-btn></li>
        </ul>
        <div
          v-if="clock.step >= 0"
          class="clock"
          :class="{ over: clock.over && procedure.steps[clock.step]?.orders_off }"
          role="timer"
          data-test="clock"
        >
          <b>{{ clockWords }}</b>
          <v-btn v-if="clock.over" variant="outlined" @click="clock.step = -1">{{
            procedure.steps[clock.step]?.orders_off ? 'Load is off' : 'Go on'
          }}</v-btn>
        </div>
        <div v-if="live.on" class="live" :class="{ lost: live.reading?.lost }" data-test="live" aria-live="off">
          <template v-if="live.reading?.lost">{{ live.reading.lost }}</template>
          <template v-else-if="live.reading?.overload"><b>OVER RANGE</b> change the range rather than peg the meter</template>
          <template v-else-if="live.reading">
            <div class="row">
              <b>{{ shownLive }}</b>
              <span class="stack marks">
                <span v-if="timed.length && began !== null" data-test="logging">logged by itself</span>
                <span v-if="live.reading.held" class="held" data-test="held">no digit has moved: is the meter on hold?</span>
                <span v-else>{{ live.reading.stable ? '✓ at rest' : 'moving' }}</span>
                <v-btn variant="outlined" data-test="take" @click="take">Take (Ctrl+Enter)</v-btn>
              </span>
            </div>
            <LiveTrace :at="trace.at" :values="trace.values" :unit="unitNow?.shown_unit ?? ''" />
          </template>
          <template v-else>Connecting …</template>
        </div>
        <LimitBar v-if="bar" v-bind="bar" />
        <div ref="form" class="stack" :inert="!clear" :class="{ waiting: !clear }">
          <div v-if="procedure.last && !procedure.last.run.skipped && !draft.supersedes" class="row quiet">
            A repeat: the last run stays beside it.
            <v-btn variant="text" class="px-2" data-test="correct-run" @click="correct">Correct the last one instead</v-btn>
          </div>
          <p v-else-if="draft.supersedes" class="quiet ma-0">Corrects the last run; that one stays in the record and counts no more.</p>
          <div
            v-for="p in procedure.points"
            :key="p.point.id"
            class="ask"
            :class="{ here: focused === p.point.id }"
            :data-point="p.point.id"
          >
            <template v-if="quantities.of(p.point.quantity)?.yes_or_no">
              <span class="grow">{{ p.point.label }}</span>
              <button
                v-for="word in ['yes', 'no']"
                :key="word"
                type="button"
                class="answer"
                :class="{ on: valueOf(p.point.id) === (word === 'yes' ? 1 : 0) }"
                :aria-pressed="valueOf(p.point.id) === (word === 'yes' ? 1 : 0)"
                @focus="focused = p.point.id"
                @click="readings.set(p.point.id, word === 'yes' ? 1 : 0)"
              >
                {{ word }}
              </button>
            </template>
            <NumberField
              v-else
              class="big"
              :model-value="valueOf(p.point.id)"
              :label="p.point.label"
              :unit="quantities.of(p.point.quantity)?.shown_unit ?? ''"
              :drop="p.point.quantity === 'voltage_drop'"
              :per-unit="quantities.of(p.point.quantity)?.shown_per_unit"
              :error="says(p.point.id)"
              @update:model-value="readings.set(p.point.id, $event, { instrument: p.instrument, at: new Date().toISOString() })"
              @problem="noteProblem(p.point.id, $event)"
              @focusin="focused = p.point.id"
              @keydown.enter.exact="move($event, 1)"
              @keydown.shift.enter="move($event, -1)"
            />
            <v-btn v-if="p.point.capture" variant="outlined" :data-test="`capture-${p.point.capture}`" @click="captured = p"
              >From a capture</v-btn
            >
            <p v-if="judgedAt(p.point.id)?.said" class="said" :data-said="p.point.id">
              <VerdictMark :verdict="judgedAt(p.point.id)!.said!.verdict" /> {{ judgedAt(p.point.id)!.said!.why }}
              <span class="quiet">{{ judgedAt(p.point.id)!.said!.limit }}</span>
            </p>
            <small v-for="j in made?.judgements.filter((x) => x.point === p.point.id) ?? []" :key="j.point" class="before"
              >Last: {{ quantities.shown(j.quantity, j.value) }} <VerdictMark :verdict="j.verdict" :size="14" /> {{ j.why }}</small
            >
          </div>
          <p v-if="due.length" class="due">✕ Calibration overdue: {{ due.join(', ') }}. The readings are kept and marked.</p>
          <p v-if="made?.overdue.length" class="due">
            Last time with a meter whose calibration was overdue: {{ made.overdue.join(', ') }}.
          </p>
          <div class="pair">
            <NumberField
              of="Run.engine_rpm"
              :model-value="draft.engine_rpm"
              label="Engine speed"
              unit="/min"
              hint="where it was noted"
              @update:model-value="readings.setCondition('engine_rpm', $event)"
            />
            <NumberField
              of="Run.ambient_c"
              :model-value="draft.ambient_c"
              label="Air"
              :unit="units.temperature"
              :to-shown="units.temperatureOut"
              :from-shown="units.temperatureIn"
              hint="where it was noted"
              @update:model-value="readings.setCondition('ambient_c', $event)"
            />
          </div>
          <v-text-field v-model="draft.note" label="Note" @update:model-value="readings.touch()" />
          <ProblemNotice :problem="problem" />
          <div class="row">
            <v-btn
              color="primary"
              :loading="busy"
              :disabled="!given.length || !session.mayWrite || Object.keys(local).length > 0"
              data-test="keep-run"
              @click="save()"
              >Keep {{ given.length }} of {{ procedure.points.length }}</v-btn
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
      </section>
      <section class="stack guide">
        <ol class="steps">
          <li v-for="(s, k) in procedure.steps" :key="k">
            {{ s.text }}
            <v-btn v-if="s.seconds" size="small" variant="outlined" :data-clock="k" @click="start(k, s.seconds)">{{
              s.seconds < 120 ? `${s.seconds} s` : `${Math.round(s.seconds / 60)} min`
            }}</v-btn>
          </li>
        </ol>
        <p v-if="procedure.conditions" class="quiet ma-0">{{ procedure.conditions }}</p>
        <p v-if="here" class="probes">
          <b>{{ here.point.label }}</b><br />{{ here.how }}
        </p>
        <div class="panel">
          <LoopView
            v-if="bench.found && bench.foundCircuit"
            class="loop-of-run"
            :circuit="bench.foundCircuit"
            :findings="bench.found.findings"
            :layout="bench.found.pictures.loop"
            :sizes="sizes"
            :red="here?.point.red || null"
            :black="here?.point.black || null"
            :selected="bench.circuit?.branches.some((b) => b.id === here?.point.element) ? here?.point.element : null"
            compact
          />
        </div>
        <ul v-if="cautions.length && clear" class="cautions">
          <li v-for="c in cautions" :key="c.id" :class="{ grave: c.confirm }">{{ c.text }}</li>
        </ul>
      </section>
    </div>
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
      mine-hint=""
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
  margin-top: 10px;
  align-items: start;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
.big :deep(input) {
  font-size: 2.6rem;
  font-weight: 700;
  font-variant-numeric: tabular-nums;
  min-height: 72px;
}
.ask {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  border-left: 6px solid var(--line);
  padding-left: 10px;
}
.ask.here {
  border-left-color: var(--copper);
}
.ask .big {
  flex: 1 1 100%;
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
.answer {
  min-width: 84px;
  min-height: 56px;
  border: 1px solid var(--line);
  font-size: 1.2rem;
}
.answer.on {
  border: 3px solid currentColor;
  font-weight: 700;
}
.before {
  flex: 1 1 100%;
}
.steps li {
  margin-bottom: 8px;
}
.cautions {
  border: 1px solid var(--excess);
  border-left-width: 6px;
  padding: 8px 10px 8px 26px;
}
.cautions .grave {
  font-weight: 700;
}
.clock {
  display: flex;
  gap: 16px;
  align-items: center;
  border: 3px solid currentColor;
  padding: 6px 16px;
  font-size: 3.4rem;
}
.clock.over {
  color: #fff;
  background: #a3201d;
}
.live {
  display: flex;
  flex-wrap: wrap;
  gap: 18px;
  align-items: center;
  border: 2px solid currentColor;
  padding: 6px 16px;
  font-size: 1.2rem;
}
.live {
  flex-direction: column;
  align-items: stretch;
  gap: 4px;
}
.marks {
  gap: 6px;
  align-items: flex-start;
}
.loop-of-run {
  max-height: 38dvh;
}
.said {
  flex: 1 1 100%;
  margin: 0;
}
.guide {
  font-size: 1.05rem;
}
.live b {
  font-size: 5.4rem;
  line-height: 1.05;
  font-variant-numeric: tabular-nums;
  min-width: 5.2em;
}
.live.lost {
  color: var(--fail);
  font-weight: 700;
}
.probes {
  font-size: 1.2rem;
}
.waiting {
  opacity: 0.5;
}
</style>
