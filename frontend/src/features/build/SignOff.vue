<script setup lang="ts">
/** Who looked the work over; whoever may, signs it as it was kept. */
import { computed } from 'vue'
import { client, data } from '@/api/client'
import type { BuildBook, BuildView } from '@/api/types'
import { useSaving } from '@/composables/saving'
import { useSession } from '@/composables/session'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { moment } from '@/ui/dates'

const props = defineProps<{ view: BuildView; jobId: number; revision: number; kept: boolean }>()
const emit = defineEmits<{ signed: [made: { revision: number; document: BuildBook }] }>()
const session = useSession()
const done = computed(() => props.view.steps.length > 0 && props.view.next_step === null)
const may = computed(() => session.may('sign') && props.kept && done.value && !props.view.signature?.stands)
const { busy, problem, save } = useSaving()
async function sign(): Promise<void> {
  await save(async () => {
    const params = { path: { job_id: props.jobId }, query: { revision: props.revision } }
    emit('signed', await data(client.POST('/api/jobs/{job_id}/build/signature', { params })))
  })
}
</script>

<template>
  <v-btn v-if="may" color="primary" :loading="busy" data-test="sign-build" @click="sign">Looked over: sign it off</v-btn>
  <ProblemNotice :problem="problem" />
  <p v-if="view.signature" class="ma-0" role="status" data-test="signature">
    <template v-if="view.signature.stands">✓ Looked over by {{ view.signature.by }}, {{ moment(view.signature.at) }}.</template>
    <template v-else>Looked over by {{ view.signature.by }}, {{ moment(view.signature.at) }}, before it was changed.</template>
  </p>
  <p v-else-if="done && !may" class="quiet ma-0">Somebody who leads looks it over and signs.</p>
</template>
