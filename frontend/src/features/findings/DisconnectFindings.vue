<script setup lang="ts">
/** The disconnect that was decided on: whether it does what it is for, what decides that, and how far it is proven. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, data } from '@/api/client'
import { useWorkbench } from '@/composables/workbench'

const emit = defineEmits<{ go: [] }>()
const bench = useWorkbench()
const query = useQuery({
  queryKey: computed(() => ['isolation', bench.jobId, 'proof', bench.job?.documents.length, bench.job?.runs.length]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/isolation/proof', { params: { path: { job_id: bench.jobId } } })),
  retry: false,
})
const disconnect = computed(() => query.data.value?.disconnect ?? null)
const decides = computed(() => {
  const decisive = disconnect.value?.verdict.answers.filter((a) => a.kind !== 'advises' && a.outcome !== 'met') ?? []
  return decisive.find((a) => a.outcome === 'broken') ?? decisive[0] ?? null
})
</script>

<template>
  <section v-if="disconnect" class="panel row disconnect" data-test="disconnect-found" :data-does="String(disconnect.verdict.does)">
    <p class="ma-0 grow">
      <b>Disconnect. {{ disconnect.verdict.headline }}.</b> {{ decides?.words }}
      <span :class="`proof-${disconnect.proof.proven}`" data-test="disconnect-proof">{{ disconnect.proof.headline }}.</span>
    </p>
    <v-btn variant="outlined" data-test="to-isolate" @click="emit('go')">Look</v-btn>
  </section>
</template>

<style scoped>
.disconnect {
  align-items: center;
  gap: 10px;
  padding: 8px 12px;
}
.proof-false {
  color: var(--fail);
  font-weight: 700;
}
</style>
