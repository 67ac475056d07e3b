<script setup lang="ts">
/** What is found: one card that says what is wrong, one with what to do next, and causes, branches, readings or parts below. */
import { computed, ref, watch } from 'vue'
import type { StageName } from '@/api/types'
import { useKeys } from '@/composables/keys'
import { useWorkbench } from '@/composables/workbench'
import BenchFrame from '@/features/jobs/BenchFrame.vue'
import { inMinutes } from '@/ui/numbers'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import VerdictMark from '@/ui/VerdictMark.vue'
import BranchesView from './BranchesView.vue'
import CausesView from './CausesView.vue'
import DisconnectFindings from './DisconnectFindings.vue'
import PartsView from './PartsView.vue'
import ReadingsView from './ReadingsView.vue'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const findings = computed(() => bench.judged?.findings ?? null)
/** What would tell most next is looked for in what is kept only. */
const kept = computed(() => bench.keptFindings)
const VIEWS = [
  { name: 'causes', title: 'Causes' },
  { name: 'branches', title: 'Branches' },
  { name: 'readings', title: 'Readings' },
  { name: 'parts', title: 'Parts' },
] as const
const view = ref<(typeof VIEWS)[number]['name']>('causes')
watch(
  () => bench.selected,
  (id) => {
    if (id) view.value = 'branches'
  },
)
const unsettled = computed(() => findings.value?.headline.read_on ?? false)
/** Where nothing misses a limit, what would tell more is offered, and not what comes next. */
const called = computed(() => (findings.value?.headline.reading && !unsettled.value ? 'To be surer' : 'Next'))
/** What the headline's next step does not say already. */
const others = computed(() => {
  const { next_step = '', reading = '' } = findings.value?.headline ?? {}
  const said = next_step.toLowerCase()
  return (kept.value?.next_actions ?? [])
    .filter((a) => a.short !== reading && ![a.text, a.short].some((words) => said.includes(words.toLowerCase())))
    .slice(0, 2)
})
const wantsPlan = computed(() => bench.job?.progress.stages.some((s) => s.stage === 'plan' && s.on_path) ?? false)
const counts = computed<Record<string, number>>(() => ({
  parts: findings.value?.parts.length ?? 0,
  readings: findings.value?.tests.reduce((n, t) => n + t.readings.length, 0) ?? 0,
}))

function step(by: number): void {
  const order = findings.value?.branches.map((b) => b.branch_id) ?? []
  const at = order.indexOf(bench.selected ?? '')
  bench.selected = order[(at + by + order.length) % order.length] ?? null
}
useKeys([
  { key: 'j', label: 'next branch along the loop', run: () => step(1) },
  { key: 'k', label: 'branch before', run: () => step(-1) },
  { key: 'c', label: 'causes', run: () => (view.value = 'causes') },
  { key: 'b', label: 'branches', run: () => (view.value = 'branches') },
  { key: 'r', label: 'readings', run: () => (view.value = 'readings') },
])
</script>

<template>
  <BenchFrame work-first>
    <template v-if="findings">
      <section class="panel headline" :data-verdict="findings.headline.verdict" data-test="headline">
        <p class="text"><VerdictMark :verdict="findings.headline.verdict" :size="26" :word="false" /> {{ findings.headline.text }}</p>
        <ul v-if="findings.headline.why.length" class="why">
          <li v-for="w in findings.headline.why" :key="w">{{ w }}</li>
        </ul>
      </section>
      <section class="panel next" data-test="next">
        <p class="step ma-0">
          <b>{{ called }}:</b> {{ findings.headline.next_step }}
        </p>
        <p v-if="others.length && findings.headline.reading && !bench.closed" class="or ma-0 quiet" data-test="next-actions">
          Or:
          <template v-for="(a, k) in others" :key="a.text"
            >{{ k ? ' ' : '' }}{{ a.text.slice(0, -1) }} ({{ inMinutes(a.minutes) }}).</template
          >
        </p>
        <div v-if="!bench.closed" class="row">
          <v-btn
            :color="unsettled ? 'primary' : undefined"
            :variant="unsettled ? undefined : 'outlined'"
            data-test="to-measure"
            @click="emit('go', 'measure')"
            >{{ findings.tests.length ? 'Read on' : 'Measure' }}</v-btn
          >
          <v-btn
            v-if="wantsPlan"
            :color="unsettled ? undefined : 'primary'"
            :variant="unsettled ? 'outlined' : undefined"
            data-test="to-plan"
            @click="emit('go', 'plan')"
            >Plan</v-btn
          >
          <v-btn
            v-else
            :color="unsettled ? undefined : 'primary'"
            :variant="unsettled ? 'outlined' : undefined"
            data-test="to-hand-over"
            @click="emit('go', 'hand_over')"
            >Hand over</v-btn
          >
        </div>
      </section>
      <DisconnectFindings v-if="bench.hasDisconnect" @go="emit('go', 'isolate')" />
      <div class="switch" role="tablist" aria-label="What to look at">
        <button
          v-for="v in VIEWS"
          :key="v.name"
          type="button"
          role="tab"
          :aria-selected="view === v.name"
          :class="{ on: view === v.name }"
          :data-view="v.name"
          @click="view = v.name"
        >
          {{ v.title }}<small v-if="counts[v.name]" class="ml-1">{{ counts[v.name] }}</small>
        </button>
      </div>
      <CausesView v-if="view === 'causes'" :findings="findings" :kept="kept" @go="emit('go', $event)" />
      <BranchesView v-else-if="view === 'branches'" :findings="findings" />
      <ReadingsView v-else-if="view === 'readings'" :findings="findings" />
      <PartsView v-else :findings="findings" />
    </template>
    <p v-else-if="!bench.circuit" class="panel">
      Describe the circuit first. <v-btn color="primary" @click="emit('go', 'circuit')">To the circuit</v-btn>
    </p>
    <ProblemNotice v-else-if="bench.trouble" :problem="bench.trouble" />
    <ul v-else-if="bench.problems.length" class="panel">
      <li v-for="p in bench.problems" :key="p.message">{{ p.message }}</li>
    </ul>
  </BenchFrame>
</template>

<style scoped>
.headline,
.next {
  border-left: 10px solid currentColor;
  padding: 10px 12px;
}
.next {
  border-left-color: var(--copper);
  display: grid;
  gap: 6px;
}
/* Where there is room the two ways on stand beside what to do, so that what it is of is seen as well. */
@container work (min-width: 540px) {
  .next {
    grid-template: 'step row' auto 'or row' auto / minmax(0, 1fr) auto;
    align-items: center;
  }
  .next .step {
    grid-area: step;
  }
  .next .or {
    grid-area: or;
  }
  .next .row {
    grid-area: row;
    flex-wrap: nowrap;
  }
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
.headline[data-verdict='undecided'] {
  border-left-color: var(--undecided);
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
  margin: 0;
}
.why {
  margin: 4px 0 0;
  padding-left: 18px;
  font-size: 0.9rem;
}
.switch {
  display: flex;
  border: 2px solid rgb(var(--v-theme-on-surface));
}
.switch button {
  flex: 1;
  min-height: 44px;
}
.switch .on {
  background: rgb(var(--v-theme-on-surface));
  color: rgb(var(--v-theme-surface));
  font-weight: 700;
}
</style>
