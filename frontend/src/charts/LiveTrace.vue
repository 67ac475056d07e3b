<script setup lang="ts">
/** The last half minute of what a connected meter shows, newest at the right. */
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { useElementSize } from '@vueuse/core'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

const props = defineProps<{
  /** Seconds on any clock that goes forward, and values; a value beyond the range is null. */
  at: readonly number[]
  values: readonly (number | null)[]
  unit: string
}>()
const SPAN_S = 30
const HEIGHT = 132

const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
let plot: uPlot | null = null
const colour = (name: string) => getComputedStyle(box.value!).getPropertyValue(name).trim()

function data(): uPlot.AlignedData {
  const now = props.at.at(-1) ?? 0
  return [props.at.map((t) => t - now), [...props.values]]
}
onMounted(() => {
  const axis = { stroke: colour('--quiet'), grid: { stroke: colour('--line'), width: 1 }, ticks: { show: false } }
  plot = new uPlot(
    {
      width: Math.max(width.value, 200),
      height: HEIGHT,
      legend: { show: false },
      cursor: { show: false },
      scales: { x: { time: false, range: [-SPAN_S, 0] } },
      axes: [
        { ...axis, values: (_, ticks) => ticks.map((t) => `${t} s`) },
        { ...axis, size: 64 },
      ],
      series: [{}, { label: props.unit, stroke: colour('--copper'), width: 2.5, points: { show: false } }],
    },
    data(),
    box.value!,
  )
})
watch(width, (w) => w > 0 && plot?.setSize({ width: w, height: HEIGHT }))
watch(
  () => props.at.length && props.at.at(-1),
  () => plot?.setData(data()),
)
onBeforeUnmount(() => plot?.destroy())
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
