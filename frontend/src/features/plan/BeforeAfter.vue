<script setup lang="ts">
/** A plan beside what was found: both loops, what is called out of each, and the staircases where they are wanted. */
import { computed } from 'vue'
import type { Circuit, PlanView } from '@/api/types'
import LoopView from '@/charts/LoopView.vue'
import StaircaseView from '@/charts/StaircaseView.vue'
import { useCatalogue } from '@/composables/catalogue'
import { fixed } from '@/ui/numbers'

const props = defineProps<{
  asFound: Circuit
  view: PlanView
  /** Over the planned one. */
  title: string
  staircases?: boolean
  /** What is called out as found is said, too. */
  calledOut?: boolean
}>()
const picked = defineModel<string | null>({ default: null })
const { sizes } = useCatalogue()
const sides = computed(() => {
  const { comparison, proposal } = props.view
  return [
    {
      title: `As found, at ${fixed(comparison.current_a, 0)} A`,
      circuit: props.asFound,
      findings: comparison.before,
      pictures: comparison.pictures_before,
      parts: props.calledOut ? comparison.before.parts : [],
    },
    {
      title: props.title,
      circuit: proposal.circuit,
      findings: comparison.after,
      pictures: comparison.pictures_after,
      parts: comparison.after.parts,
    },
  ]
})
</script>

<template>
  <div class="both">
    <section v-for="(s, k) in sides" :key="k" class="panel">
      <h2 class="sleeve">{{ s.title }}</h2>
      <LoopView
        :circuit="s.circuit"
        :findings="s.findings"
        :layout="s.pictures.loop"
        :sizes="sizes"
        :selected="picked"
        compact
        @select="picked = $event"
      />
      <StaircaseView
        v-if="staircases"
        :findings="s.findings"
        :staircase="s.pictures.staircase"
        :selected="picked"
        @select="picked = $event"
      />
      <p v-if="k === 1 && !s.parts.length" class="ok">Nothing to call out.</p>
      <p v-for="f in s.parts" :key="f.code + f.branch_id" class="finding" :class="f.severity" :data-finding="f.code">
        <b>{{ f.title }}.</b> {{ f.why }}
      </p>
    </section>
  </div>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 12px;
}
.ok {
  color: var(--pass);
  font-weight: 700;
  margin: 6px 0 0;
}
.finding {
  border-left: 8px solid var(--excess);
  padding-left: 10px;
  margin: 8px 0 0;
}
.finding.danger {
  border-left-color: var(--fail);
}
.finding.note {
  border-left-color: var(--line);
}
@media (max-width: 760px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
