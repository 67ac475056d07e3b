<script setup lang="ts">
/** The job's path in the order of the work: where you are, what is missing, what comes next. */
import type { Progress, StageName } from '@/api/types'

defineProps<{ progress: Progress; current: StageName }>()
const emit = defineEmits<{ go: [stage: StageName] }>()
const NAMES: Record<StageName, string> = {
  circuit: 'Circuit', measure: 'Measure', read: 'Read', propose: 'Propose', sheet: 'Sheet',
}
const SIGNS = { done: '●', partly: '◐', open: '○', blocked: '·' }
</script>

<template>
  <nav class="rail" aria-label="Stages of the job">
    <button
      v-for="(row, k) in progress.stages" :key="row.stage" type="button" class="stage" :class="[row.state, { here: row.stage === current }]"
      :aria-current="row.stage === current ? 'step' : undefined" :data-stage="row.stage" @click="emit('go', row.stage)"
    >
      <span class="sign" aria-hidden="true">{{ SIGNS[row.state] }}</span>
      <span class="words">
        <b>{{ k + 1 }} {{ NAMES[row.stage] }}</b>
        <small>{{ row.state === 'done' ? 'done' : row.missing }}<template v-if="progress.next_stage === row.stage && row.stage !== current"> ← next</template></small>
      </span>
    </button>
  </nav>
</template>

<style scoped>
.rail {
  display: flex;
  overflow-x: auto;
  border-block: 2px solid rgb(var(--v-theme-on-surface));
  background: rgb(var(--v-theme-surface));
}
.stage {
  flex: 1 1 0;
  min-width: 132px;
  min-height: 52px;
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 12px;
  text-align: left;
  border-right: 1px solid var(--line);
}
.stage small {
  display: block;
  color: var(--quiet);
  line-height: 1.15;
}
.stage.here {
  background: rgb(var(--v-theme-on-surface));
  color: rgb(var(--v-theme-surface));
}
.stage.here small {
  color: inherit;
  opacity: 0.8;
}
.stage.done .sign {
  color: var(--pass);
}
.stage.here .sign {
  color: inherit;
}
.sign {
  font-size: 1.3rem;
}
</style>
