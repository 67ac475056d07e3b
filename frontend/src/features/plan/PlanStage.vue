<script setup lang="ts">
/** Cable, grounds and fuse for a target current, beside what was found. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Comparison, PlanView, SizingTarget, StageName } from '@/api/types'
import CautionStrip from '@/ui/CautionStrip.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { alike } from '@/composables/alike'
import { useCatalogue } from '@/composables/catalogue'
import { asWritten, fixed, mv } from '@/ui/numbers'
import { useSaving } from '@/composables/saving'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import BeforeAfter from './BeforeAfter.vue'
import BalancePane from './BalancePane.vue'
import DrivePane from './DrivePane.vue'
import FitPane from './FitPane.vue'
import GuidedPane from './GuidedPane.vue'
import SimulationPane from './SimulationPane.vue'
import WorthPane from './WorthPane.vue'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const units = useUnits()
const { catalogue } = useCatalogue()
const { busy, problem: keepProblem, save: saving } = useSaving()
const picked = ref<string | null>(null)
const part = ref<'use' | 'worth' | 'guided' | 'weeks' | 'cables' | 'drive' | 'fit'>('cables')

const loads = computed(() => bench.job?.loads_to_add ?? [])
const kept = computed(() => bench.plan?.document.target ?? null)
const onward = computed(() => bench.after('plan'))
/** The core says what one begins with: the loads of the job on top of what is fitted. */
const begin = useQuery({
  queryKey: computed(() => ['plan-target', bench.jobId, bench.asFound?.id]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/plan/target', { params: { path: { job_id: bench.jobId } } })),
  enabled: computed(() => bench.asFound !== null),
})
const target = reactive<SizingTarget>({
  target_current_a: 0,
  alternator_label: '',
  system: units.system,
  fuse_family: 'strip_51',
  insulation_c: 105,
  material: 'copper',
  limit_profile: 'common',
  set_point_v: null,
  high_acknowledged: false,
})
const started = ref(false)
watch(
  [kept, () => begin.data.value],
  () => {
    if (started.value || !(kept.value ?? begin.data.value)) return
    started.value = true
    Object.assign(target, kept.value ?? { ...begin.data.value, system: units.system })
  },
  { immediate: true },
)
const preview = useQuery({
  queryKey: computed(() => ['plan', bench.jobId, bench.asFound?.id, bench.asFound?.lock, bench.plan?.id, { ...target }]),
  queryFn: () => data(client.POST('/api/jobs/{job_id}/plan/preview', { params: { path: { job_id: bench.jobId } }, body: { ...target } })),
  enabled: computed(() => bench.asFound !== null && target.target_current_a > 0),
  placeholderData: keepPreviousData,
})
const problem = computed(() => (preview.error.value instanceof ApiError ? preview.error.value.problem : null))
const view = computed(() => (problem.value ? null : ((preview.data.value as PlanView | undefined) ?? null)))
const same = computed(() => kept.value !== null && JSON.stringify({ ...kept.value }) === JSON.stringify({ ...kept.value, ...target }))
const choices = (list: readonly { name: string; label: string }[] | undefined) =>
  (list ?? []).map((c) => ({ value: c.name, title: c.label }))
const reason = (id: string) => view.value?.proposal.choices.find((c) => c.branch_id === id)?.reason ?? ''
const setPointHint = computed(() => {
  const at = view.value?.set_point
  if (!at) return 'empty: as it is'
  if (at.least_v === null || at.most_v === null || at.least_v === undefined || at.most_v === undefined)
    return 'nothing suits all its batteries'
  return `empty: as it is, ${fixed(at.set_point_v, 1)} V; ${fixed(at.least_v, 1)} to ${fixed(at.most_v, 1)} V suit its batteries`
})
const over = (volts: number | null | undefined, c: Comparison) => (volts ?? 0) > c.limit_v

/** A plan accepted in another pane is what this one goes on from, also where that pane was left before the answer came. */
const elsewhere = computed(() => [bench.plan?.document.accepted ?? null, bench.plan?.document.guided ?? null])
watch(elsewhere, (now, before) => {
  if (kept.value && now.some(Boolean) && !alike(now, before)) Object.assign(target, kept.value)
})
async function keep(): Promise<void> {
  await saving(async () => {
    await data(client.POST('/api/jobs/{job_id}/plan', { params: { path: { job_id: bench.jobId } }, body: { ...target } }))
    await bench.reload()
  })
}
</script>

<template>
  <div v-if="bench.asFound" class="parts">
    <v-btn-toggle v-model="part" mandatory color="primary" variant="outlined" density="comfortable" aria-label="What is planned">
      <v-btn value="use" data-test="part-use">Keeps up?</v-btn>
      <v-btn value="worth" data-test="part-worth">What buys what</v-btn>
      <v-btn value="guided" data-test="part-guided">Guided change</v-btn>
      <v-btn value="weeks" data-test="part-weeks">Weeks ahead</v-btn>
      <v-btn value="cables" data-test="part-cables">Cables and fuses</v-btn>
      <v-btn value="drive" data-test="part-drive">Pulley and belt</v-btn>
      <v-btn value="fit" data-test="part-fit">Does it fit?</v-btn>
    </v-btn-toggle>
  </div>
  <div v-if="bench.asFound && part === 'fit'" class="frame">
    <FitPane />
  </div>
  <div v-else-if="bench.asFound && part === 'drive'" class="frame">
    <DrivePane />
  </div>
  <div v-else-if="bench.asFound && part === 'use'" class="frame use">
    <BalancePane />
  </div>
  <div v-else-if="bench.asFound && part === 'worth'" class="frame">
    <WorthPane />
  </div>
  <div v-else-if="bench.asFound && part === 'guided'" class="frame">
    <GuidedPane />
  </div>
  <div v-else-if="bench.asFound && part === 'weeks'" class="frame">
    <SimulationPane />
  </div>
  <div v-else class="frame">
    <p v-if="!bench.asFound" class="panel">
      Describe and save the circuit first. <v-btn color="primary" @click="emit('go', 'circuit')">To the circuit</v-btn>
    </p>
    <template v-else>
      <section class="panel stack target">
        <h2 class="sleeve">Target</h2>
        <NumberField
          v-model="target.target_current_a as number | null"
          v-first
          of="SizingTarget.target_current_a"
          label="Alternator output to carry"
          unit="A"
          required
          data-test="target"
          :hint="
            loads.length
              ? `now ${bench.asFound.document.alternators[0]?.rated_a} A, and ${loads.map((l) => `${l.label} ${l.current_a} A`).join(', ')} to add`
              : ''
          "
        />
        <v-text-field v-model="target.alternator_label" label="New unit, if any" />
        <NumberField
          v-model="target.set_point_v as number | null"
          of="SizingTarget.set_point_v"
          label="Regulator set point"
          unit="V"
          :hint="setPointHint"
          data-test="set-point"
        />
        <v-checkbox
          v-if="view?.set_point.high && target.set_point_v"
          v-model="target.high_acknowledged"
          density="comfortable"
          :error-messages="keepProblem?.problems?.find((p) => p.field === 'high_acknowledged')?.message"
          data-test="high-acknowledged"
          label="I have read what so high a set point does, and want it"
        />
        <v-select
          v-model="target.system"
          label="Cable series"
          :items="[
            { value: 'mm2', title: 'mm², ampacity by ISO 10133' },
            { value: 'awg', title: 'AWG, ampacity by ABYC E-11' },
          ]"
        />
        <v-select v-model="target.fuse_family" label="Fuse family" :items="choices(catalogue?.fuse_families)" />
        <v-select
          v-model="target.insulation_c"
          label="Insulation class"
          suffix="°C"
          :items="[...(catalogue?.insulation_classes_c ?? [])]"
        />
        <v-select v-model="target.limit_profile" label="Limits" :items="choices(catalogue?.limit_profiles)" />
        <p v-if="view?.accepted" class="mb-0" data-test="accepted">
          <b>Accepted under What buys what:</b> {{ view.accepted.labels.join(', ') }}.
        </p>
        <p v-if="view?.guided" class="mb-0" data-test="guided-kept"><b>Kept under Guided change:</b> {{ view.guided.label }}.</p>
        <ProblemNotice :problem="problem" />
        <ProblemNotice :problem="keepProblem" />
        <div class="row">
          <v-btn
            color="primary"
            :disabled="!view || !bench.mayWrite || same || (view.set_point.high && !!target.set_point_v && !target.high_acknowledged)"
            :loading="busy"
            data-test="keep-plan"
            @click="keep"
            >{{ same ? 'Kept' : 'Keep this plan' }}</v-btn
          >
          <v-btn v-if="same && onward" variant="outlined" data-test="onward" @click="emit('go', onward.stage)">{{ onward.title }} →</v-btn>
        </div>
        <CautionStrip step="plan" :job-id="bench.jobId" />
      </section>
      <div class="stack grow">
        <v-progress-linear v-if="preview.isFetching.value && !view" indeterminate aria-label="Sizing" />
        <template v-if="view">
          <BeforeAfter v-model="picked" :as-found="bench.asFound.document" :view="view" title="Planned" called-out />
          <section class="panel">
            <v-table class="figures" data-test="comparison">
              <thead>
                <tr>
                  <th>Branch</th>
                  <th>As found</th>
                  <th>Planned</th>
                  <th class="n">mV now</th>
                  <th class="n">mV then</th>
                  <th class="n">A now</th>
                  <th class="n">A then</th>
                  <th>Why</th>
                </tr>
              </thead>
              <tbody>
                <tr
                  v-for="r in view.comparison.branches"
                  :key="r.branch_id"
                  :class="[r.change, { on: r.branch_id === picked }]"
                  :data-row="r.branch_id"
                  @click="picked = r.branch_id"
                >
                  <td>
                    <b>{{ r.label }}</b>
                  </td>
                  <td>{{ r.before ?? '–' }}</td>
                  <td class="after">{{ r.after ?? '–' }}</td>
                  <td class="n">{{ mv(r.drop_before_v) }}</td>
                  <td class="n">{{ mv(r.drop_after_v) }}</td>
                  <td class="n">{{ fixed(r.allowed_before_a, 0) }}</td>
                  <td class="n">{{ fixed(r.allowed_after_a, 0) }}</td>
                  <td class="quiet">{{ asWritten(reason(r.branch_id) || r.change) }}</td>
                </tr>
                <tr v-for="s in ['feed', 'return'] as const" :key="s">
                  <td>
                    <b>{{ s === 'feed' ? 'Feed side' : 'Return side' }}</b>
                  </td>
                  <td></td>
                  <td></td>
                  <td class="n" :class="{ bad: over(view.comparison[`${s}_before_v`], view.comparison) }">
                    {{ mv(view.comparison[`${s}_before_v`]) }}
                  </td>
                  <td class="n" :class="{ bad: over(view.comparison[`${s}_after_v`], view.comparison) }">
                    {{ mv(view.comparison[`${s}_after_v`]) }}
                  </td>
                  <td></td>
                  <td></td>
                  <td class="quiet">
                    limit {{ mv(view.comparison.limit_v) }} mV, both warmed up at {{ fixed(view.comparison.current_a, 0) }} A
                  </td>
                </tr>
              </tbody>
            </v-table>
            <p v-for="f in view.set_point.findings" :key="f.code" class="finding" :class="f.severity" :data-finding="f.code">
              <b>{{ f.title }}.</b> {{ f.why }} <span class="quiet">{{ f.rule }} ({{ f.source }}).</span>
            </p>
            <p v-for="note in view.proposal.notes" :key="note" class="quiet mb-0">{{ note }}</p>
          </section>
        </template>
      </div>
    </template>
  </div>
</template>

<style scoped>
.frame {
  display: flex;
  gap: 12px;
  padding: 12px 16px 40px;
  align-items: flex-start;
}
.parts {
  padding: 12px 16px 0;
  overflow-x: auto;
}
.target {
  flex: 0 0 300px;
}
.changed .after,
.added .after {
  font-weight: 700;
  color: var(--copper);
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
@media (max-width: 1023px) {
  .frame {
    flex-direction: column;
    align-items: stretch;
  }
  .target {
    flex-basis: auto;
  }
}
@media (max-width: 760px) {
  .panel {
    overflow-x: auto;
  }
}
</style>
