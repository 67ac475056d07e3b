<script setup lang="ts">
/** Captured waveforms: load a file, look at it from afar and near, ask what it says, take that as the reading. */
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { CaptureStretch, CrankCapture, ProblemDocument, Ripple } from '@/api/types'
import CaptureView from '@/charts/CaptureView.vue'
import FullScreen from '@/ui/FullScreen.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCaptures } from '@/features/measure/captures'
import { useBench } from './bench'
import { useKeys } from '@/composables/keys'
import { fixed } from '@/ui/numbers'
import { useWorkbench } from '@/composables/workbench'

/** What is asked of the capture; `takes` where a reading waits for the answer. */
const props = defineProps<{
  asks: 'ripple' | 'cranking'
  takes?: string
  engineRpm?: number | null
  place?: { state: string; red: string; black: string }
}>()
const emit = defineEmits<{ close: []; take: [value: number, from: string] }>()
const bench = useWorkbench()
const { captures, sending, load, fetch, stop, remove } = useCaptures(bench.jobId)

const what = ref(props.asks)
const options = reactive({ channel: '', interval_s: null as number | null, full_scale_v: null as number | null, factor: 1 })
const unsaid = ref(false)
const chosen = ref<number | null>(null)
function removeChosen(id: number): void {
  void remove(id)
  chosen.value = null
}
const capture = computed(() => captures.value.find((c) => c.id === chosen.value) ?? null)
watch(
  captures,
  (all) => {
    if (chosen.value === null) chosen.value = all[0]?.id ?? null
  },
  { immediate: true },
)

const input = ref<HTMLInputElement | null>(null)
let last: File | null = null
async function bring(file: File | null | undefined): Promise<void> {
  if (!file) return
  last = file
  const id = await load(file, options)
  if (id !== null) chosen.value = id
  if (input.value) input.value.value = ''
}
/** What a connected oscilloscope captures: many pulses, or all of a start. */
const { view } = useBench()
const secondsOf = (kind: string) =>
  view.value?.procedures.flatMap((p) => p.points).find((p) => p.point.capture === kind)?.point.capture_s ?? 1
const instruments = useQuery({ queryKey: ['instruments'], queryFn: () => data(client.GET('/api/instruments')) })
const scope = computed(
  () => instruments.data.value?.instruments.find((r) => r.instrument.kind === 'oscilloscope' && r.address)?.instrument ?? null,
)
const kinds = computed(() => (['ripple', 'cranking'] as const).filter((k) => !props.takes || k === props.asks))
async function captureNow(kind: 'ripple' | 'cranking'): Promise<void> {
  if (!scope.value) return
  what.value = kind
  const id = await fetch({
    instrument: scope.value.id,
    seconds: secondsOf(kind),
    state: props.place?.state ?? (kind === 'ripple' ? 'fast_loaded' : 'cranking'),
    red: props.place?.red ?? '',
    black: props.place?.black ?? '',
  })
  if (id !== null) chosen.value = id
}
/** The same file again, another channel of it, or with what it did not say. */
const again = () => void bring(last)

const stretch = ref<CaptureStretch | null>(null)
const ripple = ref<Ripple | null>(null)
const crank = ref<CrankCapture | null>(null)
const problem = ref<ProblemDocument | null>(null)
const speed = reactive({ engine_rpm: props.engineRpm ?? null, pole_pairs: null as number | null })
const path = computed(() => ({ job_id: bench.jobId, capture_id: chosen.value ?? 0 }))
async function look(from_s?: number, to_s?: number): Promise<void> {
  try {
    stretch.value = await data(
      client.GET('/api/jobs/{job_id}/captures/{capture_id}/view', { params: { path: path.value, query: { from_s, to_s, points: 1000 } } }),
    )
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  }
}
let latestTurn = 0
async function judge(): Promise<void> {
  const turn = ++latestTurn
  ripple.value = crank.value = problem.value = null
  if (capture.value?.state !== 'ready') return
  try {
    if (what.value === 'ripple') {
      const query = { engine_rpm: speed.engine_rpm ?? undefined, pole_pairs: speed.pole_pairs ?? undefined }
      const answer = await data(client.GET('/api/jobs/{job_id}/captures/{capture_id}/ripple', { params: { path: path.value, query } }))
      if (turn === latestTurn) ripple.value = answer
    } else {
      const answer = await data(client.GET('/api/jobs/{job_id}/captures/{capture_id}/cranking', { params: { path: path.value } }))
      if (turn === latestTurn) crank.value = answer
    }
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    if (turn === latestTurn) problem.value = error.problem
  }
}
watch(
  () => [chosen.value, capture.value?.state, (capture.value?.samples ?? 0) > 0] as const,
  ([now, , drawn], before) => {
    if (now !== before?.[0]) stretch.value = null
    if (drawn) void look()
    void judge()
  },
  { immediate: true },
)
watch([what, speed], judge)
const whole = computed(
  () =>
    !stretch.value ||
    !capture.value ||
    stretch.value.to_s - stretch.value.from_s >= capture.value.samples * capture.value.interval_s * 0.999,
)
function nearer(by: number): void {
  const now = stretch.value
  if (!now) return
  const middle = (now.from_s + now.to_s) / 2
  const half = ((now.to_s - now.from_s) / 2) * by
  void look(middle - half, middle + half)
}
function along(by: number): void {
  const now = stretch.value
  if (!now) return
  const step = (now.to_s - now.from_s) * by
  void look(now.from_s + step, now.to_s + step)
}
const levels = computed(() =>
  crank.value && what.value === 'cranking'
    ? [
        { volts: crank.value.least_v, name: 'least' },
        { volts: crank.value.rest_v, name: 'rest' },
      ]
    : [],
)
const reading = computed(() => (what.value === 'ripple' ? (ripple.value?.ripple_vpp ?? null) : (crank.value?.least_v ?? null)))
const busy = computed(() => capture.value?.state === 'reading')
const rate = (s: number) =>
  1 / s >= 1e6 ? `${fixed(1e-6 / s, 1)} MHz` : 1 / s >= 1000 ? `${fixed(1e-3 / s, 1)} kHz` : `${fixed(1 / s, 1)} Hz`
useKeys([
  { key: '+', label: 'nearer', run: () => nearer(0.5) },
  { key: '-', label: 'farther', run: () => nearer(2) },
  { key: 'ArrowLeft', label: 'earlier', run: () => along(-0.5) },
  { key: 'ArrowRight', label: 'later', run: () => along(0.5) },
  { key: '0', label: 'all of the capture', run: () => void look() },
])
</script>

<template>
  <FullScreen
    title="Captures"
    about="from a connected oscilloscope, or a file: CSV, WAV, session"
    close-test="close-captures"
    data-test="captures"
    @close="emit('close')"
    @dragover.prevent
    @drop.prevent="bring($event.dataTransfer?.files[0])"
  >
    <div class="two">
      <section class="stack">
        <input
          ref="input"
          type="file"
          class="d-sr-only"
          tabindex="-1"
          aria-label="Capture file"
          data-test="capture-file"
          @change="bring(($event.target as HTMLInputElement).files?.[0])"
        />
        <template v-if="scope && bench.mayWrite">
          <v-btn v-for="k in kinds" :key="k" color="primary" :data-test="`fetch-${k}`" :disabled="busy" @click="captureNow(k)">{{
            k === 'ripple' ? `Capture ripple, ${secondsOf(k)} s` : `Capture a start, ${secondsOf(k)} s`
          }}</v-btn>
          <small class="quiet"
            >{{ scope.label }} captures from the tap on{{
              kinds.includes('cranking') ? ': for a start, tap first, then turn the key' : ''
            }}.</small
          >
        </template>
        <v-btn
          :color="scope ? undefined : 'primary'"
          :variant="scope ? 'outlined' : 'flat'"
          :disabled="!bench.mayWrite || sending.share !== null"
          @click="input?.click()"
          >Load a file</v-btn
        >
        <div v-if="sending.share !== null" class="stack" role="status">
          <span>Sending, {{ fixed(sending.share * 100, 0) }} %</span><v-progress-linear :model-value="sending.share * 100" height="10" />
          <v-btn variant="outlined" data-test="stop-sending" @click="stop">Stop</v-btn>
        </div>
        <ProblemNotice :problem="sending.problem" />
        <button type="button" class="link" :aria-expanded="unsaid" @click="unsaid = !unsaid">What the file does not say</button>
        <template v-if="unsaid">
          <NumberField
            :model-value="options.factor"
            of="CaptureOptions.factor"
            label="Probe divides by"
            hint="10 for a 10:1 probe that the scope was not told of"
            @update:model-value="options.factor = $event ?? 1"
          />
          <NumberField
            of="CaptureOptions.interval_s"
            :model-value="options.interval_s"
            label="Between samples"
            unit="ms"
            :per-unit="1000"
            hint="for a table without times"
            @update:model-value="options.interval_s = $event"
          />
          <NumberField
            :model-value="options.full_scale_v"
            label="Full scale of a sound file"
            of="CaptureOptions.full_scale_v"
            unit="V"
            hint="what its largest number stands for"
            @update:model-value="options.full_scale_v = $event"
          />
          <v-btn v-if="last" variant="outlined" @click="again">Read the file again</v-btn>
        </template>
        <button
          v-for="c in captures"
          :key="c.id"
          type="button"
          class="one"
          :class="{ on: c.id === chosen }"
          :data-capture="c.id"
          :data-state="c.state"
          @click="chosen = c.id"
        >
          <b>{{ c.name }}</b>
          <small class="quiet"
            ><template v-if="c.state === 'ready'"
              >{{ c.channel }}, {{ c.samples.toLocaleString('en') }} samples at {{ rate(c.interval_s) }}</template
            ><template v-else-if="c.state === 'reading'">reading, {{ fixed(c.progress * 100, 0) }} %</template
            ><template v-else>{{ c.state === 'failed' ? 'not read' : c.state }}</template></small
          >
        </button>
        <p v-if="!captures.length && sending.share === null" class="quiet ma-0">
          Nothing is loaded yet. Capture a second at the stud for ripple, or ten seconds at the posts from before the key is turned.
        </p>
      </section>
      <section class="stack">
        <template v-if="capture">
          <div v-if="busy" class="stack" role="status">
            <b>Reading {{ capture.name }}, {{ fixed(capture.progress * 100, 0) }} %</b
            ><v-progress-linear :model-value="capture.progress * 100" height="10" />
            <v-btn variant="outlined" data-test="stop-reading" @click="removeChosen(capture.id)">Stop</v-btn>
            <CaptureView v-if="stretch" :from-s="stretch.from_s" :to-s="stretch.to_s" :least="stretch.least_v" :most="stretch.most_v" />
          </div>
          <p v-else-if="capture.state !== 'ready'" class="fault" data-test="capture-problem">
            <b>This file was not read.</b> {{ capture.problem }}
          </p>
          <template v-else>
            <CaptureView
              v-if="stretch"
              :from-s="stretch.from_s"
              :to-s="stretch.to_s"
              :least="stretch.least_v"
              :most="stretch.most_v"
              :levels="levels"
              @zoom="look"
            />
            <div class="row">
              <v-btn variant="outlined" :disabled="whole" data-test="whole" @click="look()">All of it (0)</v-btn
              ><v-btn variant="outlined" @click="nearer(0.5)">Nearer (+)</v-btn>
              <span class="quiet grow">Drag over a stretch to see it nearer; arrows move along.</span>
              <a :href="`/api/jobs/${bench.jobId}/captures/${capture.id}/samples.parquet`" class="link" download>Parquet</a>
              <v-btn v-if="bench.mayWrite" variant="text" @click="removeChosen(capture.id)">Delete</v-btn>
            </div>
            <p v-for="n in capture.notes" :key="n" class="quiet ma-0">{{ n }}</p>
            <p v-if="capture.channels.length > 1" class="quiet ma-0">
              Channels in the file: {{ capture.channels.join(', ') }}.
              <v-select
                v-if="last"
                v-model="options.channel"
                :items="capture.channels"
                label="Another channel"
                @update:model-value="again"
              />
            </p>
            <v-btn-toggle v-model="what" mandatory variant="outlined"
              ><v-btn value="ripple">Ripple</v-btn><v-btn value="cranking">Cranking</v-btn></v-btn-toggle
            >
            <ProblemNotice :problem="problem" />
            <div v-if="what === 'ripple'" class="pair">
              <NumberField
                :model-value="speed.engine_rpm"
                label="Engine speed"
                unit="/min"
                of="RippleConditions.engine_rpm"
                hint="with it a lost phase can always be told"
                @update:model-value="speed.engine_rpm = $event"
              />
              <NumberField
                :model-value="speed.pole_pairs"
                label="Pole pairs of the alternator"
                of="RippleConditions.pole_pairs"
                hint="empty: 6, as in most; 8 in some, the maker's data says"
                @update:model-value="speed.pole_pairs = $event !== null && Number.isInteger($event) ? $event : null"
              />
            </div>
            <template v-if="ripple && what === 'ripple'">
              <div class="row">
                <span class="value" data-test="ripple-vpp">{{ fixed(ripple.ripple_vpp, 3) }} V p-p</span
                ><span class="say" :class="ripple.pulses" data-test="pulses">{{
                  {
                    even: '✓ even pulses',
                    diode: '✗ a diode is open or shorted',
                    phase: '✗ a phase is missing',
                    flat: 'no ripple',
                    unclear: '? unclear',
                    unsteady: '? no steady pulses',
                    too_few: '? too few samples',
                  }[ripple.pulses]
                }}</span>
              </div>
              <p class="ma-0">
                {{ ripple.words }}
                <span class="quiet">Spikes up to {{ fixed(ripple.spikes_vpp, 2) }} V; mean {{ fixed(ripple.mean_v, 2) }} V.</span>
              </p>
              <CaptureView
                :from-s="0"
                :to-s="ripple.frequency_hz.at(-1) ?? 1"
                :least="ripple.amplitude_v.map(() => 0)"
                :most="ripple.amplitude_v"
                along="Hz"
              />
            </template>
            <template v-if="crank && what === 'cranking'">
              <div class="row">
                <span class="value" data-test="crank-least">{{ fixed(crank.least_v, 2) }} V</span><span>least while cranking</span>
              </div>
              <p class="ma-0">{{ crank.words }}</p>
            </template>
            <v-btn
              v-if="takes && reading !== null && what === asks"
              color="primary"
              data-test="take-capture"
              @click="emit('take', reading, capture.name)"
              >Take as {{ takes }}</v-btn
            >
          </template>
        </template>
      </section>
    </div>
  </FullScreen>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 300px minmax(0, 1fr);
  gap: 22px;
  margin-top: 10px;
  align-items: start;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
.one {
  display: grid;
  min-height: 48px;
  text-align: left;
  padding: 6px 10px;
  border-left: 6px solid var(--line);
  overflow-wrap: anywhere;
}
.one.on {
  border-left-color: var(--copper);
}
.link {
  color: inherit;
  min-height: 44px;
  text-decoration: underline;
  text-align: left;
  display: inline-flex;
  align-items: center;
}
.value {
  font-size: 2.2rem;
  font-weight: 700;
  font-variant-numeric: tabular-nums;
}
.say {
  font-weight: 700;
  font-size: 1.2rem;
}
.say.diode,
.say.phase,
.fault b {
  color: var(--fail);
}
.say.even {
  color: var(--pass);
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
</style>
