<script setup lang="ts">
/** What buys what: the goal, the plan that reaches it for the least money, the others beside it, every change alone. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { PlanOption, PlanView, WorthRequest } from '@/api/types'
import BandChart from '@/charts/BandChart.vue'
import { useKeys } from '@/composables/keys'
import { useSaving } from '@/composables/saving'
import { unfinished, useTasks, whenEnded } from '@/composables/tasks'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import CautionStrip from '@/ui/CautionStrip.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'
import BeforeAfter from './BeforeAfter.vue'
import FrontChart from './FrontChart.vue'
import WorthTable from './WorthTable.vue'
import { amount, daysInWords, signed } from './worth'

const bench = useWorkbench()
const units = useUnits()
const cache = useQueryClient()
const { busy, problem, save } = useSaving()
const { tasks, refresh } = useTasks()

const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
const key = computed(() => ['worth', bench.jobId])
const kept = useQuery({ queryKey: key, queryFn: () => data(client.GET('/api/jobs/{job_id}/worth', path.value)) })
const made = computed(() => kept.data.value?.document ?? null)
const view = computed(() => made.value?.view ?? null)
const prices = useQuery({ queryKey: ['prices'], queryFn: () => data(client.GET('/api/prices')) })
const begin = useQuery({
  queryKey: computed(() => ['plan-target', bench.jobId, bench.asFound?.id]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/plan/target', path.value)),
  enabled: computed(() => bench.asFound !== null),
})

const request = ref<Required<WorthRequest>>({
  idle_surplus_a: 5,
  day_holds: true,
  least_v: null,
  budget: null,
  left_out: [],
  conceded: [],
  own_costs: {},
})
watch(made, (now, before) => now && !before && (request.value = { ...request.value, ...(now.request as Required<WorthRequest>) }), {
  immediate: true,
})
const same = computed(
  () => made.value !== null && JSON.stringify({ ...made.value.request }) === JSON.stringify({ ...made.value.request, ...request.value }),
)

const mine = computed(() => tasks.value.filter((t) => t.kind === 'compare' && t.job_id === bench.jobId))
const running = computed(() => mine.value.find(unfinished) ?? null)
const failed = computed(() => (mine.value[0]?.state === 'failed' ? mine.value[0].problem : ''))
whenEnded(mine, () => {
  void cache.invalidateQueries({ queryKey: key.value })
  void bench.reload()
})
async function compare(): Promise<void> {
  const target = bench.plan?.document.target ?? begin.data.value
  if (!target || running.value || !bench.mayWrite) return
  const sized = { ...target, system: bench.plan ? target.system : units.system, set_point_v: null, alternator_label: '' }
  await save(async () => {
    await data(client.POST('/api/jobs/{job_id}/worth', { ...path.value, body: { worth: request.value, target: sized } }))
    await refresh()
  })
}
async function cancel(): Promise<void> {
  const id = running.value?.id
  if (id !== undefined) await save(() => data(client.POST('/api/tasks/{task_id}/cancel', { params: { path: { task_id: id } } })))
  await refresh()
}

/** Those that save most; all others are ticked under every change alone. */
const MOST_BINDINGS = 3
const bindings = computed(() => [...(view.value?.bindings ?? [])].sort((a, b) => b.saves - a.saves).slice(0, MOST_BINDINGS))
const part = ref<'plans' | 'changes'>('plans')
const picked = ref<string | null>(null)
watch(view, (now) => (picked.value = now?.pick ?? now?.plans[0]?.id ?? null), { immediate: true })
const plans = computed(() => view.value?.plans ?? [])
const looked = computed(() => plans.value.find((p) => p.id === picked.value) ?? null)
/** What its changes ask to be looked at before they are done. */
const lookFirst = computed(() => [
  ...new Set((view.value?.singles ?? []).filter((w) => looked.value?.change_ids.includes(w.id)).flatMap((w) => w.asks)),
])
function step(by: number): void {
  const at = plans.value.findIndex((p) => p.id === picked.value)
  picked.value = plans.value[(at + by + plans.value.length) % Math.max(plans.value.length, 1)]?.id ?? null
}
const option = useQuery({
  queryKey: computed(() => ['worth-plan', bench.jobId, kept.data.value?.revision, bench.asFound?.id, bench.asFound?.lock, picked.value]),
  queryFn: () =>
    data(client.GET('/api/jobs/{job_id}/worth/{plan_id}', { params: { path: { job_id: bench.jobId, plan_id: picked.value! } } })),
  enabled: computed(() => picked.value !== null && bench.asFound !== null),
})
const sight = computed(() => (option.data.value as PlanView | undefined) ?? null)
const moved = computed(() => (option.error.value instanceof ApiError ? option.error.value.problem : null))
const branch = ref<string | null>(null)

const isAccepted = (p: PlanOption) => {
  const accepted = bench.plan?.document.accepted
  return !!accepted && JSON.stringify(accepted.change_ids) === JSON.stringify(p.change_ids)
}
async function accept(p: PlanOption | null): Promise<void> {
  if (!p || !bench.mayWrite || isAccepted(p)) return
  await save(async () => {
    await data(client.POST('/api/jobs/{job_id}/worth/{plan_id}/accept', { params: { path: { job_id: bench.jobId, plan_id: p.id } } }))
    await bench.reload()
  })
}
useKeys([
  { key: 'c', label: 'compare what can be changed', run: () => void compare() },
  { key: 'j', label: 'next plan', run: () => step(1) },
  { key: 'k', label: 'plan before', run: () => step(-1) },
  { key: 'a', label: 'accept the plan that is looked at', run: () => void accept(looked.value) },
])
const week = computed(() => {
  const weeks = made.value?.weeks ?? []
  const line = (plan: string) => {
    const week = weeks.find((w) => w.plan === plan)
    return week ? { nominal: week.charge, low: week.charge, high: week.charge } : null
  }
  const now = line('')
  return now && made.value ? { now, planned: picked.value ? line(picked.value) : null, hours: made.value.time_h } : null
})
</script>

<template>
  <section class="panel stack ask-panel" data-test="worth">
    <h2 class="sleeve">What is wanted</h2>
    <NumberField
      v-model="request.idle_surplus_a"
      v-first
      of="WorthRequest.idle_surplus_a"
      label="To spare at a hot idle"
      unit="A"
      hint="for the next accessory; empty: not asked for"
      data-test="worth-amps"
    />
    <v-checkbox
      v-model="request.day_holds"
      density="comfortable"
      hide-details
      label="A day leaves no battery short"
      data-test="worth-day"
    />
    <NumberField v-model="request.least_v" of="WorthRequest.least_v" label="At the battery at least" unit="V" hint="empty: not asked for" />
    <NumberField
      v-model="request.budget"
      of="WorthRequest.budget"
      label="For no more than"
      :unit="prices.data.value?.document.currency ?? ''"
      hint="empty: whatever it takes"
      data-test="worth-budget"
    />
    <ProblemNotice :problem="problem" />
    <p v-if="failed" class="bad ma-0" role="alert">{{ failed }}</p>
    <div v-if="running" class="row" data-test="worth-progress">
      <v-progress-linear class="grow" :model-value="running.progress * 100" height="12" aria-label="Comparing" />
      <v-btn variant="text" @click="cancel">Cancel</v-btn>
    </div>
    <v-btn
      v-else
      :color="same ? undefined : 'primary'"
      :variant="same ? 'outlined' : 'flat'"
      :loading="busy"
      :disabled="!bench.mayWrite || !begin.data.value"
      data-test="compare"
      @click="compare"
      >{{ made ? 'Compare again' : 'Compare' }}</v-btn
    >
    <p v-if="made && !same" class="quiet mb-0">What is wanted has changed since it was compared.</p>
    <p class="quiet mb-0">
      Every change is solved on the circuit, with what was read of it and the use that is kept.
      <template v-if="prices.data.value?.revision === 0">Units and prices are invented to begin with: </template>
      <router-link to="/lists">units and prices</router-link>. Costs here are by the rules of that list, to hold one plan against another;
      what is really bought, whole reels, packs and offcuts counted, stands on the bill in Build.
    </p>
    <CautionStrip step="plan" :job-id="bench.jobId" />
  </section>
  <div class="stack grow results">
    <section v-if="!view" class="panel">
      <p class="mb-0">
        Nothing was compared yet. Say what is wanted; each joint, cable, ground, unit, pulley, set point and battery is then tried alone,
        and the cheapest that reach it together are looked for.
      </p>
    </section>
    <template v-else>
      <div class="top">
        <section class="panel stack pick" data-test="pick">
          <h2 class="sleeve">
            {{ looked && looked.id === view.pick ? 'The pick' : looked ? 'Looked at' : view.as_found_meets ? 'As it is' : 'No plan' }}
          </h2>
          <template v-if="looked">
            <p class="head ma-0">{{ looked.labels.join(' + ') }}</p>
            <p class="ma-0 numbers">
              <span
                ><b class="big" data-test="pick-cost">{{ amount(looked.cost, view.currency) }}</b> with {{ fixed(looked.hours, 1) }} h</span
              >
              <span
                ><b class="big" data-test="pick-amps">{{ signed(looked.figures.idle_surplus_a, 0) }} A</b> at a hot idle, now
                {{ signed(view.as_found.idle_surplus_a, 0) }} A</span
              >
            </p>
          </template>
          <ProblemNotice :problem="moved" />
          <div v-if="looked" class="row">
            <v-btn
              color="primary"
              :loading="busy"
              :disabled="!bench.mayWrite || !!moved || isAccepted(looked)"
              data-test="accept"
              @click="accept(looked)"
              >{{ isAccepted(looked) ? 'Accepted' : 'Accept this plan' }}</v-btn
            >
          </div>
          <p class="ma-0" data-test="pick-why">{{ view.pick_why }}</p>
          <div v-if="lookFirst.length" data-test="look-first">
            <b>Look first</b>
            <ul class="ma-0">
              <li v-for="a in lookFirst" :key="a">{{ a }}</li>
            </ul>
          </div>
          <ul v-if="bindings.length" class="ma-0 quiet">
            <li v-for="x in bindings" :key="x.limit" :data-binding="x.limit">{{ x.words }}</li>
          </ul>
        </section>
        <section class="panel front"><FrontChart :view="view" :picked="picked" /></section>
      </div>
      <v-btn-toggle v-model="part" mandatory color="primary" variant="outlined" density="comfortable" aria-label="Plans or changes">
        <v-btn value="plans" data-test="worth-plans">Plans side by side</v-btn>
        <v-btn value="changes" data-test="worth-changes">Every change alone</v-btn>
      </v-btn-toggle>
      <template v-if="part === 'plans'">
        <section class="panel scroll">
          <v-table v-if="plans.length" class="figures" data-test="plans">
            <thead>
              <tr>
                <th></th>
                <th>As found</th>
                <th v-for="p in plans" :key="p.id" :class="{ on: p.id === picked }">
                  <v-btn variant="text" class="name" :data-plan="p.id" :aria-pressed="p.id === picked" @click="picked = p.id">{{
                    p.labels.join(' + ')
                  }}</v-btn>
                </th>
              </tr>
            </thead>
            <tbody>
              <tr>
                <th>Costs</th>
                <td></td>
                <td v-for="p in plans" :key="p.id" class="n" :class="{ on: p.id === picked }">{{ amount(p.cost, view.currency) }}</td>
              </tr>
              <tr>
                <th>To spare at a hot idle</th>
                <td class="n">{{ signed(view.as_found.idle_surplus_a, 1) }} A</td>
                <td v-for="p in plans" :key="p.id" class="n" :class="{ on: p.id === picked }">
                  {{ signed(p.figures.idle_surplus_a, 1) }} A
                </td>
              </tr>
              <tr>
                <th>Least at the battery</th>
                <td class="n">{{ fixed(view.as_found.least_v, 1) }} V</td>
                <td v-for="p in plans" :key="p.id" class="n" :class="{ on: p.id === picked }">{{ fixed(p.figures.least_v, 1) }} V</td>
              </tr>
              <tr>
                <th>A day leaves</th>
                <td class="n">{{ signed(view.as_found.worst_net_ah, 1) }} Ah</td>
                <td v-for="p in plans" :key="p.id" class="n" :class="{ on: p.id === picked }">
                  {{ signed(p.figures.worst_net_ah, 1) }} Ah
                </td>
              </tr>
              <tr>
                <th>Non-start</th>
                <td class="n">{{ daysInWords(view.as_found.days) }}</td>
                <td v-for="p in plans" :key="p.id" class="n" :class="{ on: p.id === picked }">{{ daysInWords(p.figures.days) }}</td>
              </tr>
              <tr>
                <th>Heat in leads</th>
                <td class="n">{{ fixed(view.as_found.heat_w, 0) }} W</td>
                <td v-for="p in plans" :key="p.id" class="n" :class="{ on: p.id === picked }">{{ fixed(p.figures.heat_w, 0) }} W</td>
              </tr>
              <tr>
                <th>Reaches what is wanted</th>
                <td>{{ view.as_found_meets ? '✓ yes' : '✕ no' }}</td>
                <td v-for="p in plans" :key="p.id" :class="{ on: p.id === picked }">
                  {{ p.meets ? '✓ yes' : '✕ no' }}{{ p.id === view.pick ? ', the pick' : p.on_front ? '' : ', beaten by another' }}
                </td>
              </tr>
            </tbody>
          </v-table>
          <p v-else class="mb-0">No plan is better than as it is.</p>
        </section>
        <BeforeAfter
          v-if="sight && bench.asFound"
          v-model="branch"
          :as-found="bench.asFound.document"
          :view="sight"
          :title="looked?.labels.join(' + ') ?? 'Planned'"
          staircases
        />
        <section v-if="week" class="panel">
          <BandChart
            :hours="week.hours"
            :now="week.now"
            :planned="week.planned"
            unit="%"
            :factor="100"
            :label="`First battery's charge over a week; copper: as found${week.planned ? ', slate: with this plan' : ''}`"
          />
        </section>
      </template>
      <section v-else class="panel">
        <WorthTable
          v-model="request"
          :singles="view.singles"
          :before="view.as_found"
          :currency="view.currency"
          :may-write="bench.mayWrite"
        />
      </section>
    </template>
  </div>
</template>

<style scoped>
.ask-panel {
  flex: 0 0 280px;
}
.results {
  min-width: 0;
}
.top {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 12px;
}
.head {
  font-size: 1.15rem;
  font-weight: 700;
}
.numbers {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
}
.big {
  font-size: 1.7rem;
}
.scroll {
  overflow-x: auto;
}
.figures td,
.figures th {
  vertical-align: middle;
}
thead th {
  white-space: normal;
  min-width: 130px;
  max-width: 190px;
}
ul {
  padding-left: 20px;
}
.name {
  padding: 0;
  min-height: 44px;
  height: auto;
  font-weight: 700;
  text-align: left;
  white-space: normal;
}
.name :deep(.v-btn__content) {
  white-space: normal;
}
.on {
  background: rgb(var(--v-theme-surface-variant));
}
.on .quiet {
  color: inherit;
}
.bad {
  color: var(--fail);
  font-weight: 700;
}
@media (max-width: 1023px) {
  .ask-panel {
    flex-basis: auto;
  }
}
@media (max-width: 760px) {
  .top {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
