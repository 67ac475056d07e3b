<script setup lang="ts">
/** Beside the readings of a running test: the steps of the hand, where the probes go, and the cautions once they were seen. */
import { computed } from 'vue'
import type { Catalogue, PointView, ProcedureView } from '@/api/types'
import LoopView from '@/charts/LoopView.vue'
import { useCatalogue } from '@/composables/catalogue'
import { useWorkbench } from '@/composables/workbench'
import CautionList from '@/ui/CautionList.vue'
import { howLong, type StepClock } from '@/composables/stepClock'

const props = defineProps<{
  procedure: ProcedureView
  clock: StepClock
  /** The reading that is at hand. */
  here: PointView | null
  cautions: Catalogue['cautions']
}>()
const bench = useWorkbench()
const { sizes } = useCatalogue()
const branch = computed(() => bench.circuit?.branches.find((b) => b.id === props.here?.point.element)?.id ?? null)
</script>

<template>
  <section class="stack guide">
    <ol class="steps">
      <li v-for="(s, k) in procedure.steps" :key="k">
        {{ s.text }}
        <v-btn v-if="s.seconds" size="small" variant="outlined" :data-clock="k" @click="clock.start(s)">{{ howLong(s.seconds) }}</v-btn>
      </li>
    </ol>
    <p v-if="procedure.conditions" class="quiet ma-0">{{ procedure.conditions }}</p>
    <p v-if="here" class="probes">
      <b>{{ here.point.label }}</b><br />{{ here.how }}
    </p>
    <div class="panel">
      <LoopView
        v-if="bench.judged && bench.judgedCircuit"
        class="loop-of-run"
        :circuit="bench.judgedCircuit"
        :findings="bench.judged.findings"
        :layout="bench.judged.pictures.loop"
        :sizes="sizes"
        :red="here?.red || null"
        :black="here?.black || null"
        :selected="branch"
        probes-only
      />
    </div>
    <CautionList :cautions="cautions" />
  </section>
</template>

<style scoped>
.guide {
  font-size: 1.05rem;
}
.steps {
  margin: 0;
}
.steps li {
  margin-bottom: 8px;
}
.probes {
  margin: 0;
  font-size: 1.2rem;
}
.loop-of-run {
  max-height: 36dvh;
}
</style>
