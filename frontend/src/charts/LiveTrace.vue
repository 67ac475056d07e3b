<script setup lang="ts">
/** The last half minute of what a connected meter shows, newest at the right. */
import { ref, watch } from 'vue'
import { axisOf, usePlot } from './plot'

const props = defineProps<{
  /** Seconds on any clock that goes forward, and values; a value beyond the range is null. */
  at: readonly number[]
  values: readonly (number | null)[]
  unit: string
}>()
const SPAN_S = 30
const HEIGHT = 132

const box = ref<HTMLElement | null>(null)
const { update } = usePlot(
  box,
  HEIGHT,
  (colours) => ({
    legend: { show: false },
    cursor: { show: false },
    scales: { x: { time: false, range: [-SPAN_S, 0] } },
    axes: [
      { ...axisOf(colours), values: (_, ticks) => ticks.map((t) => `${t} s`) },
      { ...axisOf(colours), size: 64 },
    ],
    series: [{}, { label: props.unit, stroke: colours.copper, width: 2.5, points: { show: false } }],
  }),
  () => {
    const now = props.at.at(-1) ?? 0
    return [props.at.map((t) => t - now), [...props.values]]
  },
)
watch(() => props.at.length && props.at.at(-1), update)
</script>

<template>
  <div ref="box" class="trace" role="img" :aria-label="`The last half minute, in ${unit}`" data-test="trace" />
</template>

<style scoped>
.trace {
  width: 100%;
  min-height: 132px;
}
</style>
