<script setup lang="ts">
/** When a job is worked on next, as the week has it. */
import { computed } from 'vue'
import type { JobRecord } from '@/api/types'
import { soon } from '@/ui/dates'

const props = defineProps<{ planned: JobRecord['planned'] }>()
const next = computed(() => props.planned[0] ?? null)
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
