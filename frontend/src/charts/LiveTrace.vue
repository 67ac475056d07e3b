<script setup lang="ts">
/** The last half minute of what a connected meter shows, newest at the right. */
import { ref, watch } from 'vue'
import { axisOf, usePlot } from './plot'

const props = defineProps<{
  /** Seconds on any clock that goes forward, and values; a value beyond the range is null. */
  at: readonly number[]
  values: readonly (number | null)[]
  unit: string
  /** Behind the point of what the meter shows: its last digit is no tide. */
  digits: number
}>()
const SPAN_S = 30
const HEIGHT = 132
/** So many last digits are on the axis at least. */
const LEAST_DIGITS = 10

/** The axis round the values: never so fine that noise within the last digits looks like something happening. */
function spread(least: number, most: number): [number, number] {
  const span = Math.max((most - least) * 1.2, LEAST_DIGITS * 10 ** -props.digits)
  const middle = (least + most) / 2
  return [middle - span / 2, middle + span / 2]
}

const box = ref<HTMLElement | null>(null)
const { update } = usePlot(
  box,
  HEIGHT,
  (colours) => ({
    legend: { show: false },
    cursor: { show: false },
    scales: { x: { time: false, range: [-SPAN_S, 0] }, y: { range: (_, least, most) => spread(least, most) } },
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
