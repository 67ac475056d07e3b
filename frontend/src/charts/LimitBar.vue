<script setup lang="ts">
/** A reading with its uncertainty between its limits: in the shaded stretch it passes. */
import { computed } from 'vue'
import { limitBar, type Limited } from './geometry'

const props = defineProps<Limited & { unit: string; digits: number }>()
const bar = computed(() => limitBar(props))
const words = (value: number) => `${value.toFixed(props.digits)} ${props.unit}`
const label = computed(() => {
  const ends = [props.least === null ? '' : `at least ${words(props.least)}`, props.most === null ? '' : `at most ${words(props.most)}`]
  return `${ends.filter(Boolean).join(', ')}${props.value === null ? '' : `; reads ${words(props.value)}`}`
})
</script>

<template>
  <svg v-if="bar" viewBox="0 0 1000 92" class="limit-bar" role="img" :aria-label="label" data-test="limit-bar">
    <rect x="0" y="30" width="1000" height="26" class="ground" />
    <rect :x="bar.from" y="30" :width="bar.to - bar.from" height="26" class="good" />
    <template v-for="[at, value] in bar.edges" :key="value">
      <line :x1="at" :x2="at" y1="24" y2="62" class="edge" />
      <text :x="Math.min(Math.max(at, 60), 940)" y="86">{{ words(value) }}</text>
    </template>
    <template v-if="bar.at !== null">
      <line :x1="bar.low" :x2="bar.high" y1="43" y2="43" class="spread" />
      <path :d="`M${bar.at} 26 l-13 -22 h26 z`" class="mark" />
      <line :x1="bar.at" :x2="bar.at" y1="26" y2="60" class="mark" />
    </template>
  </svg>
</template>

<style scoped>
.limit-bar {
  width: 100%;
  display: block;
}
.ground {
  fill: rgb(var(--v-theme-surface-variant));
}
.good {
  fill: var(--pass);
  opacity: 0.42;
}
.edge {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 3;
}
.spread {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 10;
  opacity: 0.5;
}
.mark {
  fill: rgb(var(--v-theme-on-surface));
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 4;
}
text {
  text-anchor: middle;
  font-size: 24px;
  fill: rgb(var(--v-theme-on-surface));
  font-family: var(--figures);
}
</style>
