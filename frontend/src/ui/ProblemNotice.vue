<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, watch } from 'vue'
import type { ProblemDocument } from '@/api/types'

const props = defineProps<{ problem: ProblemDocument | null; again?: () => void }>()
const EVERY_MS = 4000
/** A server or database that is away comes back by itself: so does the page. */
const away = computed(() => !!props.again && !!props.problem && [0, 502, 503].includes(props.problem.status))
const trying = useIntervalFn(() => props.again?.(), EVERY_MS, { immediate: false })
watch(away, (now) => (now ? trying.resume() : trying.pause()), { immediate: true })
</script>

<template>
  <div v-if="problem" class="notice" role="alert">
    <b>{{ problem.title }}.</b> {{ problem.detail }}
    <span v-if="away"> It is tried again by itself.</span>
    <span v-if="problem.status >= 500 && problem.request_id" class="quiet"> In the server's log: {{ problem.request_id }}</span>
    <v-btn v-if="again" size="small" variant="outlined" class="mt-2" @click="again">Try again</v-btn>
  </div>
</template>

<style scoped>
.notice {
  border: 2px solid var(--fail);
  border-left-width: 8px;
  padding: 10px 12px;
  background: rgb(var(--v-theme-surface));
  overflow-wrap: anywhere;
}
</style>
