<script setup lang="ts">
/** The bench tests of this circuit in the order of the work: what is done, what it said, what would tell most now. */
import { computed, ref, watch } from 'vue'
import type { ProcedureView } from '@/api/types'
import ProblemNotice from '@/components/ProblemNotice.vue'
import VerdictMark from '@/components/VerdictMark.vue'
import { useBench, worst } from '@/lib/bench'
import { useKeys } from '@/lib/keys'
import CaptureDialog from './CaptureDialog.vue'
import RunDialog from './RunDialog.vue'

const { view, problem, keep } = useBench()
const running = ref<ProcedureView | null>(null)
const looking = ref(false)
/** The drop test below is the way most jobs go; the list of all others unfolds where they have begun. */
const unfolded = ref(false)
const made = computed(() => view.value?.procedures.filter((p) => p.last).length ?? 0)
watch(made, (now, before) => { if (now && !before) unfolded.value = true }, { immediate: true })
/** Tests by their own rule alone wait behind one line, unless they were made. */
const rest = ref(false)
const listed = computed(() => view.value?.procedures.filter((p) => p.tells || p.last || rest.value) ?? [])
const hidden = computed(() => (view.value?.procedures.length ?? 0) - listed.value.length)
const best = computed(() => view.value?.diagnosis.next_tests[0] ?? null)
const state = (p: ProcedureView) => (p.last ? (p.last.run.skipped ? 'skipped' : (worst(p.judged) ?? 'read')) : 'open')
function open(name: string | undefined): void {
  running.value = view.value?.procedures.find((p) => p.name === name) ?? null
}
/** A retest is made under the conditions of the last time: they stand in it already. */
const latest = computed(() => [...(view.value?.procedures ?? [])].filter((p) => p.last && !p.last.run.skipped).sort((a, b) => (b.last?.run.measured_at ?? '').localeCompare(a.last?.run.measured_at ?? ''))[0])
useKeys([
  { key: 'n', label: 'the bench test that would tell most now', run: () => open(best.value?.procedure) },
  { key: 'r', label: 'the bench test made last, once more under the same conditions', run: () => open(latest.value?.name) },
])
</script>

<template>
  <section class="panel stack" data-test="test-plan">
    <div class="row"><h2 class="sleeve">Bench tests</h2><span class="grow" /><span v-if="view" class="quiet">{{ made }} of {{ view.procedures.length }}</span>
      <v-btn variant="text" class="px-2" data-test="open-captures" @click="looking = true">Captures</v-btn>
      <v-btn variant="text" class="px-2" :aria-expanded="unfolded" data-test="all-tests" @click="unfolded = !unfolded">{{ unfolded ? 'Fold' : 'All' }}</v-btn></div>
    <ProblemNotice :problem="problem" />
    <p v-if="best && best.bits > 0.05" class="ma-0">Tells most now: <button type="button" class="link" data-test="best-test" @click="open(best.procedure)"><b>{{ best.title }}</b>, {{ best.minutes }} min</button></p>
    <button v-for="p in unfolded ? listed : []" :key="p.name" type="button" class="test" :class="{ best: p.name === best?.procedure }" :data-procedure="p.name" :data-state="state(p)" @click="open(p.name)">
      <span class="grow"><b>{{ p.title }}</b><br><small class="quiet">{{ p.engine }}, {{ p.minutes }} min<template v-if="p.repeats.length"> · repeated</template></small></span>
      <VerdictMark v-if="worst(p.judged)" :verdict="worst(p.judged)!" />
      <span v-else-if="p.last" class="quiet">{{ p.last.run.skipped ? 'skipped' : 'read' }}</span>
    </button>
    <button v-if="unfolded && (hidden || rest)" type="button" class="link" :aria-expanded="rest" data-test="more-tests" @click="rest = !rest">{{ rest ? 'Fewer' : `${hidden} more: idle, heat, drain by fuse, joints …` }}</button>
    <CaptureDialog v-if="looking" asks="ripple" @close="looking = false" />
    <RunDialog v-if="running" :procedure="running" :keep="keep" @close="running = null" />
  </section>
</template>

<style scoped>
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
