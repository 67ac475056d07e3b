<script setup lang="ts">
/** Every branch with what it loses and has too much, and the one that is looked at in full. */
import { computed } from 'vue'
import { client, data } from '@/api/client'
import type { BranchFinding, Findings } from '@/api/types'
import { useSaving } from '@/composables/saving'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import { fixed, mohm, mv } from '@/ui/numbers'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import VerdictMark from '@/ui/VerdictMark.vue'

const props = defineProps<{ findings: Findings }>()
const bench = useWorkbench()
const units = useUnits()
const { busy, problem, save } = useSaving()
const picked = computed(() => props.findings.branches.find((b) => b.branch_id === bench.selected) ?? null)
const SIDES: Record<string, string> = { feed: 'Feed side', return: 'Return side', whole: 'Whole circuit' }
const BASIS: Record<string, string> = {
  reading: 'read whole',
  parts: 'sum of its parts',
  voltages: 'stud less battery',
  sides: 'both sides',
  none: '',
}
const CURRENT: Record<string, string> = {
  output: 'the output current',
  fitted: 'all readings together',
  model: 'the circuit as drawn',
  clamp: 'the clamp on this lead',
}
const ampacityWords = (b: BranchFinding) =>
  b.ampacity &&
  `${b.ampacity.ok ? 'Carries' : 'Must not carry'} the ${fixed(b.ampacity.current_a, 0)} A of its hardest use: allowed ${fixed(b.ampacity.allowed_a, 0)} A (${b.ampacity.words})` +
    (b.ampacity.compared ? `. ${b.ampacity.compared}` : '.')
const interval = (b: BranchFinding) =>
  b.excess_low_ohm === null ? '–' : `${mohm(Math.max(b.excess_low_ohm, 0))} to ${mohm(Math.max(b.excess_high_ohm ?? 0, 0))}`
const separated = computed(() => props.findings.branches.some((b) => b.excess_ohm !== null))
const inCircuit = computed(
  () => bench.circuit?.branches.filter((b) => b.measured_mohm !== null && b.measured_mohm !== undefined).length ?? 0,
)
async function takeOver(): Promise<void> {
  await save(async () => {
    await data(client.POST('/api/jobs/{job_id}/resistances', { params: { path: { job_id: bench.jobId } } }))
    await bench.reload()
  })
}
</script>

<template>
  <section v-if="picked" class="panel" data-test="picked">
    <div class="row">
      <h2 class="sleeve">{{ picked.label }}</h2>
      <VerdictMark :verdict="picked.verdict" /><span class="grow" /><v-btn variant="text" size="small" @click="bench.selected = null"
        >All</v-btn
      >
    </div>
    <p class="mt-2 mb-1">
      {{ picked.reason }} <b v-if="picked.next_step">{{ picked.next_step }}</b>
    </p>
    <v-table class="figures">
      <tbody>
        <tr>
          <td>Read</td>
          <td class="n" data-test="read">
            {{ mv(picked.measured_drop_v) }} ±
            {{ fixed(picked.measured_uncertainty_v === null ? null : picked.measured_uncertainty_v * 1000, 1) }} mV
          </td>
        </tr>
        <tr>
          <td>Sound, {{ fixed(units.temperatureOut(picked.temperature_c), 0) }} {{ units.temperature }}</td>
          <td class="n">{{ mv(Math.abs(picked.predicted_drop_v)) }} mV, {{ mohm(picked.resistance_ohm) }} mΩ</td>
        </tr>
        <tr>
          <td>Too much, by all readings</td>
          <td class="n" data-test="excess">{{ mohm(picked.excess_ohm) }} mΩ</td>
        </tr>
        <tr>
          <td>of it 95 % lie in</td>
          <td class="n">{{ interval(picked) }} mΩ</td>
        </tr>
        <tr>
          <td>Heat, of it excess</td>
          <td class="n" data-test="heat">{{ fixed(picked.heat_w, 1) }} W, {{ fixed(picked.excess_heat_w, 1) }} W</td>
        </tr>
        <tr>
          <td>At rated {{ fixed(picked.judged_current_a, 0) }} A, limit</td>
          <td class="n" data-test="judged">{{ mv(picked.judged_drop_v) }} of {{ mv(picked.limit_v) }} mV</td>
        </tr>
      </tbody>
    </v-table>
    <p class="quiet mt-2 mb-0">
      Rule: {{ picked.limit_rule }}. Source: {{ picked.limit_source }}. Current {{ fixed(picked.current_a, 1) }} A, from
      {{ CURRENT[picked.current_basis] }}.
    </p>
    <p v-if="picked.ampacity" class="mb-0" :class="{ bad: !picked.ampacity.ok }">{{ ampacityWords(picked) }}</p>
    <p v-if="picked.fuse" class="mb-0" :class="{ bad: !picked.fuse.above_load || !picked.fuse.below_cable }">
      {{ picked.fuse.words }} {{ picked.fuse.family }}, breaks {{ picked.fuse.interrupting_a }} A.
    </p>
  </section>
  <section class="panel">
    <v-table class="figures">
      <thead>
        <tr>
          <th></th>
          <th class="n">sound</th>
          <th class="n">read</th>
          <th class="n">mΩ too much</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="b in findings.branches"
          :key="b.branch_id"
          class="line"
          :class="{ on: b.branch_id === bench.selected }"
          tabindex="0"
          :data-row="b.branch_id"
          @click="bench.selected = b.branch_id"
          @keydown.enter="bench.selected = b.branch_id"
        >
          <td>{{ b.label }}</td>
          <td class="n">{{ mv(Math.abs(b.predicted_drop_v)) }}</td>
          <td class="n">{{ mv(b.measured_drop_v) }}</td>
          <td class="n">{{ mohm(b.excess_ohm) }}</td>
          <td><VerdictMark :verdict="b.verdict" :word="false" /></td>
        </tr>
        <tr v-for="s in findings.sides" :key="s.name" :data-side="s.name" :title="s.reason">
          <td>
            <b>{{ SIDES[s.name] }}</b><br /><small class="quiet"
              >{{ BASIS[s.basis] }}, at {{ fixed(findings.rated_current_a, 0) }} A {{ mv(s.judged_drop_v) }} of
              {{ mv(s.limit_v) }} mV</small
            >
          </td>
          <td class="n">{{ mv(s.predicted_drop_v) }}</td>
          <td class="n">{{ mv(s.measured_drop_v) }}</td>
          <td></td>
          <td><VerdictMark :verdict="s.verdict" :word="false" /></td>
        </tr>
      </tbody>
    </v-table>
    <p v-for="check in findings.checks" :key="check.name" class="check" :class="{ bad: !check.agrees }" :data-check="check.name">
      {{ check.agrees ? '✓' : '✕' }} {{ check.message }}
    </p>
    <p class="quiet mb-0">Limits: {{ findings.limit_label }}; source: {{ findings.sides[0]?.limit_source }}.</p>
    <ProblemNotice :problem="problem" />
    <div v-if="separated" class="row mt-2">
      <v-btn v-if="bench.mayWrite" variant="outlined" :loading="busy" data-test="take-over" @click="takeOver"
        >Put the resistances into the circuit</v-btn
      >
      <span v-if="inCircuit" class="quiet" data-test="in-circuit"
        >{{ inCircuit }} branch{{ inCircuit > 1 ? 'es have' : ' has' }} a measured resistance: states and faults start from it, marked as
        such.</span
      >
    </div>
  </section>
</template>

<style scoped>
.bad {
  color: var(--fail);
  font-weight: 700;
}
.check {
  margin: 6px 0 0;
}
.line {
  cursor: pointer;
}
.line.on {
  background: rgb(var(--v-theme-surface-variant));
}
.line td {
  padding-block: 9px;
}
</style>
