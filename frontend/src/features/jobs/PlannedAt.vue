<script setup lang="ts">
/** When a job is worked on next, as the week has it. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, data } from '@/api/client'
import { moment } from '@/ui/dates'

const props = defineProps<{ jobId: number }>()
const planned = useQuery({
  queryKey: computed(() => ['planned', props.jobId]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/planned', { params: { path: { job_id: props.jobId } } })),
})
const next = computed(() => planned.data.value?.works[0] ?? null)
const said = computed(() =>
  next.value ? [moment(next.value.begins), next.value.bay || 'at the bench', next.value.people.join(', ')].filter(Boolean).join(' · ') : '',
)
</script>

<template>
  <RouterLink v-if="next" :to="{ name: 'schedule' }" class="planned" :title="next.label" data-test="planned">{{ said }}</RouterLink>
</template>

<style scoped>
.planned {
  color: inherit;
  min-height: 44px;
  display: inline-flex;
  align-items: center;
}
</style>
