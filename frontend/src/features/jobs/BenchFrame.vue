<script setup lang="ts">
/** Loop above staircase, beside the work of a stage. Pick in one, see it in the other. */
import { useResizeObserver } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import { useCatalogue } from '@/composables/catalogue'
import { useWorkbench } from '@/composables/workbench'
import LoopView from '@/charts/LoopView.vue'
import StaircaseView from '@/charts/StaircaseView.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'

defineProps<{
  red?: string | null
  black?: string | null
  /** Where there is room for one of them only, the work stands above the pictures. */
  workFirst?: boolean
}>()
const bench = useWorkbench()
const { sizes } = useCatalogue()
/** A state that is tried out replaces readings and predictions, as long as it is of the circuit that is drawn. */
const point = computed(() => (bench.solved && bench.solvedCircuit === bench.judgedCircuit ? bench.solved.point : undefined))
/** A ring that is long and low; one that is high as well would be no larger across the whole width, and leave the work no height. */
const LONG = 1350
const LOW = 2.5
const wide = computed(() => {
  const loop = bench.judged?.pictures.loop
  return !!loop && loop.width > LONG && loop.width > LOW * loop.height
})
/** What stands above it, a path in two lines or a notice, is left free: the rest of the screen is its own. */
const frame = ref<HTMLElement | null>(null)
const above = ref('')
function place(): void {
  if (frame.value) above.value = `${Math.ceil(frame.value.getBoundingClientRect().top + window.scrollY)}px`
}
onMounted(place)
useResizeObserver(() => frame.value?.parentElement, place)
const pick = (id: string) => (bench.selected = id)
</script>

<template>
  <div ref="frame" class="frame" :class="{ wide }" :style="{ '--above': above }">
    <div class="pictures stack">
      <ProblemNotice :problem="bench.trouble" :again="() => void bench.ask()" />
      <template v-if="bench.judged && bench.judgedCircuit">
        <section class="panel loop-panel" :class="{ stale: bench.problems.length > 0 }">
          <LoopView
            :circuit="bench.judgedCircuit"
            :findings="bench.judged.findings"
            :layout="bench.judged.pictures.loop"
            :point="point"
            :selected="bench.selected"
            :sizes="sizes"
            :red="red"
            :black="black"
            @select="pick"
          />
        </section>
        <section class="panel stairs" :class="{ stale: bench.problems.length > 0 }">
          <StaircaseView
            :findings="bench.judged.findings"
            :staircase="(point ? bench.solved?.staircase : undefined) ?? bench.judged.pictures.staircase"
            :selected="bench.selected"
            @select="pick"
          />
        </section>
      </template>
      <slot v-else name="empty">
        <p v-if="bench.problems.length" class="panel">The circuit cannot be drawn yet: {{ bench.problems[0]?.message }}</p>
        <v-progress-linear v-else-if="bench.circuit && !bench.trouble" indeterminate aria-label="Solving" />
      </slot>
      <p v-if="bench.problems.length && bench.judged" class="quiet ma-0" role="status">
        Drawn as it was before the last edit: that edit has something wrong, see beside.
      </p>
    </div>
    <div class="work stack" :class="{ first: workFirst }"><slot /></div>
  </div>
</template>

<style scoped>
/* The pictures stand still; what is worked on scrolls beside them. */
.frame {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(350px, 450px);
  gap: 12px;
  padding: 10px 16px;
  align-items: start;
}
@media (min-width: 1024px) {
  .frame {
    height: calc(100dvh - var(--above, 158px));
    contain: layout paint;
  }
  .work,
  .pictures {
    max-height: 100%;
    overflow-y: auto;
    scrollbar-gutter: stable;
  }
  /* A long ring takes the whole width; its staircase and the work share the row below, which is low: what decides has to stand in it. */
  .frame.wide {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    grid-template-rows: auto minmax(0, 1fr);
  }
  .frame.wide .pictures {
    display: contents;
  }
  .frame.wide .stairs {
    min-height: 0;
  }
  .frame.wide .stairs :deep(svg) {
    max-height: calc(50dvh - var(--above, 158px) - 46px);
  }
  .frame.wide .loop-panel {
    grid-column: 1 / -1;
  }
  .frame.wide .loop-panel :deep(svg) {
    max-height: calc(50dvh - 14px);
  }
}
.work {
  container: work / inline-size;
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
    display: contents;
  }
  .loop-panel {
    position: sticky;
    top: 0;
    z-index: 2;
  }
}
@media (max-width: 640px) {
  .work.first {
    order: -1;
  }
  .pictures .panel {
    overflow-x: auto;
  }
  .pictures .panel :deep(svg) {
    min-width: 560px;
  }
  .loop-panel {
    max-height: 40dvh;
  }
}
</style>
