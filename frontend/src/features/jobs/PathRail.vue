<script setup lang="ts">
/** The job's path in the order of the work: where you are, what is missing, what comes next; other stages can be added. */
import { computed } from 'vue'
import type { Progress, StageName } from '@/api/types'

const props = defineProps<{ progress: Progress; current: StageName; known: readonly StageName[]; mayAdd: boolean }>()
const emit = defineEmits<{ go: [stage: StageName]; add: [stage: StageName] }>()
const SIGNS = { done: '●', partly: '◐', open: '○', blocked: '·' }
const shown = computed(() => props.progress.stages.filter((s) => props.known.includes(s.stage)))
const path = computed(() => shown.value.filter((s) => s.on_path || s.stage === props.current))
const others = computed(() => shown.value.filter((s) => !s.on_path))
</script>

<template>
  <nav class="rail" aria-label="Stages of the job">
    <button
      v-for="(row, k) in path"
      :key="row.stage"
      type="button"
      class="stage"
      :class="[row.state, { here: row.stage === current }]"
      :aria-current="row.stage === current ? 'step' : undefined"
      :data-stage="row.stage"
      @click="emit('go', row.stage)"
    >
      <span class="sign" aria-hidden="true">{{ SIGNS[row.state] }}</span>
      <span class="words">
        <b>{{ k + 1 }} {{ row.title }}</b>
        <small
          >{{ row.state === 'done' ? 'done' : row.missing
          }}<template v-if="progress.next_stage === row.stage && row.stage !== current && row.state !== 'done'"> ← next</template></small
        >
      </span>
    </button>
    <v-menu v-if="others.length && mayAdd">
      <template #activator="{ props: menu }"
        ><button v-bind="menu" type="button" class="stage more" data-test="add-stage" aria-label="Add a stage">+</button></template
      >
      <v-list
        ><v-list-item
          v-for="row in others"
          :key="row.stage"
          :title="`Add ${row.title}`"
          :data-add-stage="row.stage"
          @click="emit('add', row.stage)"
      /></v-list>
    </v-menu>
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
.stage.more {
  flex: 0 0 52px;
  min-width: 52px;
  justify-content: center;
  font-size: 1.4rem;
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
