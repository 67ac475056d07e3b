<script setup lang="ts">
import type { BranchVerdict } from '@/api/types'
import { MARKS } from '@/charts/marks'

withDefaults(defineProps<{ verdict: BranchVerdict; size?: number; word?: boolean }>(), { size: 20, word: true })
</script>

<template>
  <span class="verdict" :style="{ color: MARKS[verdict].colour }" :data-verdict="verdict">
    <svg :width="size" :height="size" viewBox="0 0 24 24" aria-hidden="true">
      <path :d="MARKS[verdict].path" fill="none" stroke="currentColor" stroke-width="2.6" stroke-linejoin="round" stroke-linecap="round" />
    </svg>
    <b v-if="word">{{ MARKS[verdict].word }}</b>
    <span v-else class="d-sr-only">{{ MARKS[verdict].word }}</span>
  </span>
</template>

<style scoped>
.verdict {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
</style>
