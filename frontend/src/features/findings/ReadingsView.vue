<script setup lang="ts">
/** Every reading as it stands, with what is said of it, test by test; also what nobody asks for any more. */
import type { Findings, Reading } from '@/api/types'
import { useQuantities } from '@/composables/quantities'
import { moment } from '@/ui/dates'
import VerdictMark from '@/ui/VerdictMark.vue'

defineProps<{ findings: Findings }>()
const { shown } = useQuantities()
const words = (r: Reading) => (r.quantity ? shown(r.quantity, r.value) : `${r.value} ${r.unit ?? ''}`)
</script>

<template>
  <section class="panel stack" data-test="readings">
    <p v-if="!findings.tests.length" class="quiet ma-0">Nothing read yet.</p>
    <div v-for="t in findings.tests" :key="t.procedure" :data-made="t.procedure">
      <div class="row">
        <h2 class="sleeve">{{ t.title }}</h2>
        <span class="quiet"
          >{{ t.measured_by }}<template v-if="t.measured_at">, {{ moment(t.measured_at) }}</template></span
        >
      </div>
      <p v-if="t.skipped" class="ma-0">skipped: {{ t.skipped }}</p>
      <p v-if="t.overdue.length" class="ma-0 bad">Calibration was overdue: {{ t.overdue.join(', ') }}</p>
      <v-table class="figures">
        <tbody>
          <template v-for="r in t.readings" :key="r.point">
            <tr :data-reading="r.point">
              <td>
                {{ r.label }}<br v-if="t.repeats.some((x) => x.point === r.point)" /><small
                  v-for="x in t.repeats.filter((y) => y.point === r.point)"
                  :key="x.point"
                  class="quiet"
                  >{{ shown(r.quantity ?? '', x.before) }} before</small
                >
              </td>
              <td class="n">{{ words(r) }}</td>
              <td>
                <VerdictMark
                  v-for="j in t.judgements.filter((x) => x.point === r.point)"
                  :key="j.point"
                  :verdict="j.verdict"
                  :word="false"
                />
              </td>
            </tr>
            <tr v-for="j in t.judgements.filter((x) => x.point === r.point && x.verdict !== 'pass')" :key="`why-${j.point}`">
              <td colspan="3" class="why">
                {{ j.why }} {{ j.next_step }} <span class="quiet">{{ j.limit }} ({{ j.source }}).</span>
              </td>
            </tr>
          </template>
        </tbody>
      </v-table>
    </div>
    <div v-if="findings.not_asked.length" data-test="not-asked">
      <h2 class="sleeve">No longer asked on this circuit</h2>
      <p v-for="r in findings.not_asked" :key="r.point" class="ma-0">{{ r.label || r.point }}: {{ words(r) }}</p>
    </div>
  </section>
</template>

<style scoped>
.why {
  font-size: 0.85rem;
  padding-top: 0;
}
.bad {
  color: var(--fail);
}
</style>
