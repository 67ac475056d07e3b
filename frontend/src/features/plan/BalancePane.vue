<script setup lang="ts">
/** Does it keep up? What is fed in which scene, against what the unit gives there, as found and as planned. */
import { computed, ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument, UseAnswer, UseRequest } from '@/api/types'
import { useDocumentForm } from '@/composables/documentForm'
import { hasFields } from '@/composables/drafts'
import { useWorkbench } from '@/composables/workbench'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'
import FollowDialog from './FollowDialog.vue'
import HoursBars from './HoursBars.vue'
import SceneBars from './SceneBars.vue'
import SceneTable from './SceneTable.vue'

const bench = useWorkbench()

/** What the output at idle is known by, and how to know it better. */
const KNOWN_BY = {
  shape: 'so far units of one rating differ. Read its output at idle, or enter its curve with the circuit.',
  points: 'as good as a maker’s points are. Its output read at idle says it better.',
  fitted: 'what its fitted curve leaves open.',
  read: 'what its reading leaves open.',
}
/** What feeds the circuit's chargers beside the engine. */
const fedBy = computed(() => (bench.asFound?.document.chargers ?? []).map((c) => c.fed_by))
const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
type Form = Omit<Required<UseRequest>, 'read'> & { read: { current_a: number | null; engine_rpm: number | null } }
const {
  form,
  same,
  view: answer,
  shown,
  problem,
  says,
  busy,
  keepProblem,
  conflict,
  keep,
  followTheirs,
  takeTheirs,
} = useDocumentForm<UseRequest, Form, UseAnswer>({
  name: 'use',
  jobId: () => bench.jobId,
  hangsOn: () => [bench.asFound?.id, bench.asFound?.lock],
  previewHangsOn: () => [bench.plan?.id],
  enabled: () => bench.asFound !== null,
  fetch: () => data(client.GET('/api/jobs/{job_id}/use', path.value)),
  preview: (body) => data(client.POST('/api/jobs/{job_id}/use/preview', { ...path.value, body })),
  post: (body, revision) => data(client.POST('/api/jobs/{job_id}/use', { params: { ...path.value.params, query: { revision } }, body })),
  isForm: hasFields('consumers', 'scenes', 'speeds'),
  toForm: (document) => ({
    ...(document as Required<UseRequest>),
    read: { ...(document.read ?? { current_a: null, engine_rpm: null }) },
  }),
  toBody: (form) => {
    const { current_a, engine_rpm } = form.read
    return { ...form, read: current_a !== null && engine_rpm !== null ? { current_a, engine_rpm } : null }
  },
  then: () => bench.reload(),
})
const now = computed(() => shown.value?.now ?? null)
const then = computed(() => shown.value?.planned ?? null)

const csv = ref('')
const csvProblem = ref<ProblemDocument | null>(null)
async function readCsv(): Promise<void> {
  csvProblem.value = null
  try {
    const read = await data(client.POST('/api/use/speeds', { body: { text: csv.value } }))
    if (form.value) form.value.speeds = [...read.speeds]
    csv.value = ''
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    csvProblem.value = error.problem
  }
}
async function fromFile(files: File | File[] | null): Promise<void> {
  const file = Array.isArray(files) ? files[0] : files
  if (file) csv.value = (await file.text()).slice(0, 20_000)
}
function begin(): void {
  if (form.value) form.value.speeds = [700, 1200, 1800, 2500, 3200].map((engine_rpm) => ({ engine_rpm, hours: 10 }))
}
const more = ref<string[]>([])
const signed = (amps: number | null) => (amps === null ? '–' : `${amps < 0 ? '−' : '+'}${fixed(Math.abs(amps), 0)}`)
const missing = (net: number) => (net < 0 ? `${fixed(-net, 1)} Ah missing` : `${fixed(net, 1)} Ah over`)
</script>

<template>
  <FollowDialog :problem="conflict" @follow="followTheirs" @take="takeTheirs" @later="conflict = null" />
  <section v-if="form" class="panel stack form">
    <h2 class="sleeve">What is fed, and when</h2>
    <SceneTable
      v-model:consumers="form.consumers"
      v-model:scenes="form.scenes"
      :says="says"
      :volts="bench.asFound?.document.system_voltage_v ?? 12"
      :mains="fedBy.includes('mains')"
    />
    <NumberField
      v-if="fedBy.includes('sun')"
      v-model="form.sun_h as number | null"
      of="UseRequest.sun_h"
      label="Full sun a day"
      unit="h"
      required
      :error="says('sun_h')"
      data-test="sun-h"
    />
    <v-expansion-panels v-model="more" multiple variant="accordion">
      <v-expansion-panel value="day" title="Starts, parked, batteries">
        <v-expansion-panel-text>
          <div class="pairs">
            <NumberField
              :model-value="form.starts_a_day"
              of="UseRequest.starts_a_day"
              label="Starts a day"
              required
              data-test="starts"
              @update:model-value="$event !== null && (form.starts_a_day = Math.round($event))"
            />
            <NumberField
              v-model="form.crank_s as number | null"
              of="UseRequest.crank_s"
              label="One start cranks for"
              unit="s"
              required
              :error="says('crank_s')"
            />
            <NumberField
              v-model="form.crank_a"
              of="UseRequest.crank_a"
              label="Starter takes"
              unit="A"
              hint="empty: as the circuit's starter"
              :error="says('crank_a')"
            />
            <NumberField v-model="form.asleep_a as number | null" of="UseRequest.asleep_a" label="Never sleeps" unit="A" required />
            <NumberField
              v-model="form.state_of_charge as number | null"
              of="UseRequest.state_of_charge"
              label="Batteries live at"
              unit="%"
              :per-unit="100"
              required
            />
            <NumberField
              v-model="form.coldest_c as number | null"
              of="UseRequest.coldest_c"
              label="Batteries, coldest"
              measure="temperature"
              required
            />
            <NumberField
              v-model="form.warmest_c as number | null"
              of="UseRequest.warmest_c"
              label="Batteries, warmest"
              measure="temperature"
              required
              :error="says('warmest_c')"
            />
          </div>
        </v-expansion-panel-text>
      </v-expansion-panel>
      <v-expansion-panel value="read" title="Output as read, everything on">
        <v-expansion-panel-text>
          <p class="quiet">Only where the unit gave all it could, warm: the volts were below its set point. Its table is scaled by it.</p>
          <div class="pairs">
            <NumberField
              v-model="form.read.current_a"
              of="OutputRead.current_a"
              label="Output"
              unit="A"
              :error="says('read')"
              data-test="read-a"
            />
            <NumberField v-model="form.read.engine_rpm" of="OutputRead.engine_rpm" label="at engine" unit="/min" data-test="read-rpm" />
          </div>
        </v-expansion-panel-text>
      </v-expansion-panel>
      <v-expansion-panel value="speeds" title="Hours by engine speed">
        <v-expansion-panel-text>
          <template v-if="form.speeds.length">
            <HoursBars v-model="form.speeds" :balance="now?.speeds ?? []" />
            <div class="pairs">
              <NumberField
                v-model="form.engine_hours"
                of="UseRequest.engine_hours"
                label="Hour counter says"
                unit="h"
                hint="empty: not read"
                :error="says('engine_hours')"
                data-test="engine-hours"
              />
              <v-select
                v-model="form.driving"
                label="With the consumers of"
                :items="form.scenes.map((s) => s.label)"
                :placeholder="now?.driving ?? ''"
                persistent-placeholder
                clearable
                :error-messages="says('driving')"
              />
            </div>
            <p v-if="says('speeds')" class="wrong" role="alert">{{ says('speeds') }}</p>
            <v-btn variant="text" @click="form.speeds = []">Take the hours out</v-btn>
          </template>
          <div v-else class="row"><v-btn variant="outlined" data-test="begin-speeds" @click="begin">Type or drag them</v-btn></div>
          <v-textarea v-model="csv" rows="2" label="or paste an engine computer's CSV: speed; hours" data-test="csv" />
          <v-file-input label="or take it from a file" accept=".csv,.txt,text/csv,text/plain" @update:model-value="fromFile" />
          <ProblemNotice :problem="csvProblem" />
          <v-btn :disabled="!csv.trim()" variant="outlined" data-test="read-csv" @click="readCsv">Read it</v-btn>
        </v-expansion-panel-text>
      </v-expansion-panel>
    </v-expansion-panels>
    <ProblemNotice :problem="problem" />
    <ProblemNotice :problem="keepProblem" />
    <v-btn color="primary" :disabled="!answer || !bench.mayWrite || same" :loading="busy" data-test="keep-use" @click="keep">{{
      same ? 'Kept' : 'Keep this use'
    }}</v-btn>
  </section>
  <v-progress-linear v-else indeterminate aria-label="Loading the use" />
  <div v-if="now" class="stack grow result" :class="{ stale: !answer }">
    <section class="panel" data-test="surplus">
      <h2 class="sleeve">Surplus at a hot idle</h2>
      <p class="figure number" :class="{ bad: (now.idle_surplus_a ?? 0) < -0.5 }">
        {{ signed(now.idle_surplus_a ?? null) }}
        <template v-if="then"
          ><span class="quiet">→</span> <b>{{ signed(then.idle_surplus_a ?? null) }}</b></template
        >
        <small>A</small>
      </p>
      <p class="mb-0">
        <b>{{ now.headline }}.</b>
        <template v-if="then">
          With {{ shown!.planned_by }}: <b>{{ then.headline }}.</b></template
        >
      </p>
      <p v-if="(then ?? now).idle_band_a" class="quiet mb-0" data-test="surplus-band">
        Give or take {{ fixed((then ?? now).idle_band_a ?? 0, 0) }} A{{ then ? ' as planned' : '' }}:
        {{ KNOWN_BY[(then ?? now).idle_known_by ?? 'shape'] }}
      </p>
      <p v-if="now.headroom_a !== null && now.headroom_a !== undefined" class="quiet mb-0">
        Left for the next accessory: {{ fixed(Math.max((then ?? now).headroom_a ?? 0, 0), 0) }} A{{ then ? ' as planned' : '' }}, by “{{
          (then ?? now).headroom_scene
        }}”.
      </p>
    </section>
    <section class="panel">
      <h2 class="sleeve">Made and used</h2>
      <SceneBars :scenes="now.scenes" :planned="then?.scenes" />
    </section>
    <section class="panel scroll">
      <h2 class="sleeve">A day</h2>
      <v-table class="figures" data-test="day">
        <thead>
          <tr>
            <th></th>
            <th class="n">Ah back</th>
            <th class="n">consumers</th>
            <th class="n">starting</th>
            <th class="n">never sleeps</th>
            <th>comes to</th>
            <th v-if="then">planned</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(d, k) in now.day" :key="d.label">
            <td>
              <b>{{ d.label }}</b>
            </td>
            <td class="n">{{ fixed(d.put_back_ah, 1) }}</td>
            <td class="n">{{ fixed(d.taken_ah, 1) }}</td>
            <td class="n">{{ fixed(d.cranks_ah, 1) }}</td>
            <td class="n">{{ fixed(d.asleep_ah, 1) }}</td>
            <td :class="{ bad: d.days !== null }">
              {{ missing(d.net_ah)
              }}<template v-if="d.days !== null && d.days !== undefined"
                >, no start after {{ d.days < 1.5 ? 'a day' : `${fixed(d.days, 0)} days` }}</template
              ><template v-else-if="d.settles_at !== null && d.settles_at !== undefined"
                >; comes to rest at {{ fixed(d.settles_at * 100, 0) }} %</template
              >
            </td>
            <td v-if="then">{{ then.day[k] ? missing(then.day[k].net_ah) : '–' }}</td>
          </tr>
        </tbody>
      </v-table>
      <p class="quiet mb-0">
        At the worse of {{ fixed(form?.coldest_c ?? 0, 0) }} and {{ fixed(form?.warmest_c ?? 0, 0) }} °C in the batteries<template
          v-for="d in now.day"
          :key="d.label"
          >; {{ d.label }}: cold {{ missing(d.cold_net_ah) }}, hot {{ missing(d.hot_net_ah) }}</template
        >. One start takes {{ fixed(now.crank_ah * 1000, 0) }} mAh.
        <template v-if="now.short_share !== null && now.short_share !== undefined">
          Over the engine's hours {{ signed(now.mean_surplus_a ?? null) }} A on average, short in {{ fixed(now.short_share * 100, 0) }} % of
          them.</template
        >
      </p>
    </section>
    <section v-if="now.findings.length" class="panel" data-test="use-findings">
      <p v-for="f in now.findings" :key="f.code" class="finding" :class="f.severity" :data-finding="f.code">
        <b>{{ f.title }}.</b> {{ f.why }} <span class="quiet">{{ f.rule }} ({{ f.source }}).</span>
      </p>
    </section>
  </div>
</template>

<style scoped>
.form {
  flex: 1 1 52%;
  min-width: 0;
}
.result {
  flex: 1 1 48%;
  min-width: 0;
}
@media (max-width: 1023px) {
  .form,
  .result {
    flex-basis: auto;
    width: 100%;
  }
  .result {
    order: -1;
  }
}
.stale {
  opacity: 0.6;
}
.pairs {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.figure {
  font-size: 2.6rem;
  line-height: 1.1;
  margin: 4px 0 6px;
}
.bad {
  color: var(--fail);
}
.figure b,
.figure small {
  color: rgb(var(--v-theme-on-surface));
}
.wrong {
  color: var(--fail);
  font-weight: 700;
}
.finding {
  border-left: 8px solid var(--excess);
  padding-left: 10px;
  margin: 8px 0 0;
}
.finding.danger {
  border-left-color: var(--fail);
}
.finding.note {
  border-left-color: var(--line);
}
.scroll {
  overflow-x: auto;
}
</style>
