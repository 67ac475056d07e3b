<script setup lang="ts">
/** The live proof: what was promised, what the vehicle did, what its contacts make of heat, and the tests to read it by. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProcedureView } from '@/api/types'
import { useWorkbench } from '@/composables/workbench'
import RunScreen from '@/features/measure/RunScreen.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'

const bench = useWorkbench()
const query = useQuery({
  queryKey: computed(() => ['isolation', bench.jobId, 'proof', bench.job?.documents.length, bench.job?.runs.length]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/isolation/proof', { params: { path: { job_id: bench.jobId } } })),
  retry: false,
})
const view = computed(() => query.data.value ?? null)
const disconnect = computed(() => view.value?.disconnect ?? null)
const problem = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const running = ref<ProcedureView | null>(null)
const SIGNS: Record<string, string> = { true: '✓ as promised', false: '✕ not as promised', null: 'not yet read' }
function closed(): void {
  running.value = null
  void query.refetch()
}
</script>

<template>
  <v-progress-linear v-if="query.isFetching.value" indeterminate aria-label="Holding the proof against the promise" />
  <ProblemNotice :problem="problem" />
  <template v-if="view && disconnect">
    <p class="head" data-test="proof" :data-proven="String(disconnect.proof.proven)">
      <b>{{ disconnect.proof.headline }}.</b>
    </p>
    <div class="row tests">
      <v-btn
        v-for="p in view.procedures"
        :key="p.name"
        :color="p.name === 'disconnect' ? 'primary' : undefined"
        :variant="p.name === 'disconnect' ? 'flat' : 'outlined'"
        :disabled="!bench.mayWrite"
        :data-prove="p.name"
        @click="running = p"
        >{{ p.title }}{{ p.last ? ': again' : '' }}</v-btn
      >
    </div>
    <v-table class="figures">
      <thead>
        <tr>
          <th>Tried</th>
          <th>Promised</th>
          <th>Read</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in disconnect.proof.lines" :key="l.point" :data-line="l.point" :data-kept="String(l.kept)">
          <td>{{ l.label }}</td>
          <td>{{ l.promised }}</td>
          <td>
            <b>{{ l.read || '–' }}</b>
          </td>
          <td :class="`kept-${l.kept}`">{{ SIGNS[String(l.kept)] }}</td>
        </tr>
      </tbody>
    </v-table>
    <template v-if="disconnect.contacts.length">
      <h2 class="sleeve">Heat in its contacts, all day long</h2>
      <v-table class="figures" data-test="contact-heat">
        <thead>
          <tr>
            <th>Contact</th>
            <th class="n">Carries</th>
            <th class="n">Rated</th>
            <th class="n">Closed</th>
            <th class="n">Heat</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in disconnect.contacts" :key="c.branch_id" :data-contact="c.branch_id" :data-measured="String(c.measured)">
            <td>{{ c.label }}</td>
            <td class="n">{{ fixed(c.carries_a, 0) }} A</td>
            <td class="n">{{ c.rating_a ? `${fixed(c.rating_a, 0)} A` : 'not known' }}</td>
            <td class="n">{{ fixed(1000 * c.resistance_ohm, 2) }} mΩ {{ c.measured ? 'read' : 'as new' }}</td>
            <td class="n">
              <b>{{ fixed(c.heat_w, 1) }} W</b>
            </td>
          </tr>
        </tbody>
      </v-table>
    </template>
    <RunScreen v-if="running" :procedure="running" :circuit-id="disconnect.circuit_id" @close="closed" />
  </template>
</template>

<style scoped>
.head {
  margin: 10px 0 6px;
}
.tests {
  gap: 8px;
  flex-wrap: wrap;
  margin-bottom: 8px;
}
.kept-true {
  color: var(--pass);
  font-weight: 700;
}
.kept-false {
  color: var(--fail);
  font-weight: 700;
}
.kept-null {
  color: var(--quiet);
}
</style>
