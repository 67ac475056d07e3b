<script setup lang="ts">
import type { ProblemDocument } from '@/api/types'

defineProps<{ problem: ProblemDocument | null; again?: () => void }>()
</script>

<template>
  <div v-if="problem" class="notice" role="alert">
    <b>{{ problem.title }}.</b> {{ problem.detail }}
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
