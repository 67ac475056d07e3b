<script setup lang="ts">
/** One bench test over the whole screen: what to do, where the probes go, the reading large enough to see from the bonnet. */
import { computed, nextTick, onBeforeUnmount, reactive, ref, watch } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument, ProcedureRun, ProcedureView } from '@/api/types'
import LoopView from '@/charts/LoopView.vue'
import FullScreen from '@/components/FullScreen.vue'
import NumberField from '@/components/NumberField.vue'
import ProblemNotice from '@/components/ProblemNotice.vue'
import VerdictMark from '@/components/VerdictMark.vue'
import { shown } from '@/lib/bench'
import { useCatalogue } from '@/lib/catalogue'
import { dropDraft, findDraft, keepDraft } from '@/lib/drafts'
import { useKeys } from '@/lib/keys'
import { overdue } from '@/lib/dates'
import { useSession } from '@/lib/session'
import { useUnits } from '@/lib/units'
import { useLive } from '@/lib/live'
import { useWorkbench } from '@/lib/workbench'
import CaptureDialog from './CaptureDialog.vue'

const props = defineProps<{ procedure: ProcedureView; keep: (run: ProcedureRun) => Promise<void> }>()
const emit = defineEmits<{ close: [] }>()
const bench = useWorkbench()
const session = useSession()
const units = useUnits()
const { catalogue, sizes } = useCatalogue()
const instruments = useQuery({ queryKey: ['instruments'], queryFn: () => data(client.GET('/api/instruments')) })
const key = `${bench.jobId}:run:${props.procedure.name}`
interface Draft {
  values: Record<string, number | null>
  note: string
  engine_rpm?: number | null
  ambient_c?: number | null
}
const draft = reactive<Draft>(findDraft<Draft>(key) ?? { values: {}, note: '', engine_rpm: props.procedure.last?.run.engine_rpm ?? null, ambient_c: props.procedure.last?.run.ambient_c ?? null })
watch(draft, (now) => keepDraft(key, now), { deep: true })

type Ask = ProcedureView['asks'][number]
const records = computed(() => instruments.data.value?.instruments ?? [])
const meters = computed(() => records.value.map((r) => r.instrument))
/** A connected meter goes before one that is read by eye. */
const recordOf = (a: Ask) => records.value.find((r) => r.instrument.kind === a.meter && r.address) ?? records.value.find((r) => r.instrument.kind === a.meter)
const meterOf = (a: Ask) => recordOf(a)?.instrument
const cautions = computed(() => catalogue.value?.cautions.filter((c) => props.procedure.cautions.includes(c.id)) ?? [])
const clear = ref(!props.procedure.cautions.length)
const tap = ref<{ $el: HTMLElement }[] | { $el: HTMLElement } | null>(null)
watch(tap, (button) => (Array.isArray(button) ? button[0] : button)?.$el.focus())
const focused = ref<string | null>(null)
const ask = computed(() => props.procedure.asks.find((a) => a.id === focused.value) ?? null)
const live = useLive(() => {
  const a = ask.value
  const record = a?.meter ? recordOf(a) : undefined
  return clear.value && a && record?.address ? { instrument: record.instrument.id, state: a.state, red: a.red, black: a.black, element: a.element } : null
})
/** The value on the meter into the field, and on to the next. */
function take(): void {
  const a = ask.value
  const now = live.reading
  if (!a || now?.value === null || now?.value === undefined) return
  draft.values[a.id] = Number(now.value.toPrecision(4))
  const all = fields()
  const at = all.findIndex((f) => f.closest('[data-ask]')?.getAttribute('data-ask') === a.id)
  void nextTick(() => all[at + 1]?.focus())
}
/** When the step's clock was started; readings with a time of their own are due so long after it. */
const began = ref<number | null>(null)
const timed = computed(() => props.procedure.asks.filter((a) => a.after_s !== null))
const GRACE_S = 60
watch(() => live.reading, (now) => {
  if (began.value === null || !now || now.value === null || now.overload || now.lost) return
  const passed = (Date.now() - began.value) / 1000
  const due = timed.value.find((a) => passed >= a.after_s! && passed < a.after_s! + GRACE_S)
  // What was typed stays: only an empty field is filled.
  if (due && (draft.values[due.id] ?? null) === null) draft.values[due.id] = Number(now.value.toPrecision(4))
})
/** The reading that a captured waveform is looked at for. */
const captured = ref<Ask | null>(null)
function takeCapture(value: number, from: string): void {
  const a = captured.value
  captured.value = null
  if (!a) return
  draft.values[a.id] = Number(value.toPrecision(4))
  const said = `${a.label} from the capture ${from}.`
  if (!draft.note.includes(said)) draft.note = `${draft.note} ${said}`.trim()
}
const dueMeters = computed(() => [...new Set(given.value.map(meterOf).filter((m) => overdue(m?.calibration_due)).map((m) => m!.label))])
const nodeOf = (id: string) => bench.circuit?.nodes.find((n) => n.id === id)?.label ?? id
const problem = ref<ProblemDocument | null>(null)
const local = reactive<Record<string, string>>({})
const busy = ref(false)
const form = ref<HTMLElement | null>(null)
const given = computed(() => props.procedure.asks.filter((a) => (draft.values[a.id] ?? null) !== null))
const serverSays = (id: string) => problem.value?.problems?.find((p) => p.element === id)?.message ?? ''

/** A step's clock: it runs down, and where the load has to come off it says so until somebody answers. */
const clock = reactive({ step: -1, left: 0, over: false })
let ticking = 0
function start(k: number, seconds: number): void {
  window.clearInterval(ticking)
  Object.assign(clock, { step: k, left: seconds, over: false })
  began.value = Date.now()
  const end = Date.now() + seconds * 1000
  ticking = window.setInterval(() => {
    clock.left = Math.max(0, (end - Date.now()) / 1000)
    if (clock.left === 0) {
      window.clearInterval(ticking)
      clock.over = true
    }
  }, 100)
}
onBeforeUnmount(() => window.clearInterval(ticking))
const countdown = computed(() => props.procedure.steps.findIndex((s) => s.seconds > 0))

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

async function save(skipped = ''): Promise<void> {
  if (busy.value || !session.mayWrite || Object.keys(local).length || (!skipped && !given.value.length)) return
  busy.value = true
  problem.value = null
  const used = skipped ? [] : given.value
  const readings = used.map((a) => ({ ask: a.id, value: draft.values[a.id]!, instrument: meterOf(a)?.id ?? null }))
  const ids = new Set(readings.map((r) => r.instrument))
  try {
    await props.keep({
      procedure: props.procedure.name, readings, instruments: meters.value.filter((m) => ids.has(m.id)), engine_rpm: draft.engine_rpm ?? null, ambient_c: draft.ambient_c ?? null, skipped, note: draft.note, measured_by: session.me?.name ?? '', measured_at: '',
    })
    dropDraft(key)
    emit('close')
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  } finally {
    busy.value = false
  }
}
const shownLive = computed(() => {
  const now = live.reading
  if (!now || now.value === null) return ''
  return ask.value?.drop ? `${(now.value * 1000).toFixed(0)} mV` : `${now.value.toFixed(now.unit.startsWith('V') ? 2 : 1)} ${now.unit}`
})
const reason = ref('')
const skipping = ref(false)
useKeys([
  { key: 'Ctrl+s', label: 'keep this test', run: () => void save(), always: true },
  { key: 'Ctrl+Enter', label: 'take what the connected meter shows', run: take, always: true },
  { key: 't', label: "start the step's clock", run: () => countdown.value >= 0 && start(countdown.value, props.procedure.steps[countdown.value]!.seconds) },
])
</script>

<template>
  <FullScreen :title="procedure.title" :about="`${procedure.engine} · ${procedure.why}`" close-test="close-run" :data-run="procedure.name" @close="emit('close')">
      <div v-if="clock.step >= 0" class="clock" :class="{ over: clock.over && procedure.steps[clock.step]?.orders_off }" role="timer" data-test="clock">
        <b>{{ clock.over ? (procedure.steps[clock.step]?.orders_off ? 'LOAD OFF' : 'Time is up') : clock.left >= 120 ? `${Math.floor(clock.left / 60)}:${String(Math.floor(clock.left % 60)).padStart(2, '0')} min` : `${clock.left.toFixed(clock.left < 20 ? 1 : 0)} s` }}</b>
        <v-btn v-if="clock.over" variant="outlined" @click="clock.step = -1">{{ procedure.steps[clock.step]?.orders_off ? 'Load is off' : 'Go on' }}</v-btn>
      </div>
      <div v-if="live.on" class="live" :class="{ lost: live.reading?.lost }" data-test="live" aria-live="off">
        <template v-if="live.reading?.lost">{{ live.reading.lost }}</template>
        <template v-else-if="live.reading?.overload"><b>OVER RANGE</b> change the range rather than peg the meter</template>
        <template v-else-if="live.reading"><b>{{ shownLive }}</b><span v-if="timed.length && began !== null" data-test="logging">logged by itself</span><span v-if="live.reading.held" class="held" data-test="held">no digit has moved: is the meter on hold?</span><span v-else>{{ live.reading.stable ? '✓ at rest' : 'moving' }}</span><v-btn variant="outlined" data-test="take" @click="take">Take (Ctrl+Enter)</v-btn></template>
        <template v-else>Connecting …</template>
      </div>
      <div class="two">
        <section class="stack">
          <ul v-if="cautions.length" class="cautions">
            <li v-for="c in cautions" :key="c.id" :class="{ grave: c.confirm }">{{ c.text }}</li>
            <li v-if="!clear"><v-btn ref="tap" color="error" data-test="run-clear" @click="begin">Seen, go on</v-btn></li>
          </ul>
          <ol class="steps">
            <li v-for="(s, k) in procedure.steps" :key="k">{{ s.text }}
              <v-btn v-if="s.seconds" size="small" variant="outlined" :data-clock="k" @click="start(k, s.seconds)">{{ s.seconds < 120 ? `${s.seconds} s` : `${Math.round(s.seconds / 60)} min` }}</v-btn>
            </li>
          </ol>
          <LoopView v-if="bench.judged && bench.judgedCircuit" :circuit="bench.judgedCircuit" :judged="bench.judged" :sizes="sizes" :red="ask?.red || null" :black="ask?.black || null" :selected="bench.circuit?.branches.some((b) => b.id === ask?.element) ? ask?.element : null" compact />
          <p v-if="ask?.red" class="probes">Red on <b>{{ nodeOf(ask.red) }}</b>, black on <b>{{ nodeOf(ask.black) }}</b></p>
          <p v-else-if="ask?.unit === 'A' && !ask.sign" class="probes">Clamp: <b>{{ ask.label }}</b></p>
        </section>
        <section ref="form" class="stack" :inert="!clear" :class="{ waiting: !clear }">
          <div v-for="a in procedure.asks" :key="a.id" class="ask" :class="{ here: focused === a.id }" :data-ask="a.id">
            <template v-if="a.unit === 'yes or no'">
              <span class="grow">{{ a.label }}</span>
              <button v-for="word in ['yes', 'no']" :key="word" type="button" class="answer" :class="{ on: draft.values[a.id] === (word === 'yes' ? 1 : 0) }" :aria-pressed="draft.values[a.id] === (word === 'yes' ? 1 : 0)" @focus="focused = a.id" @click="draft.values[a.id] = word === 'yes' ? 1 : 0">{{ word }}</button>
            </template>
            <NumberField
              v-else class="big" :model-value="draft.values[a.id] ?? null" :label="a.label" :unit="a.drop ? 'mV' : a.unit" :drop="a.drop" :error="serverSays(a.id)"
              @update:model-value="draft.values[a.id] = $event" @problem="(m: string) => { if (m) local[a.id] = m; else delete local[a.id] }" @focusin="focused = a.id" @keydown.enter.exact="move($event, 1)" @keydown.shift.enter="move($event, -1)"
            />
            <v-btn v-if="a.capture" variant="outlined" :data-test="`capture-${a.capture}`" @click="captured = a">From a capture</v-btn>
            <small v-for="j in procedure.judged.filter((x) => x.ask === a.id)" :key="j.ask" class="before">Last: {{ shown(j.value, j.unit) }} <VerdictMark :verdict="j.verdict" :size="14" /> {{ j.why }}</small>
          </div>
          <p v-if="dueMeters.length" class="due">✕ Calibration overdue: {{ dueMeters.join(', ') }}. The readings are kept and marked.</p>
          <p v-if="procedure.overdue.length" class="due">Last time with a meter whose calibration was overdue: {{ procedure.overdue.join(', ') }}.</p>
          <div class="pair">
            <NumberField :model-value="draft.engine_rpm ?? null" label="Engine speed" unit="/min" :min="0" :max="12000" hint="where it was noted" @update:model-value="draft.engine_rpm = $event" />
            <NumberField :model-value="draft.ambient_c ?? null" label="Air" :unit="units.temperature" :to-shown="units.temperatureOut" :from-shown="units.temperatureIn" :min="units.temperatureOut(-40)" :max="units.temperatureOut(60)" hint="where it was noted" @update:model-value="draft.ambient_c = $event" />
          </div>
          <v-text-field v-model="draft.note" label="Note" />
          <ProblemNotice :problem="problem" />
          <div class="row">
            <v-btn color="primary" :loading="busy" :disabled="!given.length || !session.mayWrite || Object.keys(local).length > 0" data-test="keep-run" @click="save()">Keep {{ given.length }} of {{ procedure.asks.length }}</v-btn>
            <v-btn variant="text" data-test="skip-run" @click="skipping = !skipping">Skip it</v-btn>
          </div>
          <div v-if="skipping" class="row"><v-text-field v-model="reason" label="Why is it skipped?" data-test="skip-reason" /><v-btn :disabled="!reason.trim()" @click="save(reason.trim())">Skip</v-btn></div>
        </section>
      </div>
      <CaptureDialog v-if="captured" :asks="captured.capture === 'ripple' ? 'ripple' : 'cranking'" :takes="captured.label" :engine-rpm="draft.engine_rpm" :place="{ state: captured.state, red: captured.red, black: captured.black }" @close="captured = null" @take="takeCapture" />
  </FullScreen>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
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
.live b {
  font-size: 3.4rem;
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
