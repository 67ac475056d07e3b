<script setup lang="ts">
/** A way from end to end: its stretches to scale, sleeved or bare, with every clamp, grommet, gland and the stud it ends at. */
import { computed } from 'vue'
import type { BuildView } from '@/api/types'
import type { Way } from './book'

const props = defineProps<{ way: Way; view: BuildView['ways'][number] | null }>()
const WIDE = 1000
const length = computed(() => props.way.stretches.reduce((sum, s) => sum + s.length_mm, 0))
const at = (mm: number) => (WIDE * mm) / Math.max(length.value, 1)
const stretches = computed(() => {
  let begun = 0
  return props.way.stretches.map((s, k) => {
    const from = begun
    begun += s.length_mm
    return { k, where: s.where, x: at(from), width: at(s.length_mm) }
  })
})
</script>

<template>
  <svg :viewBox="`-20 0 ${WIDE + 40} 92`" class="strip" role="img" :aria-label="`${way.label}, ${way.stretches.length} stretches`">
    <g v-for="s in stretches" :key="s.k">
      <rect :x="s.x" y="34" :width="s.width" height="14" :class="s.where" />
      <text v-if="s.width > 26" :x="s.x + s.width / 2" y="86" text-anchor="middle">{{ s.k + 1 }}</text>
      <line :x1="s.x" :x2="s.x" y1="66" y2="90" class="edge" />
    </g>
    <template v-if="view">
      <rect
        v-for="(s, k) in view.sleeves"
        :key="`s${k}`"
        :x="at(s.from_mm)"
        y="28"
        :width="at(s.to_mm - s.from_mm)"
        height="26"
        :class="s.kind"
      />
      <g v-for="(m, k) in view.marks" :key="`m${k}`" :data-mark="m.kind">
        <path v-if="m.kind === 'clamp'" :d="`M${at(m.at_mm) - 6} 60 V22 H${at(m.at_mm) + 6} V60`" class="clamp" />
        <template v-else>
          <line :x1="at(m.at_mm)" :x2="at(m.at_mm)" y1="6" y2="76" class="panel" />
          <path v-if="m.kind === 'stud'" :d="`M${at(m.at_mm) - 18} 41 h36 m-8 -10 v20 m-20 -20 v20`" class="clamp" />
          <ellipse v-else :cx="at(m.at_mm)" cy="41" :rx="m.kind === 'seal' ? 9 : 6" ry="20" class="ring" />
        </template>
      </g>
    </template>
  </svg>
</template>

<style scoped>
.strip {
  width: 100%;
  max-height: 96px;
}
rect {
  fill: var(--line);
}
.hot {
  fill: var(--heat);
}
.outside {
  fill: var(--slate);
}
.cabin {
  fill: var(--line);
  opacity: 0.6;
}
.sleeve,
.heat_sleeve {
  fill: none;
  stroke: currentColor;
  stroke-width: 2;
  stroke-dasharray: 3 4;
}
.heat_sleeve {
  stroke-dasharray: none;
}
.clamp,
.ring {
  fill: none;
  stroke: currentColor;
  stroke-width: 3;
}
.panel {
  stroke: currentColor;
  stroke-width: 5;
}
.edge {
  stroke: currentColor;
  stroke-width: 1;
}
text {
  font-size: 18px;
  fill: currentColor;
}
</style>
