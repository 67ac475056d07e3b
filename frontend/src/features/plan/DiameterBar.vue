<script setup lang="ts">
/** Between which diameters a pulley gives what is wanted without overspeed, and where the two lie. */
import { computed } from 'vue'
import type { PulleyRange } from '@/api/types'
import { fixed } from '@/ui/numbers'

const props = defineProps<{ range: PulleyRange; now: number | null; then: number | null }>()

const EDGE = 0.12
const scale = computed(() => {
  const every = [props.range.least_mm, props.range.most_mm, props.now, props.then].filter((v): v is number => v !== null)
  const [low, high] = [Math.min(...every), Math.max(...every)]
  const room = Math.max((high - low) * EDGE, 1)
  return { low: low - room, width: high - low + 2 * room }
})
const at = (mm: number) => (100 * (mm - scale.value.low)) / scale.value.width
const room = computed(() => ({
  left: `${props.range.least_mm === null ? 0 : at(props.range.least_mm)}%`,
  right: `${100 - (props.range.most_mm === null ? 100 : at(props.range.most_mm))}%`,
}))
const words = computed(() => {
  const { least_mm: least, least_by: by, most_mm: most } = props.range
  const smallest = least === null ? '' : `${fixed(least, 1)} mm or more, by the ${by === 'belt' ? 'belt' : 'unit’s limit speed'}`
  const largest = most === null ? '' : `${fixed(most, 1)} mm or less for what is wanted`
  const none = props.range.possible ? '' : 'no pulley does all of it'
  return [smallest, largest, none].filter(Boolean).join('; ') || 'Enter the limit speed, the belt’s smallest pulley, or what is wanted.'
})
</script>

<template>
  <div class="bar" role="img" :aria-label="words">
    <span v-if="range.possible && (range.least_mm !== null || range.most_mm !== null)" class="room" :style="room" />
    <span v-if="now !== null" class="mark" :style="{ left: `${at(now)}%` }"
      ><i>now {{ fixed(now, 1) }}</i></span
    >
    <span v-if="then !== null" class="mark then" :style="{ left: `${at(then)}%` }"
      ><i>new {{ fixed(then, 1) }}</i></span
    >
  </div>
  <p class="mb-0" data-test="range">{{ words }}</p>
</template>

<style scoped>
.bar {
  position: relative;
  height: 18px;
  margin: 26px 0 26px;
  border: 1px solid var(--line);
  background: repeating-linear-gradient(45deg, transparent 0 6px, rgb(var(--v-theme-surface-variant)) 6px 12px);
}
.room {
  position: absolute;
  top: 0;
  bottom: 0;
  background: var(--pass);
}
.mark {
  position: absolute;
  top: -6px;
  bottom: -6px;
  border-left: 4px solid rgb(var(--v-theme-on-surface));
  margin-left: -2px;
}
.mark i {
  position: absolute;
  top: -20px;
  transform: translateX(-50%);
  white-space: nowrap;
  font-style: normal;
  font-size: 0.85rem;
}
.then i {
  top: auto;
  bottom: -20px;
  font-weight: 700;
}
</style>
