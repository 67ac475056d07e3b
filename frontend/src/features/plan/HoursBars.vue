<script setup lang="ts">
/** Hours by engine speed: bars to drag or to step by key, under what a unit can give at those speeds. */
import { computed, ref } from 'vue'
import type { SpeedBalance, SpeedHours } from '@/api/types'
import { fixed } from '@/ui/numbers'
import { roundUp } from './use'

const speeds = defineModel<SpeedHours[]>({ required: true })
const props = defineProps<{ balance: readonly SpeedBalance[] }>()

const WIDE = 600
const HIGH = 150
const most = ref(0)
const hoursTop = computed(() => most.value || roundUp(Math.max(1, ...speeds.value.map((s) => s.hours))))
const ampsTop = computed(() => roundUp(Math.max(1, ...props.balance.flatMap((b) => [b.cold_can_a, b.used_a]))))
const step = computed(() => WIDE / Math.max(speeds.value.length, 1))
const x = (k: number) => (k + 0.5) * step.value
const line = (of: (b: SpeedBalance) => number) =>
  props.balance.length === speeds.value.length
    ? props.balance.map((b, k) => `${x(k)},${HIGH - (of(b) / ampsTop.value) * HIGH}`).join(' ')
    : ''

const svg = ref<SVGSVGElement | null>(null)
const held = ref<number | null>(null)
function set(at: number, hours: number): void {
  const digits = hoursTop.value > 50 ? 0 : 1
  const tidy = Math.max(Number(hours.toFixed(digits)), 0)
  speeds.value = speeds.value.map((s, k) => (k === at ? { ...s, hours: tidy } : s))
}
function grab(at: number, event: PointerEvent): void {
  held.value = at
  most.value = hoursTop.value
  svg.value?.setPointerCapture(event.pointerId)
  drag(event)
}
function drag(event: PointerEvent): void {
  if (held.value === null || !svg.value) return
  const box = svg.value.getBoundingClientRect()
  const share = 1 - ((event.clientY - box.top) / box.height) * ((HIGH + 26) / HIGH)
  set(held.value, Math.min(Math.max(share, 0), 1) * hoursTop.value)
}
function release(): void {
  held.value = null
  most.value = 0
}
function key(at: number, event: KeyboardEvent): void {
  const by = { ArrowUp: 1, ArrowDown: -1 }[event.key]
  if (!by) return
  event.preventDefault()
  set(at, speeds.value[at]!.hours + (by * hoursTop.value) / 50)
}
</script>

<template>
  <svg
    ref="svg"
    class="hours"
    :viewBox="`0 0 ${WIDE} ${HIGH + 26}`"
    data-test="hours-bars"
    @pointermove="drag"
    @pointerup="release"
    @pointercancel="release"
  >
    <g
      v-for="(s, k) in speeds"
      :key="s.engine_rpm"
      tabindex="0"
      role="slider"
      :aria-label="`Hours at ${s.engine_rpm} /min`"
      aria-orientation="vertical"
      :aria-valuenow="s.hours"
      :aria-valuemin="0"
      :aria-valuemax="hoursTop"
      :aria-valuetext="`${s.hours} h`"
      @pointerdown.prevent="grab(k, $event)"
      @keydown="key(k, $event)"
    >
      <rect class="reach" :x="k * step" y="0" :width="step" :height="HIGH" />
      <rect
        class="bar"
        :x="k * step + step * 0.12"
        :y="HIGH - (s.hours / hoursTop) * HIGH"
        :width="step * 0.76"
        :height="(s.hours / hoursTop) * HIGH"
      />
      <text class="h" :x="x(k)" :y="Math.max(HIGH - (s.hours / hoursTop) * HIGH - 4, 12)">{{ s.hours }} h</text>
      <text :x="x(k)" :y="HIGH + 18">{{ fixed(s.engine_rpm, 0) }}</text>
    </g>
    <polyline class="cold" :points="line((b) => b.cold_can_a)" />
    <polyline class="hot" :points="line((b) => b.hot_can_a)" />
    <polyline class="used" :points="line((b) => b.used_a)" />
  </svg>
  <p class="quiet mb-0">
    Hours at each engine speed, /min: drag a bar. Lines to {{ ampsTop }} A: a unit hot (thick) and cold (dashed), copper: used.
  </p>
</template>

<style scoped>
.hours {
  width: 100%;
  touch-action: none;
  user-select: none;
}
.reach {
  fill: transparent;
  cursor: ns-resize;
}
.bar {
  fill: rgb(var(--v-theme-surface-variant));
  stroke: var(--quiet);
  pointer-events: none;
}
g:focus-visible .bar {
  stroke: rgb(var(--v-theme-primary));
  stroke-width: 3;
}
text {
  font-size: 13px;
  text-anchor: middle;
  fill: rgb(var(--v-theme-on-surface));
  pointer-events: none;
}
polyline {
  fill: none;
  stroke-width: 3;
  stroke: var(--slate);
  pointer-events: none;
}
.cold {
  stroke-dasharray: 6 5;
  stroke-width: 2;
}
.used {
  stroke: var(--copper);
}
</style>
