<script setup lang="ts">
/** Which fault explains the readings, how surely, what speaks for and against it, and which test would tell most. */
import { ref } from 'vue'
import type { StageName } from '@/api/types'
import ProblemNotice from '@/components/ProblemNotice.vue'
import VerdictMark from '@/components/VerdictMark.vue'
import { shown, useBench } from '@/lib/bench'
import { useWorkbench } from '@/lib/workbench'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const { view, problem } = useBench()
const opened = ref(0)
const percent = (p: number) => (p >= 0.995 ? '> 99 %' : p < 0.01 ? '< 1 %' : `${Math.round(p * 100)} %`)
function look(k: number, element: string): void {
  opened.value = opened.value === k ? -1 : k
  if (bench.circuit?.branches.some((b) => b.id === element)) bench.selected = element
}
</script>

<template>
  <section class="panel stack" data-test="causes">
    <h2 class="sleeve">What explains it</h2>
    <ProblemNotice :problem="problem" />
    <template v-if="view">
      <p class="text" data-test="causes-headline">{{ view.diagnosis.headline }}</p>
      <p v-if="!view.diagnosis.readings" class="quiet ma-0">Every fault of the catalogue is put into this circuit and its readings predicted; what is read at the bench then sorts them.</p>
      <template v-else>
        <div v-for="(c, k) in view.diagnosis.causes.filter((x) => x.probability >= 0.01).slice(0, 6)" :key="c.cause" :data-cause="c.cause">
          <button type="button" class="cause" :aria-expanded="opened === k" @click="look(k, c.element)">
            <span class="bar" :style="{ width: `${Math.max(2, 100 * c.probability)}%` }" /><span class="words"><b>{{ c.label }}</b><span class="quiet">{{ c.magnitude }}</span></span><b class="share">{{ percent(c.probability) }}</b>
          </button>
          <div v-if="opened === k" class="why">
            <p v-if="c.kind !== 'none'" class="ma-0">{{ c.advice }}</p>
            <table v-if="c.evidence.length" class="figures">
              <thead><tr><th></th><th class="n">read</th><th class="n">with it</th><th class="n">sound</th><th></th></tr></thead>
              <tbody>
                <tr v-for="e in c.evidence" :key="e.ask"><td>{{ e.label }}</td><td class="n">{{ shown(e.value, e.unit) }}</td><td class="n">{{ shown(e.expected, e.unit) }}</td><td class="n">{{ shown(e.sound, e.unit) }}</td><td>{{ e.favours > 0 ? 'for' : 'against' }}</td></tr>
              </tbody>
            </table>
          </div>
        </div>
        <p class="quiet ma-0">Two may be there at once, so the shares can add up to more than 100 %.</p>
        <p v-for="d in view.diagnosis.doubtful" :key="d.ask" class="ma-0" data-test="doubtful"><b>Read again: {{ d.label }}, {{ shown(d.value, d.unit) }}.</b> The likeliest cause would give {{ shown(d.expected, d.unit) }}, and no other explains it: a slip of the probe, the range or the decimal point ({{ percent(d.probability) }}).</p>
        <p v-if="view.diagnosis.together.length" class="ma-0"><b>Both at once:</b> {{ view.diagnosis.together.join('; ') }}.</p>
      </template>
      <p v-if="view.diagnosis.next_tests.length" class="ma-0">Next tests, by what they tell a minute:
        <template v-for="(t, k) in view.diagnosis.next_tests.slice(0, 3)" :key="t.procedure">{{ k ? ', ' : '' }}<b>{{ t.title }}</b> ({{ t.minutes }} min, {{ t.bits.toFixed(1) }} bit)</template>.
        <v-btn variant="outlined" class="mt-2" data-test="causes-measure" @click="emit('go', 'measure')">To the tests</v-btn></p>
      <template v-for="p in view.procedures" :key="p.name">
        <p v-for="j in p.judged.filter((x) => x.verdict !== 'pass')" :key="j.ask" class="ma-0"><VerdictMark :verdict="j.verdict" :size="16" /> <b>{{ j.label }}: {{ shown(j.value, j.unit) }}.</b> {{ j.why }} {{ j.next_step }} <span class="quiet">{{ j.limit }} ({{ j.source }}).</span></p>
        <p v-for="r in p.repeats" :key="r.ask" class="ma-0 quiet">{{ p.asks.find((a) => a.id === r.ask)?.label }}: {{ shown(r.before, p.asks.find((a) => a.id === r.ask)?.unit ?? '') }} before, {{ shown(r.after, p.asks.find((a) => a.id === r.ask)?.unit ?? '') }} now.</p>
      </template>
    </template>
  </section>
</template>

<style scoped>
.text {
  font-size: 1.05rem;
  font-weight: 700;
  margin: 0;
}
.cause {
  position: relative;
  display: flex;
  width: 100%;
  min-height: 48px;
  align-items: center;
  gap: 10px;
  text-align: left;
  border-bottom: 1px solid var(--line);
}
.bar {
  position: absolute;
  inset: 4px auto 4px 0;
  background: rgb(var(--v-theme-surface-variant));
}
.words {
  position: relative;
  flex: 1;
  display: grid;
  padding-left: 8px;
}
.share {
  position: relative;
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}
.why {
  padding: 8px 0 8px 10px;
  border-left: 4px solid var(--copper);
}
</style>
