<script setup lang="ts">
/** Loop above staircase, beside the work of a stage. Pick in one, see it in the other. */
import { computed } from 'vue'
import { useCatalogue } from '@/lib/catalogue'
import { useWorkbench } from '@/lib/workbench'
import LoopView from '@/charts/LoopView.vue'
import StaircaseView from '@/charts/StaircaseView.vue'
import ProblemNotice from './ProblemNotice.vue'

defineProps<{ red?: string | null; black?: string | null }>()
const bench = useWorkbench()
const { sizes } = useCatalogue()
/** A state that is tried out replaces readings and predictions, as long as it is of the circuit that is drawn. */
const point = computed(() => (bench.solved && bench.solvedCircuit === bench.judgedCircuit ? bench.solved.point : undefined))
const wide = computed(() => (bench.judged?.loop.width ?? 0) > 1350)
const pick = (id: string) => (bench.selected = id)
</script>

<template>
  <div class="frame" :class="{ wide }">
    <div class="pictures stack">
      <ProblemNotice :problem="bench.trouble" :again="() => void bench.ask()" />
      <template v-if="bench.judged && bench.judgedCircuit">
        <section class="panel loop-panel" :class="{ stale: bench.problems.length > 0 }">
          <LoopView :circuit="bench.judgedCircuit" :judged="bench.judged" :point="point" :selected="bench.selected" :sizes="sizes" :red="red" :black="black" @select="pick" />
        </section>
        <section class="panel" :class="{ stale: bench.problems.length > 0 }">
          <StaircaseView :judged="bench.judged" :staircase="point ? bench.solved?.staircase : undefined" :selected="bench.selected" @select="pick" />
        </section>
      </template>
      <slot v-else name="empty">
        <p v-if="bench.problems.length" class="panel">The circuit cannot be drawn yet: {{ bench.problems[0]?.message }}</p>
        <v-progress-linear v-else-if="bench.circuit && !bench.trouble" indeterminate aria-label="Solving" />
      </slot>
      <p v-if="bench.problems.length && bench.judged" class="quiet ma-0" role="status">Drawn as it was before the last edit: that edit has something wrong, see beside.</p>
    </div>
    <div class="work stack"><slot /></div>
  </div>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(340px, 410px);
  gap: 12px;
  padding: 12px 16px 40px;
  align-items: start;
}
/* A long ring takes the whole width; its staircase and the work share the row below. */
@media (min-width: 1024px) {
  .frame.wide .pictures {
    display: contents;
  }
  .frame.wide .loop-panel {
    grid-column: 1 / -1;
    padding: 6px;
  }
}
.pictures {
  position: sticky;
  top: 8px;
}
.stale {
  opacity: 0.45;
}
.pictures .panel {
  padding: 6px;
}
@media (max-width: 1023px) {
  .frame {
    grid-template-columns: minmax(0, 1fr);
    padding: 10px;
  }
  .pictures {
    position: static;
  }
}
@media (max-width: 640px) {
  .pictures .panel {
    overflow-x: auto;
  }
  .pictures .panel :deep(svg) {
    min-width: 640px;
  }
}
</style>
