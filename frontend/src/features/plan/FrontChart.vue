<script setup lang="ts">
/** What it costs against what it leaves to spare at a hot idle: plans, single changes, and the line that nothing beats. */
import uPlot from 'uplot'
import { ref, watch } from 'vue'
import type { WorthView } from '@/api/types'
import { axisOf, usePlot } from '@/charts/plot'

const props = defineProps<{ view: WorthView; picked: string | null }>()
const HEIGHT = 190
const box = ref<HTMLElement | null>(null)

/** One column a cost; a series has a value only where it has a point there. */
function columns(): uPlot.AlignedData {
  const { as_found: asFound, plans, singles } = props.view
  const points: { cost: number; amps: number; row: number }[] = []
  const put = (cost: number | null | undefined, amps: number | null | undefined, row: number) => {
    if (typeof cost === 'number' && typeof amps === 'number') points.push({ cost, amps, row })
  }
  put(0, asFound.idle_surplus_a, 1)
  for (const p of plans) {
    if (p.on_front) put(p.cost, p.figures.idle_surplus_a, 1)
    put(p.cost, p.figures.idle_surplus_a, 2)
    if (p.id === props.picked) put(p.cost, p.figures.idle_surplus_a, 4)
  }
  for (const w of singles) if (!w.concedes) put(w.cost, w.figures?.idle_surplus_a, 3)
  points.sort((a, b) => a.cost - b.cost || a.amps - b.amps)
  const rows: (number | null)[][] = [
    points.map((p) => p.cost),
    ...[1, 2, 3, 4].map((row) => points.map((p) => (p.row === row ? p.amps : null))),
  ]
  return rows as uPlot.AlignedData
}
const dots = (colour: string, size: number, filled: boolean): Partial<uPlot.Series> => ({
  paths: () => null,
  points: { show: true, size, stroke: colour, fill: filled ? colour : 'transparent', width: 2 },
})
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
      { stroke: colours.slate, width: 2, spanGaps: true, points: { show: false } },
      { ...dots(colours.slate, 10, true) },
      { ...dots(colours.quiet, 7, false) },
      { ...dots(colours.copper, 18, false) },
    ],
  }),
  columns,
)
watch(() => [props.view, props.picked], update)
</script>

<template>
  <figure class="ma-0">
    <div ref="box" class="chart" role="img" aria-label="Cost against what is to spare at a hot idle" />
    <figcaption class="quiet">
      Across: cost{{ view.currency ? `, ${view.currency}` : '' }}; up: to spare at a hot idle. Filled: plans; line: nothing has more for
      less; rings: single changes; large ring: the plan looked at.
    </figcaption>
  </figure>
</template>

<style scoped>
.chart {
  width: 100%;
  min-height: 190px;
}
</style>
