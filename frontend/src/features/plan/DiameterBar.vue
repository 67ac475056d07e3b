<script setup lang="ts">
/** Between which diameters a pulley gives what is wanted without overspeed, and where the two lie; the new one can be dragged. */
import { computed } from 'vue'
import type { PulleyRange } from '@/api/types'
import { fixed } from '@/ui/numbers'

const props = defineProps<{ range: PulleyRange; now: number | null; then: number | null; readonly: boolean }>()
const emit = defineEmits<{ try: [mm: number] }>()

const STEP = 0.5
const at = (mm: number) => (100 * (mm - props.range.from_mm)) / (props.range.to_mm - props.range.from_mm)
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
  <div class="bar">
    <span v-if="range.possible && (range.least_mm !== null || range.most_mm !== null)" class="room" :style="room" />
    <span v-if="now !== null" class="mark" :style="{ left: `${at(now)}%` }"
      ><i>now {{ fixed(now, 1) }}</i></span
    >
    <span v-if="then !== null" class="mark then" :style="{ left: `${at(then)}%` }"
      ><i>new {{ fixed(then, 1) }}</i></span
    >
    <input
      v-if="!readonly"
      type="range"
      :min="range.from_mm"
      :max="range.to_mm"
      :step="STEP"
      :value="then ?? now ?? range.to_mm"
      aria-label="New pulley, mm"
      :aria-description="words"
      data-test="try-pulley"
      @input="emit('try', Number(($event.target as HTMLInputElement).value))"
    />
  </div>
  <p class="mb-0" data-test="range">{{ words }}</p>
</template>

<style scoped>
.bar {
  position: relative;
  height: 18px;
  margin: 42px 0;
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
/* Its thumb's middle travels from edge to edge, so that it lies over the mark it moves. */
input {
  --thumb: 44px;
  position: absolute;
  top: -14px;
  left: calc(var(--thumb) / -2);
  width: calc(100% + var(--thumb));
  height: 44px;
  margin: 0;
  appearance: none;
  background: none;
  cursor: grab;
  --edge: transparent;
  --grip: linear-gradient(
    90deg,
    transparent 9px,
    var(--edge) 9px 13px,
    rgb(var(--v-theme-primary)) 13px 31px,
    var(--edge) 31px 35px,
    transparent 35px
  );
}
input:focus-visible {
  --edge: rgb(var(--v-theme-on-surface));
  outline: none;
}
input::-webkit-slider-thumb {
  appearance: none;
  width: var(--thumb);
  height: 44px;
  background: var(--grip);
}
input::-moz-range-thumb {
  width: var(--thumb);
  height: 44px;
  border: 0;
  border-radius: 0;
  background: var(--grip);
}
.mark i {
  position: absolute;
  top: -30px;
  transform: translateX(-50%);
  white-space: nowrap;
  font-style: normal;
  font-size: 0.85rem;
}
.then i {
  top: auto;
  bottom: -30px;
  font-weight: 700;
}
</style>
