<script setup lang="ts">
/** What the customer is offered for the work: made from the kept bill, printed, and accepted by name. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { client, data } from '@/api/client'
import { useSaving } from '@/composables/saving'
import { useWorkbench } from '@/composables/workbench'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { day, moment } from '@/ui/dates'
import { money } from '@/ui/numbers'

const props = defineProps<{ kept: boolean; disabled: boolean; revision: number }>()
const bench = useWorkbench()
const cache = useQueryClient()
const params = computed(() => ({ path: { job_id: bench.jobId } }))
const key = computed(() => ['quotation', bench.jobId, bench.plan?.id, bench.asFound?.id, props.revision])
const query = useQuery({
  queryKey: key,
  queryFn: () => data(client.GET('/api/jobs/{job_id}/quotation', { params: params.value })),
  staleTime: 0,
})
const record = computed(() => query.data.value ?? null)
const offered = computed(() => record.value?.document ?? null)
const until = ref('')
const note = ref('')
const by = ref('')
watch(
  record,
  (now) => {
    if (now && !until.value) until.value = now.usual_until
  },
  { immediate: true },
)
const { busy, problem, conflict, save } = useSaving()
const put = (made: unknown) => cache.setQueryData(key.value, made)
const make = () =>
  save(async () =>
    put(
      await data(
        client.POST('/api/jobs/{job_id}/quotation', { params: params.value, body: { valid_until: until.value, note: note.value } }),
      ),
    ),
  )
const accept = () =>
  save(async () =>
    put(
      await data(
        client.POST('/api/jobs/{job_id}/quotation/accepted', {
          params: { ...params.value, query: { revision: record.value!.revision } },
          body: { by: by.value, recorded_by: '', at: null },
        }),
      ),
    ),
  )
/** Somebody made another one meanwhile: that one is looked at before anybody says yes. */
watch(conflict, (now) => now && query.refetch())
</script>

<template>
  <section v-if="record" class="stack mt-4" data-test="quotation">
    <h3 class="ma-0">Quotation</h3>
    <template v-if="offered">
      <p class="ma-0" data-test="offered">
        <b>No. {{ record.number }}: {{ money(offered.total, offered.currency) }}</b
        >, holds until {{ day(offered.request.valid_until) }}.
        <template v-if="offered.accepted"
          ><b class="yes">✓ Accepted by {{ offered.accepted.by }}</b
          >, {{ offered.accepted.at ? moment(offered.accepted.at) : '' }}, taken down by {{ offered.accepted.recorded_by }}.</template
        >
      </p>
      <p v-if="record.changed" class="ma-0 changed" data-test="quotation-changed">▲ {{ record.changed }}</p>
      <div class="row">
        <v-btn variant="outlined" :href="`/api/jobs/${bench.jobId}/files/quotation.pdf`" data-test="quotation-pdf">Print</v-btn>
        <template v-if="!offered.accepted && !disabled">
          <v-text-field
            v-model="by"
            label="Accepted by"
            density="compact"
            hide-details
            maxlength="120"
            class="who"
            data-test="accepted-by"
          />
          <v-btn color="primary" :disabled="!by.trim()" :loading="busy" data-test="accept-quotation" @click="accept">Accepted</v-btn>
        </template>
      </div>
    </template>
    <div v-if="!disabled" class="row">
      <v-text-field v-model="until" type="date" label="Holds until" density="compact" hide-details class="until" data-test="valid-until" />
      <v-text-field
        v-model="note"
        label="Note for the customer"
        density="compact"
        hide-details
        maxlength="1000"
        data-test="quotation-note"
      />
      <v-btn variant="outlined" :disabled="!kept" :loading="busy" data-test="make-quotation" @click="make">{{
        offered ? 'Make another' : 'Make a quotation'
      }}</v-btn>
    </div>
    <p v-if="!kept && !disabled" class="quiet ma-0">Keep what you have typed first: a quotation is made of what is kept.</p>
    <ProblemNotice :problem="problem" />
    <ProblemNotice :problem="conflict" />
  </section>
</template>

<style scoped>
.yes {
  color: var(--pass);
}
.changed {
  color: var(--fail);
}
.who {
  max-width: 240px;
}
.until {
  max-width: 180px;
}
</style>
