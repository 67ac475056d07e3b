<script setup lang="ts">
/** When a job is worked on next, as the week has it. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, data } from '@/api/client'
import { soon } from '@/ui/dates'

const props = defineProps<{ jobId: number }>()
const planned = useQuery({
  queryKey: computed(() => ['planned', props.jobId]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/planned', { params: { path: { job_id: props.jobId } } })),
})
const next = computed(() => planned.data.value?.works[0] ?? null)
const title = computed(() => (next.value ? [next.value.label, ...next.value.people].join(', ') : ''))
</script>

<template>
  <RouterLink v-if="next" :to="{ name: 'schedule' }" class="planned" :title="title" data-test="planned"
    >{{ soon(next.begins) }} · {{ next.bay || 'bench' }}</RouterLink
  >
</template>

<style scoped>
.planned {
  color: inherit;
  min-height: 44px;
  display: inline-flex;
  align-items: center;
}
</style>
