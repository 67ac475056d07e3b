<script setup lang="ts">
/** Days and weeks of the kept use: asked for, watched, shown as curves with what is uncertain. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, watch } from 'vue'
import { client, data } from '@/api/client'
import type { Curve, SimulationRequest, SimulationView } from '@/api/types'
import BandChart from '@/charts/BandChart.vue'
import { unfinished, useTasks, whenEnded } from '@/composables/tasks'
import { useSaving } from '@/composables/saving'
import { useWorkbench } from '@/composables/workbench'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'

const bench = useWorkbench()
const cache = useQueryClient()
const { busy, problem, save } = useSaving()
const keptUse = computed(() => (bench.job?.documents ?? []).some((d) => d.kind === 'use'))
const { tasks, refresh } = useTasks()

const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
const key = computed(() => ['simulation', bench.jobId])
const kept = useQuery({ queryKey: key, queryFn: () => data(client.GET('/api/jobs/{job_id}/simulation', path.value)) })
const made = computed(() => kept.data.value?.document ?? null)

const how = reactive<Required<SimulationRequest>>({ days: 7, runs: 40, seed: 1, regulator: 'fixed', bulk_h: 1.5 })
watch(made, (document, before) => document && !before && Object.assign(how, document.request), { immediate: true })

const mine = computed(() => tasks.value.filter((t) => t.kind === 'simulate' && t.job_id === bench.jobId))
const running = computed(() => mine.value.find(unfinished) ?? null)
const failed = computed(() => (mine.value[0]?.state === 'failed' ? mine.value[0].problem : ''))
whenEnded(mine, () => {
  void cache.invalidateQueries({ queryKey: key.value })
  void bench.reload()
})
async function run(): Promise<void> {
  await save(async () => {
    await data(client.POST('/api/jobs/{job_id}/simulation', { ...path.value, body: { ...how } }))
    await refresh()
  })
}
async function cancel(): Promise<void> {
  const id = running.value?.id
  if (id !== undefined) await save(() => data(client.POST('/api/tasks/{task_id}/cancel', { params: { path: { task_id: id } } })))
  await refresh()
}

const REGULATORS = [
  { value: 'fixed', title: 'keeps its set point' },
  { value: 'timed', title: 'begins anew at every start' },
  { value: 'hears', title: 'hears its batteries, the lowest wins' },
]
const UNITS = { charge: '%', volts: 'V', battery_a: 'A', output_a: 'A', charger_a: 'A', alternator_c: '°C' } as const
const WORDS = {
  charge: 'charge',
  volts: 'volts at the posts',
  battery_a: 'into the batteries',
  output_a: 'gives',
  charger_a: 'gives',
  alternator_c: 'temperature',
} as const
const rows = computed(() => {
  const document = made.value
  if (!document) return []
  const same = document.planned && document.planned.time_h.length === document.now.time_h.length ? document.planned : null
  return document.now.curves.map((c: Curve) => ({
    key: `${c.name} ${c.label}`,
    label: `${c.label}: ${WORDS[c.name]}`,
    unit: UNITS[c.name],
    factor: c.name === 'charge' ? 100 : 1,
    now: c,
    planned: document.planned?.curves.find((p) => p.name === c.name && p.label === c.label) ?? null,
    same: same !== null,
  }))
})
/** Curves of two courses stand on the hours of the first. */
function onto(curve: Curve, from: readonly number[], to: readonly number[]): Curve {
  const place = (values: readonly number[]) =>
    to.map((t) => {
      const k = from.findIndex((h) => h >= t)
      return values[k < 0 ? values.length - 1 : k]!
    })
  return { ...curve, nominal: place(curve.nominal), low: place(curve.low), high: place(curve.high) }
}
const percent = (share: number) => `${fixed(share * 100, 0)} %`
function fate(view: SimulationView, k: number): string {
  const b = view.batteries[k]
  if (!b) return '–'
  const full = b.full_after_h === null || b.full_after_h === undefined ? 'not full' : `full after ${fixed(b.full_after_h, 1)} h`
  const over = b.overcharged_h > 0.05 ? `, ${fixed(b.overcharged_h, 1)} h overcharged` : ''
  return `ends at ${percent(b.end_charge)} (${percent(b.end_low)} to ${percent(b.end_high)}), lowest ${percent(b.least_charge)}, ${full}${over}`
}
function chargerFate(c: NonNullable<SimulationView['chargers']>[number]): string {
  const off = c.held_off_h > 0.05 ? `, held off for ${fixed(c.held_off_h, 1)} h${c.held_off_by ? ` by ${c.held_off_by}` : ''}` : ''
  const float = c.floated_h > 0.05 ? `, ${fixed(c.floated_h, 1)} h at float` : ''
  const anew = c.began_anew ? `, began anew ${c.began_anew} times` : ''
  return `gives ${fixed(c.given_ah, 0)} Ah in ${fixed(c.fed_h, 0)} h${off}${float}${anew}`
}
</script>

<template>
  <section class="panel stack ask-panel" data-test="simulation">
    <h2 class="sleeve">Let days go by</h2>
    <div class="ask">
      <NumberField v-model="how.days as number | null" of="SimulationRequest.days" label="Days" unit="d" required data-test="sim-days" />
      <NumberField
        v-model="how.runs as number | null"
        of="SimulationRequest.runs"
        label="Vehicles that differ"
        required
        data-test="sim-runs"
      />
      <v-select v-model="how.regulator" label="The regulator" :items="REGULATORS" />
      <NumberField
        v-if="how.regulator === 'timed'"
        v-model="how.bulk_h as number | null"
        of="SimulationRequest.bulk_h"
        label="charges for"
        unit="h"
        required
      />
      <NumberField v-model="how.seed as number | null" of="SimulationRequest.seed" label="Seed" required />
    </div>
    <ProblemNotice :problem="problem" />
    <p v-if="failed" class="bad ma-0" role="alert">{{ failed }}</p>
    <div v-if="running" class="row" data-test="sim-progress">
      <v-progress-linear class="grow" :model-value="running.progress * 100" height="12" aria-label="Days going by" />
      <v-btn variant="text" @click="cancel">Cancel</v-btn>
    </div>
    <v-btn v-else variant="outlined" :loading="busy" :disabled="!bench.mayWrite || !keptUse" data-test="run-simulation" @click="run">{{
      keptUse ? 'Let them go by' : 'Keep this use first'
    }}</v-btn>
    <p class="quiet mb-0">For the use that is kept, solved on the circuit all the way. It goes on beside your work.</p>
  </section>
  <div class="stack grow results">
    <section v-if="made" class="panel stack">
      <h2 class="sleeve">{{ fixed(made.now.days, 0) }} days</h2>
      <p class="mb-0 said" data-test="sim-headline">
        <b>{{ made.now.headline }}.</b>
        <template v-if="made.planned">
          With {{ made.planned_by }}: <b>{{ made.planned.headline }}.</b></template
        >
      </p>
      <div class="charts">
        <BandChart
          v-for="r in rows"
          :key="r.key"
          :hours="made.now.time_h"
          :now="r.now"
          :planned="r.planned && (r.same ? r.planned : onto(r.planned, made.planned!.time_h, made.now.time_h))"
          :unit="r.unit"
          :label="r.label"
          :factor="r.factor"
        />
        <dl class="ma-0">
          <template v-for="(b, k) in made.now.batteries" :key="b.label">
            <dt>
              <b>{{ b.label }}</b>
            </dt>
            <dd>
              {{ fate(made.now, k) }}<template v-if="made.planned"><br />planned: {{ fate(made.planned, k) }}</template>
            </dd>
          </template>
          <template v-for="c in made.now.chargers ?? []" :key="c.label">
            <dt>
              <b>{{ c.label }}</b>
            </dt>
            <dd data-test="charger-fate">{{ chargerFate(c) }}</dd>
          </template>
        </dl>
      </div>
      <p class="quiet mb-0">
        Copper: as found<template v-if="made.planned">, slate: planned</template>. Lines: the nominal vehicle; bands: eight of ten of
        {{ made.now.runs }} that differ in output, loads, capacity, acceptance and temperature as vehicles do; seed {{ made.request.seed }}.
        {{ fixed(made.now.made_ah, 0) }} Ah made, {{ fixed(made.now.used_ah, 0) }} Ah used.
      </p>
    </section>
    <section v-else class="panel">
      <p class="mb-0">
        {{
          keptUse
            ? 'Nothing was let go by yet.'
            : 'Say under “Keeps up?” how the vehicle is used, and keep it: that is what goes on for days.'
        }}
      </p>
    </section>
  </div>
</template>

<style scoped>
.ask-panel {
  flex: 0 0 300px;
}
.ask {
  display: grid;
  gap: 8px;
}
.results {
  min-width: 0;
}
.said {
  font-size: 1.15rem;
}
.charts {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
  gap: 4px 16px;
}
@media (max-width: 1023px) {
  .ask-panel {
    flex-basis: auto;
  }
}
.bad {
  color: var(--fail);
  font-weight: 700;
}
dd {
  margin: 0 0 6px;
}
</style>
