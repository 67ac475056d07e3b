<script setup lang="ts">
/** What a unit gives over its shaft's speed: cold with its band, hot, and what it was made of. */
import uPlot from 'uplot'
import { ref, watch } from 'vue'
import { axisOf, usePlot } from './plot'

interface Point {
  shaft_rpm: number
  output_a: number
  low_a: number
  high_a: number
  hot_a: number
}
const props = defineProps<{ points: readonly Point[]; known: readonly { shaft_rpm: number; output_a: number }[]; label: string }>()
const HEIGHT = 190
const box = ref<HTMLElement | null>(null)

function columns(): uPlot.AlignedData {
  const rows = [
    ...props.points.map((p) => ({ n: p.shaft_rpm, p, k: null as number | null })),
    ...props.known.map((k) => ({ n: k.shaft_rpm, p: null as Point | null, k: k.output_a })),
  ].sort((a, b) => a.n - b.n)
  return [
    rows.map((r) => r.n),
    ...(['low_a', 'high_a', 'output_a', 'hot_a'] as const).map((f) => rows.map((r) => r.p?.[f])),
    rows.map((r) => r.k),
  ] as uPlot.AlignedData
}
const { update } = usePlot(
  box,
  HEIGHT,
  (colours) => ({
    legend: { show: false },
    cursor: { show: false },
    scales: { x: { time: false } },
    axes: [
      { ...axisOf(colours), values: (_, ticks) => ticks.map((t) => `${t}`) },
      { ...axisOf(colours), size: 62, space: 26, values: (_, ticks) => ticks.map((t) => `${t} A`) },
    ],
    series: [
      {},
      { stroke: 'transparent', points: { show: false } },
      { stroke: 'transparent', points: { show: false } },
      { stroke: colours.slate, width: 2, points: { show: false } },
      { stroke: colours.copper, width: 2, dash: [6, 4], points: { show: false } },
      { paths: () => null, points: { show: true, size: 11, stroke: colours.text, fill: 'transparent', width: 2 } },
    ],
    bands: [{ series: [2, 1], fill: `color-mix(in srgb, ${colours.slate} 20%, transparent)` }],
  }),
  columns,
)
watch(() => [props.points, props.known], update)
</script>

<template>
  <div ref="box" class="chart" role="img" :aria-label="label" />
</template>

<style scoped>
.chart {
  width: 100%;
  min-height: 190px;
}
</style>
