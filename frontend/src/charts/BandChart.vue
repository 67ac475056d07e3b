<script setup lang="ts">
/** Quantities over days: the nominal vehicle as a line, eight of ten within the band; as found and as planned. */
import uPlot from 'uplot'
import { ref, watch } from 'vue'
import { axisOf, usePlot } from './plot'

interface Line {
  nominal: readonly number[]
  low: readonly number[]
  high: readonly number[]
}
const props = defineProps<{
  hours: readonly number[]
  now: Line
  /** On the same hours. */
  planned?: Line | null
  unit: string
  label: string
  factor?: number
}>()
const HEIGHT = 118
const box = ref<HTMLElement | null>(null)
const scaled = (values: readonly number[]) => values.map((v) => v * (props.factor ?? 1))
const faint = (colour: string) => `color-mix(in srgb, ${colour} 22%, transparent)`

function lines(): uPlot.AlignedData {
  const every = [props.now, ...(props.planned ? [props.planned] : [])]
  return [props.hours.map((h) => h / 24), ...every.flatMap((l) => [scaled(l.low), scaled(l.high), scaled(l.nominal)])] as uPlot.AlignedData
}
const { update, remake } = usePlot(
  box,
  HEIGHT,
  (colours) => {
    const of = (colour: string, label: string): uPlot.Series[] => [
      { show: true, stroke: 'transparent', points: { show: false }, label: `${label}, low` },
      { show: true, stroke: 'transparent', points: { show: false }, label: `${label}, high` },
      { stroke: colour, width: 2, points: { show: false }, label },
    ]
    return {
      legend: { show: false },
      cursor: { y: false },
      scales: { x: { time: false } },
      axes: [
        { ...axisOf(colours), values: (_, ticks) => ticks.map((t) => `${t} d`) },
        { ...axisOf(colours), size: 56, space: 22, values: (_, ticks) => ticks.map((t) => `${t} ${props.unit}`) },
      ],
      series: [{}, ...of(colours.copper, 'as found'), ...(props.planned ? of(colours.slate, 'planned') : [])],
      bands: [
        { series: [2, 1], fill: faint(colours.copper) },
        ...(props.planned ? [{ series: [5, 4] as [number, number], fill: faint(colours.slate) }] : []),
      ],
    }
  },
  lines,
)
watch(
  () => [props.hours, props.now, props.planned],
  ([, , planned], [, , before]) => (!planned === !before ? update() : remake()),
)
</script>

<template>
  <figure class="ma-0">
    <figcaption class="quiet">{{ label }}</figcaption>
    <div ref="box" class="chart" role="img" :aria-label="`${label} over the days`" />
  </figure>
</template>

<style scoped>
.chart {
  width: 100%;
  min-height: 118px;
}
</style>
