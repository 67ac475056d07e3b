<script setup lang="ts">
/** A ready circuit in small: where its leads, batteries and machines lie, without words. */
import { computed } from 'vue'
import type { ReadyLayout } from '@/api/types'
import { roundedPath } from './geometry'

const props = defineProps<{ layout: ReadyLayout['loop'] }>()
const paths = computed(() =>
  props.layout.branches.map((b) => ({ id: b.branch_id, side: b.side, closed: b.closed, d: roundedPath(b.points as [number, number][]) })),
)
const symbols = computed(() =>
  props.layout.sources.map((s) => ({
    ...s,
    x: (s.start[0]! + s.end[0]!) / 2,
    y: (s.start[1]! + s.end[1]!) / 2,
  })),
)
/** Only what is drawn, without the room for words. */
const view = computed(() => {
  const points = [
    ...props.layout.branches.flatMap((b) => b.points),
    ...symbols.value.flatMap((s) => [
      [s.x - 60, s.y - 60],
      [s.x + 60, s.y + 60],
    ]),
  ]
  const [xs, ys] = [points.map((p) => p[0]!), points.map((p) => p[1]!)]
  const [left, top] = [Math.min(...xs) - 12, Math.min(...ys) - 12]
  return `${left} ${top} ${Math.max(...xs) + 12 - left} ${Math.max(...ys) + 12 - top}`
})
</script>

<template>
  <svg :viewBox="view" class="sketch" aria-hidden="true">
    <g v-for="s in symbols" :key="s.id">
      <polyline v-for="(lead, k) in s.leads" :key="k" :points="lead.map((p) => p.join(',')).join(' ')" class="post" />
      <line :x1="s.start[0]" :y1="s.start[1]" :x2="s.end[0]" :y2="s.end[1]" class="post" />
      <circle v-if="s.kind === 'alternator'" :cx="s.x" :cy="s.y" r="46" class="machine" />
      <rect v-else-if="s.kind === 'battery'" :x="s.x - 54" :y="s.y - 38" width="108" height="76" rx="6" class="machine" />
      <path v-else-if="s.kind === 'converter'" :d="`M${s.x - 40} ${s.y - 24} h80 l16 24 l-16 24 h-80 z`" class="machine" />
      <rect v-else :x="s.x - 26" :y="s.y - 14" width="52" height="28" rx="14" class="small" />
    </g>
    <path v-for="p in paths" :key="p.id" :d="p.d" class="wire" :class="[p.side, { open: !p.closed }]" />
  </svg>
</template>

<style scoped>
.sketch {
  width: 100%;
  height: 84px;
  display: block;
}
.wire {
  fill: none;
  stroke-width: 14;
  stroke-linejoin: round;
  stroke: var(--slate);
}
.wire.feed {
  stroke: var(--copper);
}
.wire.open {
  stroke-dasharray: 6 26;
}
.post {
  fill: none;
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 6;
}
.machine,
.small {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 9;
}
</style>
