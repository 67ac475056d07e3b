<script setup lang="ts">
/** A captured voltage against time, peaks kept; drag over a stretch to see it nearer. */
import { computed, ref } from 'vue'
import { fixed } from '@/ui/numbers'
import { band, ticks } from './geometry'

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

const WIDTH = 1000
const HEIGHT = 340
const LEFT = 66
const RIGHT = 12
const TOP = 14
const BOTTOM = 34

const volts = computed(() => {
  const all = [...props.least, ...props.most, ...(props.levels ?? []).map((l) => l.volts)].filter((v): v is number => v !== null)
  const low = Math.min(...all)
  const high = Math.max(...all)
  const room = Math.max((high - low) * 0.06, 0.002)
  return { low: low - room, high: high + room }
})
const x = (s: number) => LEFT + ((s - props.fromS) / (props.toS - props.fromS)) * (WIDTH - LEFT - RIGHT)
const y = (v: number) => TOP + ((volts.value.high - v) / (volts.value.high - volts.value.low)) * (HEIGHT - TOP - BOTTOM)
const path = computed(() => {
  const step = (props.toS - props.fromS) / Math.max(props.least.length, 1)
  return band(props.least, props.most, (k) => x(props.fromS + (k + 0.5) * step), y)
})
const across = computed(() => ticks(volts.value.low, volts.value.high, 5))
const lines = computed(() => ticks(props.fromS, props.toS, 7))
/** As many digits as the step between two lines needs. */
const digits = (lines: number[]) => Math.max(0, -Math.floor(Math.log10((lines[1] ?? 1) - (lines[0] ?? 0)) + 1e-9))
const unit = computed(() =>
  props.along ? { name: props.along, by: 1 } : props.toS - props.fromS < 0.5 ? { name: 'ms', by: 1000 } : { name: 's', by: 1 },
)

const svg = ref<SVGSVGElement | null>(null)
const drag = ref<{ start: number; now: number } | null>(null)
function at(event: PointerEvent): number {
  const box = svg.value!.getBoundingClientRect()
  const units = ((event.clientX - box.left) / box.width) * WIDTH
  const share = (units - LEFT) / (WIDTH - LEFT - RIGHT)
  return props.fromS + Math.min(1, Math.max(0, share)) * (props.toS - props.fromS)
}
function begin(event: PointerEvent): void {
  svg.value?.setPointerCapture(event.pointerId)
  drag.value = { start: at(event), now: at(event) }
}
function move(event: PointerEvent): void {
  if (drag.value) drag.value.now = at(event)
}
function end(): void {
  const seen = drag.value
  drag.value = null
  if (seen && Math.abs(seen.now - seen.start) > (props.toS - props.fromS) / 100)
    emit('zoom', Math.min(seen.start, seen.now), Math.max(seen.start, seen.now))
}
</script>

<template>
  <svg
    ref="svg"
    class="capture"
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    role="img"
    :aria-label="along ? 'Spectrum' : `Captured voltage from ${fixed(fromS, 3)} to ${fixed(toS, 3)} seconds`"
    @pointerdown="begin"
    @pointermove="move"
    @pointerup="end"
    @pointercancel="drag = null"
  >
    <g v-for="v in across" :key="`v${v}`">
      <line :x1="LEFT" :x2="WIDTH - RIGHT" :y1="y(v)" :y2="y(v)" class="grid" />
      <text :x="LEFT - 8" :y="y(v) + 5" text-anchor="end">{{ fixed(v, digits(across)) }}</text>
    </g>
    <g v-for="(s, k) in lines" :key="`s${s}`">
      <line :x1="x(s)" :x2="x(s)" :y1="TOP" :y2="HEIGHT - BOTTOM" class="grid" />
      <text :x="x(s)" :y="HEIGHT - 12" :text-anchor="k === lines.length - 1 ? 'end' : 'middle'">
        {{ fixed(s * unit.by, digits(lines.map((a) => a * unit.by))) }}{{ k === lines.length - 1 ? ` ${unit.name}` : '' }}
      </text>
    </g>
    <text x="6" :y="TOP + 8" class="unit">V</text>
    <path :d="path" class="trace" />
    <g v-for="l in levels" :key="l.name">
      <line :x1="LEFT" :x2="WIDTH - RIGHT" :y1="y(l.volts)" :y2="y(l.volts)" class="level" />
      <text :x="WIDTH - RIGHT - 4" :y="y(l.volts) - 6" text-anchor="end" class="unit">{{ l.name }}</text>
    </g>
    <rect
      v-if="drag"
      :x="Math.min(x(drag.start), x(drag.now))"
      :width="Math.abs(x(drag.now) - x(drag.start))"
      :y="TOP"
      :height="HEIGHT - TOP - BOTTOM"
      class="picked"
    />
  </svg>
</template>

<style scoped>
.capture {
  width: 100%;
  touch-action: none;
  cursor: crosshair;
  user-select: none;
}
text {
  font-size: 15px;
  fill: var(--quiet);
  font-variant-numeric: tabular-nums;
}
.unit {
  font-weight: 700;
}
.grid {
  stroke: var(--line);
}
.trace {
  fill: var(--copper);
  stroke: var(--copper);
  stroke-width: 1.4;
  stroke-linejoin: round;
}
.level {
  stroke: var(--slate);
  stroke-width: 2;
  stroke-dasharray: 8 5;
}
.picked {
  fill: var(--slate);
  opacity: 0.2;
}
</style>
