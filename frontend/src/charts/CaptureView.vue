<script setup lang="ts">
/** A captured voltage against time, peaks kept; drag over a stretch to see it nearer. */
import type uPlot from 'uplot'
import { computed, ref, watch } from 'vue'
import { fixed } from '@/ui/numbers'
import { axisOf, usePlot, type PlotColours } from './plot'

const props = defineProps<{
  fromS: number
  toS: number
  least: readonly (number | null)[]
  most: readonly (number | null)[]
  /** Lines across, by their name. */
  levels?: { volts: number; name: string }[]
  /** What runs along, where it is not time. */
  along?: string
}>()
const emit = defineEmits<{ zoom: [fromS: number, toS: number] }>()
const HEIGHT = 320
const LEAST_DRAG = 8

const box = ref<HTMLElement | null>(null)
const unit = computed(() =>
  props.along ? { name: props.along, by: 1 } : props.toS - props.fromS < 0.5 ? { name: 'ms', by: 1000 } : { name: 's', by: 1 },
)

/** The levels with their names, over the curve. */
function drawLevels(plot: uPlot, colours: PlotColours): void {
  const { ctx, bbox } = plot
  ctx.save()
  ctx.strokeStyle = ctx.fillStyle = colours.slate
  ctx.lineWidth = 2 * devicePixelRatio
  ctx.setLineDash([8 * devicePixelRatio, 5 * devicePixelRatio])
  ctx.textAlign = 'right'
  for (const level of props.levels ?? []) {
    const y = plot.valToPos(level.volts, 'y', true)
    ctx.beginPath()
    ctx.moveTo(bbox.left, y)
    ctx.lineTo(bbox.left + bbox.width, y)
    ctx.stroke()
    ctx.fillText(level.name, bbox.left + bbox.width - 4 * devicePixelRatio, y - 5 * devicePixelRatio)
  }
  ctx.restore()
}

function options(colours: PlotColours): Omit<uPlot.Options, 'width' | 'height'> {
  const line = { stroke: colours.copper, width: 1.4, points: { show: false } }
  const levels = (props.levels ?? []).map((l) => l.volts)
  return {
    legend: { show: false },
    cursor: { drag: { x: !props.along, y: false, setScale: false }, points: { show: false } },
    scales: {
      x: { time: false, range: [props.fromS, props.toS] },
      y: {
        range: (_, low, high) => {
          const [least, most] = [Math.min(low, ...levels), Math.max(high, ...levels)]
          const room = Math.max((most - least) * 0.06, 0.002)
          return [least - room, most + room]
        },
      },
    },
    axes: [
      {
        ...axisOf(colours),
        values: (_, ticks) => ticks.map((t, k) => `${Number((t * unit.value.by).toPrecision(6))}${k ? '' : ` ${unit.value.name}`}`),
      },
      { ...axisOf(colours), size: 62, values: (_, ticks) => ticks.map((t) => `${Number(t.toPrecision(6))} V`) },
    ],
    series: [{}, line, line],
    bands: [{ series: [2, 1], fill: colours.copper }],
    hooks: {
      draw: [(plot) => drawLevels(plot, colours)],
      setSelect: [
        (plot) => {
          const { left, width } = plot.select
          if (width < LEAST_DRAG) return
          plot.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false)
          emit('zoom', plot.posToVal(left, 'x'), plot.posToVal(left + width, 'x'))
        },
      ],
    },
  }
}

const { remake } = usePlot(box, HEIGHT, options, () => {
  const step = (props.toS - props.fromS) / Math.max(props.least.length, 1)
  return [props.least.map((_, k) => props.fromS + (k + 0.5) * step), [...props.least], [...props.most]]
})
watch(() => [props.fromS, props.toS, props.least, props.most, props.levels], remake)
</script>

<template>
  <div
    ref="box"
    class="capture"
    role="img"
    data-test="capture-plot"
    :aria-label="along ? 'Spectrum' : `Captured voltage from ${fixed(fromS, 3)} to ${fixed(toS, 3)} seconds`"
  />
</template>

<style scoped>
.capture {
  width: 100%;
  min-height: 320px;
  touch-action: none;
  user-select: none;
}
.capture :deep(.u-select) {
  background: rgb(var(--v-theme-on-surface), 0.16);
}
</style>
