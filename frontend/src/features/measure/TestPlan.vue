<script setup lang="ts">
/** The tests of this circuit in the order of the work: what would tell most now; the list of all folds behind it. */
import { computed, ref } from 'vue'
import type { ProcedureView } from '@/api/types'
import { useKeys } from '@/composables/keys'
import { useWorkbench } from '@/composables/workbench'
import { inMinutes } from '@/ui/numbers'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import VerdictMark from '@/ui/VerdictMark.vue'
import { useBench, worst } from './bench'
import CaptureDialog from './CaptureDialog.vue'
import RunScreen from './RunScreen.vue'

const bench = useWorkbench()
const { view, problem, madeOf } = useBench()
/** Name of the test that is open, or will be as soon as the tests are known; empty: none. */
const opened = ref('')
const running = computed(() => tests.value.find((p) => p.name === opened.value) ?? null)
const looking = ref(false)
const unfolded = ref(false)
const tests = computed(() => view.value?.procedures ?? [])
const made = computed(() => view.value?.procedures.filter((p) => p.last).length ?? 0)
/** Tests by their own rule alone wait behind one line, unless they were made. */
const rest = ref(false)
const listed = computed(() => tests.value.filter((p) => p.tells || p.last || rest.value))
const hidden = computed(() => tests.value.length - listed.value.length)
/** What the findings say comes next, be it a test, one reading of it, or no reading at all. */
const next = computed(() => bench.keptFindings?.next_actions[0] ?? null)
/** Where the headline has something else to do first, it only is what would tell most. */
const called = computed(() => {
  const { reading = '', read_on = false } = bench.keptFindings?.headline ?? {}
  return read_on && reading === next.value?.short ? 'Next' : 'Tells most'
})
/** A reading where that begins; empty: with the first. */
const at = ref('')
const judged = (p: ProcedureView) => worst(madeOf(p.name)?.judgements ?? [])
const state = (p: ProcedureView) => (p.last ? (p.last.run.skipped ? 'skipped' : (judged(p) ?? 'read')) : 'open')
function open(name = '', point = ''): void {
  at.value = point
  opened.value = name
}
/**
 * The drop test is typed below, beside its branches, once its cautions were seen; from the list it opens as the others do, to be read
 * live or skipped.
 */
function follow(): void {
  const { procedure, point } = next.value ?? {}
  if (procedure !== 'charging_drops') return open(procedure, point)
  const field = document.querySelector<HTMLInputElement>(point ? `[data-walk="${point}"] input` : '[data-walk] input')
  if (field && !field.closest('[inert]')) field.focus()
  else open(procedure, point)
}
/** A retest is made under the conditions of the last time: they stand in it already. */
const latest = computed(
  () =>
    [...tests.value]
      .filter((p) => p.last && !p.last.run.skipped)
      .sort((a, b) => (b.last?.measured_at ?? '').localeCompare(a.last?.measured_at ?? ''))[0],
)
useKeys([
  { key: 'n', label: 'what would tell most now', run: follow },
  { key: 'r', label: 'the test made last, once more under the same conditions', run: () => open(latest.value?.name) },
])
</script>

<template>
  <section class="panel stack plan" :class="{ leads: called === 'Next' }" data-test="test-plan">
    <div class="row head">
      <h2 v-if="!next" class="sleeve">Tests</h2>
      <p v-else-if="!next.procedure" class="next ma-0" data-test="best-test">{{ called }}: {{ next.text }}</p>
      <button v-else type="button" class="link next" data-test="best-test" @click="follow">
        {{ called }}: <b>{{ next.short }}</b>, <span class="whole">{{ inMinutes(next.minutes) }}</span>
      </button>
      <span class="grow" />
      <v-btn variant="text" class="px-2" data-test="open-captures" @click="looking = true">Captures</v-btn>
      <v-btn variant="text" class="px-2" :aria-expanded="unfolded" data-test="all-tests" @click="unfolded = !unfolded">
        {{ unfolded ? 'Collapse' : `All ${view?.procedures.length ?? ''}` }}
      </v-btn>
    </div>
    <ProblemNotice :problem="problem" />
    <p v-if="unfolded && view" class="quiet ma-0">{{ made }} of {{ view.procedures.length }} made, in the order of the work.</p>
    <button
      v-for="p in unfolded ? listed : []"
      :key="p.name"
      type="button"
      class="test"
      :class="{ best: p.name === next?.procedure }"
      :data-procedure="p.name"
      :data-state="state(p)"
      @click="open(p.name)"
    >
      <span class="grow"
        ><b>{{ p.title }}</b
        ><br /><small class="quiet"
          >{{ p.engine }}, {{ p.minutes }} min<template v-if="madeOf(p.name)?.repeats.length"> · repeated</template></small
        ></span
      >
      <VerdictMark v-if="judged(p)" :verdict="judged(p)!" />
      <span v-else-if="p.last" class="quiet">{{ p.last.run.skipped ? 'skipped' : 'read' }}</span>
    </button>
    <button
      v-if="unfolded && (hidden || rest)"
      type="button"
      class="link"
      :aria-expanded="rest"
      data-test="more-tests"
      @click="rest = !rest"
    >
      {{ rest ? 'Fewer' : `${hidden} more: idle, heat, drain by fuse, joints …` }}
    </button>
    <CaptureDialog v-if="looking" asks="ripple" @close="looking = false" />
    <RunScreen v-if="running" :procedure="running" :first="at" @close="opened = ''" />
  </section>
</template>

<style scoped>
.plan {
  gap: 0;
  padding: 4px 12px;
}
/* What comes next stands out as it does in the findings. */
.plan.leads {
  border-left: 10px solid var(--copper);
}
.whole {
  white-space: nowrap;
}
.head {
  gap: 2px;
  flex-wrap: nowrap;
}
.next {
  flex: 1 1 auto;
  min-width: 0;
}
.test {
  display: flex;
  gap: 10px;
  align-items: center;
  min-height: 48px;
  text-align: left;
  border-bottom: 1px solid var(--line);
}
.test.best {
  border-left: 6px solid var(--copper);
  padding-left: 8px;
}
.link {
  text-align: left;
  min-height: 44px;
  text-decoration: underline;
}
</style>
