<script setup lang="ts">
/** Where the milliohms are: each branch's resistance as the readings have it, with its interval, beside a sound one. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import ProblemNotice from '@/components/ProblemNotice.vue'
import { fixed } from '@/lib/numbers'
import { useSession } from '@/lib/session'
import { useWorkbench } from '@/lib/workbench'

const bench = useWorkbench()
const session = useSession()
const queries = useQueryClient()
const key = computed(() => ['resistances', bench.jobId, bench.asFound?.id, bench.judged?.assessment.headline.text])
const query = useQuery({
  queryKey: key,
  queryFn: () => data(client.GET('/api/jobs/{job_id}/resistances', { params: { path: { job_id: bench.jobId } } })),
  retry: false,
})
const fit = computed(() => query.data.value ?? null)
const told = computed(() => fit.value?.branches.filter((b) => b.told || b.among) ?? [])
const most = computed(() => Math.max(...told.value.map((b) => Math.max(b.high_mohm, b.sound_mohm)), 0.1))
const at = (mohm: number) => `${Math.min(100, (100 * mohm) / most.value)}%`
const inCircuit = computed(() => bench.circuit?.branches.filter((b) => b.measured_mohm != null).length ?? 0)
const problem = ref<ProblemDocument | null>(null)
const busy = ref(false)
async function takeOver(): Promise<void> {
  busy.value = true
  try {
    await data(client.POST('/api/jobs/{job_id}/resistances', { params: { path: { job_id: bench.jobId } } }))
    problem.value = null
    await bench.reload()
    await queries.invalidateQueries({ queryKey: ['resistances', bench.jobId] })
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <section v-if="fit && told.length" class="panel stack" data-test="resistances">
    <h2 class="sleeve">Where the milliohms are</h2>
    <p class="ma-0" :class="{ bad: fit.contradict }">{{ fit.words }}</p>
    <button v-for="b in told" :key="b.branch_id" type="button" class="one" :data-fitted="b.branch_id" @click="bench.selected = b.branch_id">
      <span>{{ b.label }}</span><span class="n"><b :class="{ bad: b.too_much }">{{ fixed(b.fitted_mohm, 2) }}</b> <span class="quiet">{{ fixed(b.low_mohm, 2) }} … {{ fixed(b.high_mohm, 2) }} mΩ, sound {{ fixed(b.sound_mohm, 2) }}</span></span>
      <span class="scale" aria-hidden="true"><i class="span" :class="{ over: b.too_much, among: b.among }" :style="{ left: at(b.low_mohm), right: `calc(100% - ${at(b.high_mohm)})` }" /><i class="sound" :style="{ left: at(b.sound_mohm) }" /></span>
    </button>
    <p class="quiet ma-0">At 20 °C, least squares over {{ fit.readings }} readings; the bar is the 95 % interval, the tick a sound part. Hatched: one of these has too much. Branches the readings do not tell are left out.</p>
    <ProblemNotice :problem="problem" />
    <div class="row">
      <v-btn v-if="session.mayWrite" variant="outlined" :loading="busy" data-test="take-over" @click="takeOver">Put them into the circuit</v-btn>
      <span v-if="inCircuit" class="quiet" data-test="in-circuit">{{ inCircuit }} branch{{ inCircuit > 1 ? 'es have' : ' has' }} a measured resistance: states and faults start from it, marked as such.</span>
    </div>
  </section>
</template>

<style scoped>
.one {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 10px;
  min-height: 48px;
  text-align: left;
  align-items: center;
}
.n {
  font-variant-numeric: tabular-nums;
}
.scale {
  grid-column: 1 / -1;
  position: relative;
  height: 12px;
  border-bottom: 1px solid var(--line);
}
.span {
  position: absolute;
  top: 2px;
  height: 7px;
  min-width: 3px;
  background: var(--slate);
}
.span.over {
  background: var(--fail);
}
.span.among {
  background: repeating-linear-gradient(115deg, var(--fail) 0 4px, transparent 4px 9px);
}
.sound {
  position: absolute;
  top: -2px;
  width: 3px;
  height: 14px;
  background: currentColor;
}
.bad {
  color: var(--fail);
}
</style>
