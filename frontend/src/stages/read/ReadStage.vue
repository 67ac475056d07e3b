<script setup lang="ts">
/** What the readings say: verdicts with their reason, and what to do next. */
import { computed } from 'vue'
import type { BranchAssessment, StageName } from '@/api/types'
import BenchFrame from '@/components/BenchFrame.vue'
import VerdictMark from '@/components/VerdictMark.vue'
import { useKeys } from '@/lib/keys'
import { fixed, mohm, mv } from '@/lib/numbers'
import { useUnits } from '@/lib/units'
import { useWorkbench } from '@/lib/workbench'
import CausesPanel from './CausesPanel.vue'
import ResistancesPanel from './ResistancesPanel.vue'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const units = useUnits()
const said = computed(() => bench.judged?.assessment ?? null)
const picked = computed(() => said.value?.branches.find((b) => b.branch_id === bench.selected) ?? null)
/** Readings that are missing, contradict each other or settle nothing come before any proposal. */
const readAgain = computed(() => ['not_measured', 'check_probes', 'too_close_to_call'].includes(said.value?.headline.verdict ?? ''))
const SIDES: Record<string, string> = { feed: 'Feed side', return: 'Return side', whole: 'Whole circuit' }
const BASIS: Record<string, string> = { reading: 'read whole', parts: 'sum of its parts', voltages: 'stud less battery', sides: 'both sides', none: '' }
const CURRENT: Record<string, string> = { output: 'the output current', model_split: "the model's split between parallel paths", clamp: 'the clamp on this lead' }

function step(by: number): void {
  const order = said.value?.branches.map((b) => b.branch_id) ?? []
  const at = order.indexOf(bench.selected ?? '')
  bench.selected = order[(at + by + order.length) % order.length] ?? null
}
useKeys([
  { key: 'j', label: 'next branch along the loop', run: () => step(1) },
  { key: 'k', label: 'branch before', run: () => step(-1) },
])
const ampacityWords = (b: BranchAssessment) =>
  b.ampacity && `${b.ampacity.ok ? 'Carries' : 'Must not carry'} the ${fixed(b.ampacity.current_a, 0)} A of rated output: allowed ${fixed(b.ampacity.allowed_a, 0)} A (${b.ampacity.words})` +
    (b.ampacity.compared ? `. ${b.ampacity.compared}` : '.')
</script>

<template>
  <BenchFrame>
    <template v-if="said">
      <section class="panel headline" :data-verdict="said.headline.verdict">
        <VerdictMark :verdict="said.headline.verdict" :size="30" />
        <p class="text">{{ said.headline.text }}</p>
        <p v-if="said.headline.next_step"><b>Next:</b> {{ said.headline.next_step }}</p>
        <div class="row">
          <v-btn v-if="readAgain" color="primary" data-test="to-measure" @click="emit('go', 'measure')">{{ said.headline.verdict === 'not_measured' ? 'Measure' : '← Read again' }}</v-btn>
          <v-btn :color="readAgain ? undefined : 'primary'" :variant="readAgain ? 'outlined' : undefined" data-test="to-propose" @click="emit('go', 'propose')">Propose →</v-btn>
        </div>
      </section>
      <CausesPanel @go="emit('go', $event)" />
      <section v-if="picked" class="panel" data-test="picked">
        <div class="row"><h2 class="sleeve">{{ picked.label }}</h2><VerdictMark :verdict="picked.verdict" /></div>
        <p class="big">{{ picked.measured_drop_v === null ? `(${mv(Math.abs(picked.predicted_drop_v))})` : mv(picked.measured_drop_v) }} <small>mV</small></p>
        <p>{{ picked.reason }} <b v-if="picked.next_step">{{ picked.next_step }}</b></p>
        <table class="figures">
          <tbody>
            <tr><td>Sound, {{ fixed(units.temperatureOut(picked.temperature_c), 0) }} {{ units.temperature }}</td><td class="n">{{ mohm(picked.resistance_ohm) }} mΩ</td><td class="n">{{ mv(Math.abs(picked.predicted_drop_v)) }} mV</td></tr>
            <tr><td>Read</td><td class="n">{{ mohm(picked.measured_resistance_ohm) }} mΩ</td><td class="n">{{ mv(picked.measured_drop_v) }} ± {{ fixed(picked.measured_uncertainty_v === null ? null : picked.measured_uncertainty_v * 1000, 1) }} mV</td></tr>
            <tr><td>Excess</td><td class="n" data-test="excess">{{ mohm(picked.excess_resistance_ohm) }} mΩ</td><td class="n">± {{ mohm(picked.excess_uncertainty_ohm) }} mΩ</td></tr>
            <tr><td>Heat, of it excess</td><td class="n" data-test="heat">{{ fixed(picked.heat_w, 1) }} W</td><td class="n">{{ fixed(picked.excess_heat_w, 1) }} W</td></tr>
            <tr><td>At rated {{ fixed(picked.judged_current_a, 0) }} A</td><td></td><td class="n" data-test="judged">{{ mv(picked.judged_drop_v) }} mV</td></tr>
            <tr><td>Limit</td><td></td><td class="n">{{ mv(picked.limit_v) }} mV</td></tr>
          </tbody>
        </table>
        <p class="quiet mt-2 mb-0">Rule: {{ picked.limit_rule }}. Source: {{ picked.limit_source }}. Current {{ fixed(picked.current_a, 1) }} A, from {{ CURRENT[picked.current_basis] }}.</p>
        <p v-if="picked.ampacity" class="mb-0" :class="{ bad: !picked.ampacity.ok }">{{ ampacityWords(picked) }}</p>
        <p v-if="picked.fuse" class="mb-0" :class="{ bad: !picked.fuse.above_load || !picked.fuse.below_cable }">{{ picked.fuse.words }} {{ picked.fuse.family }}, breaks {{ picked.fuse.interrupting_a }} A.</p>
      </section>
      <ResistancesPanel v-if="said.headline.verdict !== 'not_measured'" />
      <section class="panel">
        <h2 class="sleeve">Sides</h2>
        <table class="figures">
          <thead><tr><th></th><th class="n">read</th><th class="n">at {{ fixed(said.rated_current_a, 0) }} A</th><th class="n">limit</th><th></th></tr></thead>
          <tbody>
            <tr v-for="s in said.sides" :key="s.name" :data-side="s.name" :title="s.reason">
              <td>{{ SIDES[s.name] }}<br><small class="quiet">{{ BASIS[s.basis] }}</small></td>
              <td class="n">{{ mv(s.measured_drop_v) }}</td><td class="n">{{ mv(s.judged_drop_v) }}</td><td class="n">{{ mv(s.limit_v) }}</td><td><VerdictMark :verdict="s.verdict" :word="false" /></td>
            </tr>
          </tbody>
        </table>
        <p v-for="check in said.checks" :key="check.name" class="check" :class="{ bad: !check.agrees }" :data-check="check.name">{{ check.agrees ? '✓' : '✕' }} {{ check.message }}</p>
        <p class="quiet mb-0">Limits: {{ said.limit_label }}; source: {{ said.sides[0]?.limit_source }}.</p>
      </section>
      <section class="panel">
        <h2 class="sleeve">Branches</h2>
        <table class="figures">
          <thead><tr><th></th><th class="n">sound</th><th class="n">read</th><th class="n">excess mΩ</th><th></th></tr></thead>
          <tbody>
            <tr v-for="b in said.branches" :key="b.branch_id" class="line" :class="{ on: b.branch_id === bench.selected }" tabindex="0" :data-row="b.branch_id" @click="bench.selected = b.branch_id" @keydown.enter="bench.selected = b.branch_id">
              <td>{{ b.label }}</td><td class="n">{{ mv(Math.abs(b.predicted_drop_v)) }}</td><td class="n">{{ mv(b.measured_drop_v) }}</td><td class="n">{{ mohm(b.excess_resistance_ohm) }}</td><td><VerdictMark :verdict="b.verdict" :word="false" /></td>
            </tr>
          </tbody>
        </table>
      </section>
      <section v-if="said.findings.length" class="panel">
        <h2 class="sleeve">Called out</h2>
        <p v-for="f in said.findings" :key="f.code + f.branch_id" class="finding" :class="f.severity" :data-finding="f.code"><b>{{ f.title }}.</b> {{ f.why }} <span class="quiet">{{ f.rule }} ({{ f.source }}).</span></p>
      </section>
    </template>
    <p v-else-if="!bench.circuit" class="panel">Describe the circuit first. <v-btn color="primary" @click="emit('go', 'circuit')">To the circuit</v-btn></p>
  </BenchFrame>
</template>

<style scoped>
.headline {
  border-left: 10px solid currentColor;
}
.headline[data-verdict='fail'] {
  border-left-color: var(--fail);
}
.headline[data-verdict='pass'] {
  border-left-color: var(--pass);
}
.headline[data-verdict='excess'] {
  border-left-color: var(--excess);
}
.headline[data-verdict='check_probes'] {
  border-left-color: var(--probes);
}
.headline[data-verdict='too_close_to_call'] {
  border-left-color: var(--close);
}
.text {
  font-size: 1.1rem;
  font-weight: 700;
  margin: 6px 0;
}

.big {
  font-variant-numeric: tabular-nums;
  font-weight: 700;
  font-size: 3rem;
  line-height: 1.1;
  margin: 4px 0;
}
.big small {
  font-size: 1.2rem;
}
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
.finding {
  border-left: 8px solid var(--excess);
  padding-left: 10px;
  margin: 8px 0 0;
}
.finding.danger {
  border-left-color: var(--fail);
}
</style>
