<script setup lang="ts">
/** What another pulley does to shaft speed and output, and between which diameters it may lie. */
import { computed, ref } from 'vue'
import { client, data } from '@/api/client'
import type { DriveRequest, DriveView } from '@/api/types'
import { useDocumentForm } from '@/composables/documentForm'
import { hasFields } from '@/composables/drafts'
import { useWorkbench } from '@/composables/workbench'
import { fixed } from '@/ui/numbers'
import CautionStrip from '@/ui/CautionStrip.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import BeltTable from './BeltTable.vue'
import DrivePicture from './DrivePicture.vue'
import DiameterBar from './DiameterBar.vue'
import FollowDialog from './FollowDialog.vue'

const bench = useWorkbench()

const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
type Reading = { current_a: number | null; u_a: number | null; engine_rpm: number | null }
type Form = Omit<DriveRequest, 'before' | 'after'> & { before: Reading; after: Reading }
const blank = (): Reading => ({ current_a: null, u_a: null, engine_rpm: null })
const whole = (r: Reading) =>
  r.current_a !== null && r.u_a !== null && r.engine_rpm !== null ? { current_a: r.current_a, u_a: r.u_a, engine_rpm: r.engine_rpm } : null
const { form, same, view, shown, problem, says, busy, keepProblem, conflict, keep, followTheirs, takeTheirs } = useDocumentForm<
  DriveRequest,
  Form,
  DriveView
>({
  name: 'drive',
  jobId: () => bench.jobId,
  hangsOn: () => [bench.asFound?.id, bench.asFound?.lock, bench.plan?.id],
  enabled: () => bench.asFound !== null,
  fetch: () => data(client.GET('/api/jobs/{job_id}/drive', path.value)),
  preview: (body) => data(client.POST('/api/jobs/{job_id}/drive/preview', { ...path.value, body })),
  post: (body, revision) => data(client.POST('/api/jobs/{job_id}/drive', { params: { ...path.value.params, query: { revision } }, body })),
  isForm: hasFields('alternator_id', 'target_idle_a', 'before', 'after'),
  toForm: (document) => ({ ...document, before: { ...(document.before ?? blank()) }, after: { ...(document.after ?? blank()) } }),
  toBody: (form) => ({ ...form, before: whole(form.before), after: whole(form.after) }),
})

const idle = computed(() => shown.value?.speeds[0] ?? null)
function move(name: string, x: number, y: number): void {
  if (form.value) form.value.pulleys = (form.value.pulleys ?? []).map((p) => (p.name === name ? { ...p, x_mm: x, y_mm: y } : p))
}
/** The engine speed at which the belt has most to carry. */
const hardest = computed(() => {
  const turns = (s: DriveView['speeds'][number]) => Math.max(s.before.torque_nm, s.after?.torque_nm ?? 0)
  return view.value!.speeds.reduce((a, b) => (turns(b) > turns(a) ? b : a))
})
const turning = (at: DriveView['speeds'][number]['before']) => `${fixed(at.power_w / 1000, 1)} kW, ${fixed(at.torque_nm, 1)} Nm`
type ToHand = NonNullable<NonNullable<DriveView['belt']>['tensioner']>['to_hand'][number]
const fitWords = (b: ToHand) =>
  b.share === null
    ? '✕ does not fit'
    : b.ribs_fit === 'more'
      ? '✕ more ribs than grooves'
      : `✓ at ${fixed(100 * b.share, 0)} %${b.ribs_fit === 'fewer' ? `, only ${b.ribs} ribs` : ''}`
const slack = (side: NonNullable<DriveView['belt']>['tension_now']) => `${fixed(side.least_n, 0)} to ${fixed(side.worn_n, 0)} N`
const FROM = {
  tachometer: 'by the tachometer',
  diameters: 'by the diameters',
  circuit: 'as the circuit has it: enter diameters or a tachometer reading',
} as const
const NAMES = { idle: 'Idle', cruise: 'Cruise', redline: 'Redline' } as const
const more = ref<string[]>([])
</script>

<template>
  <FollowDialog :problem="conflict" @follow="followTheirs" @take="takeTheirs" @later="conflict = null" />
  <section class="panel stack form">
    <h2 class="sleeve">Pulleys</h2>
    <template v-if="form">
      <div class="pairs">
        <NumberField
          v-model="form.crank_mm as number | null"
          v-first
          of="DriveRequest.crank_mm"
          label="Driving pulley"
          unit="mm"
          :error="says('crank_mm')"
          data-test="crank"
        />
        <NumberField
          v-model="form.now_mm as number | null"
          of="DriveRequest.now_mm"
          label="Alternator, now"
          unit="mm"
          :error="says('now_mm')"
          data-test="now"
        />
        <NumberField
          v-model="form.new_mm as number | null"
          of="DriveRequest.new_mm"
          label="Alternator, new"
          unit="mm"
          :error="says('new_mm')"
          data-test="new"
        />
        <NumberField
          v-model="form.target_idle_a as number | null"
          of="DriveRequest.target_idle_a"
          label="Wanted, hot idle"
          unit="A"
          :error="says('target_idle_a')"
          data-test="wanted"
        />
        <NumberField
          v-model="form.limit_rpm as number | null"
          of="DriveRequest.limit_rpm"
          label="Unit's limit speed"
          unit="/min"
          :error="says('limit_rpm')"
          data-test="limit"
        />
        <NumberField
          v-model="form.smallest_mm as number | null"
          of="DriveRequest.smallest_mm"
          label="Belt's smallest"
          unit="mm"
          :error="says('smallest_mm')"
        />
        <NumberField
          v-model="form.ribs as number | null"
          of="DriveRequest.ribs"
          label="Belt's ribs"
          :error="says('ribs')"
          data-test="ribs"
        />
        <NumberField
          v-model="form.engine_idle_nm as number | null"
          of="DriveRequest.engine_idle_nm"
          label="Engine at idle"
          unit="Nm"
          :error="says('engine_idle_nm')"
          data-test="engine-nm"
        />
      </div>
      <h2 class="sleeve">Engine speeds, /min</h2>
      <div class="triples">
        <NumberField
          v-model="form.idle_rpm as number | null"
          of="DriveRequest.idle_rpm"
          label="Idle"
          required
          :error="says('idle_rpm')"
          data-test="idle"
        />
        <NumberField
          v-model="form.cruise_rpm as number | null"
          of="DriveRequest.cruise_rpm"
          label="Cruise"
          required
          :error="says('cruise_rpm')"
        />
        <NumberField
          v-model="form.redline_rpm as number | null"
          of="DriveRequest.redline_rpm"
          label="Redline"
          required
          :error="says('redline_rpm')"
          data-test="redline"
        />
      </div>
      <v-expansion-panels v-model="more" multiple variant="accordion">
        <v-expansion-panel value="read" title="By tachometer">
          <v-expansion-panel-text>
            <div class="pairs">
              <NumberField
                v-model="form.engine_read_rpm as number | null"
                of="DriveRequest.engine_read_rpm"
                label="Engine"
                unit="/min"
                :error="says('engine_read_rpm')"
                data-test="engine-read"
              />
              <NumberField
                v-model="form.shaft_read_rpm as number | null"
                of="DriveRequest.shaft_read_rpm"
                label="Shaft"
                unit="/min"
                :error="says('shaft_read_rpm')"
                data-test="shaft-read"
              />
            </div>
          </v-expansion-panel-text>
        </v-expansion-panel>
        <v-expansion-panel v-if="!form.pulleys?.length" value="belt" title="Belt round these two">
          <v-expansion-panel-text>
            <NumberField
              v-model="form.centres_mm as number | null"
              of="DriveRequest.centres_mm"
              label="Between the shafts"
              unit="mm"
              :error="says('centres_mm')"
              data-test="centres"
            />
          </v-expansion-panel-text>
        </v-expansion-panel>
        <v-expansion-panel value="gain" title="Output as read, before and after">
          <v-expansion-panel-text>
            <div v-for="(r, n) in { Before: form.before, After: form.after }" :key="n" class="triples">
              <NumberField v-model="r.current_a" of="DriveReading.current_a" :label="`${n}, A`" :data-test="`read-${n}`" />
              <NumberField v-model="r.u_a" of="DriveReading.u_a" label="± A" :data-test="`u-${n}`" />
              <NumberField v-model="r.engine_rpm" of="DriveReading.engine_rpm" label="/min" :data-test="`rpm-${n}`" />
            </div>
          </v-expansion-panel-text>
        </v-expansion-panel>
      </v-expansion-panels>
      <ProblemNotice :problem="problem" />
      <ProblemNotice :problem="keepProblem" />
      <v-btn color="primary" :disabled="!view || !bench.mayWrite || same" :loading="busy" data-test="keep-drive" @click="keep">{{
        same ? 'Kept' : 'Keep this drive'
      }}</v-btn>
      <CautionStrip step="drive" :job-id="bench.jobId" />
    </template>
    <v-progress-linear v-else indeterminate aria-label="Loading the drive" />
  </section>
  <div v-if="form" class="stack grow">
    <section v-if="shown && idle" class="panel big" :class="{ stale: !view }" data-test="hot-idle">
      <div>
        <h2 class="sleeve">Output at a hot idle</h2>
        <p class="figure number">
          {{ fixed(idle.before.hot_a, 0) }}
          <template v-if="idle.after"
            ><span class="quiet">→</span> <b>{{ fixed(idle.after.hot_a, 0) }}</b></template
          >
          <small>A</small>
        </p>
        <p class="quiet mb-0">
          {{ shown.label }}: shaft {{ fixed(shown.ratio_now, 2)
          }}<template v-if="shown.ratio_new"> → {{ fixed(shown.ratio_new, 2) }}</template> times the engine's speed,
          {{ FROM[shown.ratio_from] }}.
          <b v-if="shown.planned_label && shown.ratio_new" data-test="then-unit"
            >What comes then is of the unit that is planned, {{ shown.planned_label }}.</b
          >
        </p>
      </div>
      <DrivePicture
        v-if="shown.belt"
        :now="shown.belt.now"
        :then="shown.belt.new"
        :movable="(form.pulleys?.length ?? 0) > 0"
        class="picture"
        @move="move"
      />
    </section>
    <section v-if="view?.findings.length" class="panel" data-test="drive-findings">
      <p v-for="f in view.findings" :key="f.code" class="finding" :class="f.severity" :data-finding="f.code">
        <b>{{ f.title }}.</b> {{ f.why }} <span class="quiet">{{ f.rule }} {{ f.source }}.</span>
      </p>
    </section>
    <section v-if="form && shown?.pulley" class="panel">
      <h2 class="sleeve">Which pulley</h2>
      <DiameterBar
        :range="shown.pulley"
        :now="form.now_mm ?? null"
        :then="form.new_mm ?? null"
        :readonly="!bench.mayWrite"
        @try="form.new_mm = $event"
      />
    </section>
    <section v-if="view" class="panel scroll">
      <v-table class="figures" data-test="speeds">
        <thead>
          <tr>
            <th></th>
            <th class="n">Engine</th>
            <th class="n">Shaft now</th>
            <th v-if="view.ratio_new" class="n">Shaft then</th>
            <th class="n">A now, {{ fixed(view.cold_c, 0) }} °C</th>
            <th v-if="view.ratio_new" class="n">A then, {{ fixed(view.cold_c, 0) }} °C</th>
            <th class="n">A now, {{ fixed(view.hot_c, 0) }} °C</th>
            <th v-if="view.ratio_new" class="n">A then, {{ fixed(view.hot_c, 0) }} °C</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in view.speeds" :key="s.name" :data-row="s.name">
            <td>
              <b>{{ NAMES[s.name] }}</b>
            </td>
            <td class="n">{{ fixed(s.engine_rpm, 0) }}</td>
            <td class="n" :class="{ bad: s.before.over_limit }">{{ fixed(s.before.shaft_rpm, 0) }}</td>
            <td v-if="s.after" class="n" :class="{ bad: s.after.over_limit }">
              {{ fixed(s.after.shaft_rpm, 0) }}<span v-if="s.after.over_limit"> too fast</span>
            </td>
            <td class="n">{{ fixed(s.before.cold_a, 0) }}</td>
            <td v-if="s.after" class="n">{{ fixed(s.after.cold_a, 0) }}</td>
            <td class="n">{{ fixed(s.before.hot_a, 0) }}</td>
            <td v-if="s.after" class="n">
              <b>{{ fixed(s.after.hot_a, 0) }}</b>
            </td>
          </tr>
        </tbody>
      </v-table>
    </section>
    <section v-if="form" class="panel">
      <h2 class="sleeve">Belt</h2>
      <BeltTable :form="form" :error="says('pulleys')" :stock-error="says('stock')" @change="Object.assign(form!, $event)" />
      <p v-if="view?.belt" class="mt-2 mb-0" data-test="belt-length">
        <b class="figure">{{ fixed(view.belt.now.length_mm, 0) }} mm</b> round as it is<template
          v-if="view.belt.new && !view.belt.tensioner"
          >, <b class="figure">{{ fixed(view.belt.new.length_mm, 0) }} mm</b> then</template
        >.
        <template v-if="view.belt.tensioner && view.belt.tensioner.now !== null"
          >The tensioner stands at <b class="figure">{{ fixed(100 * view.belt.tensioner.now, 0) }} %</b> of its travel<template
            v-if="view.belt.tensioner.new !== null"
            >, then at <b class="figure">{{ fixed(100 * view.belt.tensioner.new, 0) }} %</b></template
          >; 0 % is its spring’s end.</template
        >
      </p>
      <ul v-if="view?.belt?.tensioner?.to_hand.length" class="stock figure" data-test="stock-fit">
        <li v-for="b in view.belt.tensioner.to_hand" :key="b.name" :class="{ fits: b.fits }">
          {{ b.name }}<template v-if="b.name !== fixed(b.length_mm, 0)">, {{ fixed(b.length_mm, 0) }} mm</template>
          {{ fitWords(b) }}
        </li>
      </ul>
    </section>
    <section v-if="view" class="panel" data-test="turning">
      <h2 class="sleeve">Turning it</h2>
      <p class="mb-0">
        At most <b class="figure">{{ turning(hardest.before) }}</b><template v-if="hardest.after"
          >, then <b class="figure">{{ turning(hardest.after) }}</b></template
        >, cold and giving all it can.
        <template v-if="idle"
          >At idle that is <b class="figure">{{ fixed(idle.before.crank_nm, 0) }} Nm</b
          ><template v-if="idle.after"
            >, then <b class="figure">{{ fixed(idle.after.crank_nm, 0) }} Nm</b></template
          >
          of the crankshaft.</template
        >
        <template v-if="view.belt">
          So as not to slip the belt’s slack side needs <b class="figure">{{ slack(view.belt.tension_now) }}</b><template
            v-if="view.belt.tension_new"
            >, then <b class="figure">{{ slack(view.belt.tension_new) }}</b></template
          >
          at least, on dry ribs to worn ones;
          <b class="figure">{{ (view.belt.tension_new ?? view.belt.tension_now).ribs }} ribs</b> carry it.
        </template>
      </p>
    </section>
    <section v-if="view?.gain" class="panel" data-test="gain">
      <h2 class="sleeve">Gained, as read</h2>
      <p class="mb-0">
        <b class="figure">{{ fixed(view.gain.gain_a, 0) }} A ± {{ fixed(view.gain.u_a, 0) }} A</b>
        at one engine speed{{ view.gain.sure ? '.' : ': no more than the clamp may err by.' }}
      </p>
    </section>
  </div>
</template>

<style scoped>
.form {
  flex: 0 0 380px;
}
.pairs {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px 10px;
}
.triples + .triples {
  margin-top: 12px;
}
.triples {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 12px 8px;
}
.big {
  display: flex;
  gap: 24px;
  align-items: center;
  justify-content: space-between;
}
.stale .number {
  color: var(--quiet);
  text-decoration: line-through;
}
.big .number {
  font-size: 3.4rem;
  line-height: 1.1;
  margin: 4px 0;
}
.big small {
  font-size: 1.4rem;
}
.picture {
  flex: 0 1 420px;
  min-width: 0;
}
.bad {
  color: var(--fail);
  font-weight: 700;
}
.finding {
  border-left: 8px solid var(--line);
  padding-left: 10px;
  margin: 8px 0 0;
}
.finding:first-child {
  margin-top: 0;
}
.finding.warning {
  border-left-color: var(--excess);
}
.finding.danger {
  border-left-color: var(--fail);
}
.stock {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}
.stock .fits {
  font-weight: 700;
  color: var(--pass);
}
.scroll {
  overflow-x: auto;
}
@media (max-width: 1023px) {
  .form {
    flex-basis: auto;
  }
  .big {
    flex-wrap: wrap;
  }
}
</style>
