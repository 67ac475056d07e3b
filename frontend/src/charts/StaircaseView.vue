<script setup lang="ts">
/** Volts lost from the stud round to the case, one step a branch: sound, read, limit. */
import { computed } from 'vue'
import type { Findings, Staircase } from '@/api/types'
import { fixed, mv } from '@/ui/numbers'
import { MARKS } from './marks'

const props = defineProps<{
  findings: Findings
  /** Of the same circuit: as read, or at a state that is tried out. */
  staircase: Staircase
  selected?: string | null
}>()
const emit = defineEmits<{ select: [branchId: string] }>()

const WIDTH = 1000
const HEIGHT = 262
const LEFT = 64
const RIGHT = 18
const TOP = 34
const BOTTOM = 72
/** Where a step is narrower, its words wait for a tap. */
const LEAST_STRIDE = 40

/** A label on at most two lines, so that neighbours do not run into each other. */
function twoLines(label: string): string[] {
  const words = label.split(' ')
  if (label.length < 13 || words.length < 2) return [label]
  let best = 1
  const width = (at: number) => Math.max(words.slice(0, at).join(' ').length, words.slice(at).join(' ').length)
  for (let at = 2; at < words.length; at++) if (width(at) < width(best)) best = at
  return [words.slice(0, best).join(' '), words.slice(best).join(' ')]
}

const verdicts = computed(() => new Map(props.findings.branches.map((b) => [b.branch_id, b.verdict])))

const picture = computed(() => {
  const s = props.staircase
  const count = s.feed.length + s.return_side.length + 1
  const stride = (WIDTH - LEFT - RIGHT) / count
  const predictedFeed = s.stud_v - s.battery_positive_v
  const readFeed = s.stud_v - s.measured_battery_positive_v
  const allowedFeed = s.stud_v - s.feed_limit_v
  // Both flights as volts lost since the stud, so that the stairs run on downwards past the battery.
  const steps = [
    ...s.feed.map((step, k) => ({
      step,
      x: LEFT + k * stride,
      predicted: [s.stud_v - step.predicted_from_v, s.stud_v - step.predicted_to_v] as const,
      read: [s.stud_v - step.measured_from_v, s.stud_v - step.measured_to_v] as const,
    })),
    ...s.return_side.map((step, k) => ({
      step,
      x: LEFT + (s.feed.length + 1 + k) * stride,
      predicted: [
        predictedFeed + s.battery_negative_v - step.predicted_from_v,
        predictedFeed + s.battery_negative_v - step.predicted_to_v,
      ] as const,
      read: [
        readFeed + s.measured_battery_negative_v - step.measured_from_v,
        readFeed + s.measured_battery_negative_v - step.measured_to_v,
      ] as const,
    })),
  ]
  const deepest = Math.max(
    allowedFeed * 1.15,
    readFeed + s.return_limit_v * 1.08,
    ...steps.flatMap((p) => [p.predicted[1], p.read[1], p.read[0] + (p.step.sound_high_v ?? 0)]),
    0.01,
  )
  const y = (lost: number) => TOP + (lost / deepest) * (HEIGHT - TOP - BOTTOM)
  const ticks: number[] = []
  const unit = [0.02, 0.05, 0.1, 0.2, 0.5, 1].find((u) => deepest / u <= 6) ?? 2
  for (let v = 0; v <= deepest + 1e-9; v += unit) ticks.push(v)
  const batteryX = LEFT + s.feed.length * stride
  return {
    s,
    steps,
    stride,
    roomy: stride >= LEAST_STRIDE,
    y,
    ticks,
    batteryX,
    readFeed,
    predictedFeed,
    allowedFeed,
    returnLimit: readFeed + s.return_limit_v,
  }
})

const banded = computed(() => picture.value.steps.some((p) => p.step.sound_low_v !== null))
/** Below its line, or above where the branches' names begin below. */
const wordY = (line: number) => (line + 20 > HEIGHT - BOTTOM ? line - 7 : line + 16)

const predictedPath = computed(() => {
  const p = picture.value
  let path = ''
  for (const { x, predicted } of p.steps) {
    path += `${path ? 'L' : 'M'}${x} ${p.y(predicted[0])}L${x + p.stride / 2} ${p.y(predicted[0])}L${x + p.stride / 2} ${p.y(predicted[1])}L${x + p.stride} ${p.y(predicted[1])}`
  }
  return path
})
</script>

<template>
  <svg class="stairs" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" role="group" aria-label="Voltage staircase">
    <g v-for="tick in picture.ticks" :key="tick">
      <line :x1="LEFT" :x2="WIDTH - RIGHT" :y1="picture.y(tick)" :y2="picture.y(tick)" class="grid" />
      <text :x="LEFT - 8" :y="picture.y(tick) + 5" class="tick mono">{{ mv(tick) }}</text>
    </g>
    <text :x="LEFT - 8" :y="TOP - 16" class="tick">mV lost</text>
    <rect :x="picture.batteryX" :y="TOP - 22" :width="picture.stride" :height="HEIGHT - BOTTOM - TOP + 22" class="battery" />
    <text :x="picture.batteryX + picture.stride / 2" :y="TOP - 6" class="name">
      battery {{ fixed(picture.s.measured_battery_positive_v - picture.s.measured_battery_negative_v, 2) }} V
    </text>
    <text :x="LEFT + 4" :y="TOP - 6" class="name start">stud {{ fixed(picture.s.stud_v, 2) }} V</text>
    <text :x="WIDTH - RIGHT" :y="TOP - 6" class="name end">case 0 V</text>
    <text v-if="banded" :x="picture.batteryX + picture.stride + 8" :y="TOP - 6" class="band-word start">shade: sound parts end here</text>
    <line :x1="LEFT" :x2="picture.batteryX" :y1="picture.y(picture.allowedFeed)" :y2="picture.y(picture.allowedFeed)" class="limit" />
    <line
      :x1="picture.batteryX + picture.stride"
      :x2="WIDTH - RIGHT"
      :y1="picture.y(picture.returnLimit)"
      :y2="picture.y(picture.returnLimit)"
      class="limit"
    />
    <text :x="LEFT + 6" :y="wordY(picture.y(picture.allowedFeed))" class="limit-word start">feed limit at this current</text>
    <text :x="WIDTH - RIGHT" :y="wordY(picture.y(picture.returnLimit))" class="limit-word end">return limit at this current</text>
    <path :d="predictedPath" class="predicted" />
    <line
      :x1="picture.batteryX"
      :x2="picture.batteryX + picture.stride"
      :y1="picture.y(picture.readFeed)"
      :y2="picture.y(picture.readFeed)"
      class="tread"
    />
    <g
      v-for="{ step, x, read } in picture.steps"
      :key="step.branch_id"
      class="step"
      :class="{ picked: step.branch_id === selected }"
      role="button"
      tabindex="0"
      :aria-label="`${step.label}: ${mv(read[1] - read[0])} millivolts${step.read ? '' : ' predicted'}`"
      :data-step="step.branch_id"
      @click="emit('select', step.branch_id)"
      @keydown.enter="emit('select', step.branch_id)"
    >
      <rect :x="x" :y="TOP - 22" :width="picture.stride" :height="HEIGHT - TOP" class="touch" />
      <path
        :d="`M${x} ${picture.y(read[0])}H${x + picture.stride / 2}V${picture.y(read[1])}H${x + picture.stride}`"
        class="tread"
        :class="{ unread: !step.read }"
      />
      <rect
        v-if="step.sound_low_v !== null && step.sound_high_v !== null"
        :x="x + picture.stride / 2"
        :y="picture.y(read[0] + step.sound_low_v)"
        :width="picture.stride / 2"
        :height="Math.max(picture.y(step.sound_high_v) - picture.y(step.sound_low_v), 3)"
        class="sound"
      >
        <title>{{ step.label }}: a sound one loses {{ mv(step.sound_low_v) }} to {{ mv(step.sound_high_v) }} mV here</title>
      </rect>
      <line
        v-if="step.read"
        :x1="x + picture.stride / 2"
        :x2="x + picture.stride / 2"
        :y1="picture.y(read[0])"
        :y2="picture.y(read[1])"
        class="riser"
        :style="{ stroke: MARKS[verdicts.get(step.branch_id) ?? 'not_measured'].colour }"
      />
      <template v-if="picture.roomy || step.branch_id === selected">
        <text
          v-for="(line, row) in twoLines(step.label)"
          :key="row"
          :x="x + picture.stride / 2"
          :y="HEIGHT - BOTTOM + 22 + 15 * row"
          class="name"
          :class="step.side"
        >
          {{ line }}
        </text>
        <text :x="x + picture.stride / 2" :y="HEIGHT - 12" class="drop mono">
          {{ step.read ? mv(read[1] - read[0]) : `(${mv(read[1] - read[0])})` }}
        </text>
      </template>
    </g>
  </svg>
</template>

<style scoped>
.stairs {
  width: 100%;
  height: auto;
  display: block;
}
text {
  fill: rgb(var(--v-theme-on-surface));
  text-anchor: middle;
  font-size: 14.5px;
}
.mono {
  font-family: var(--figures);
  font-variant-numeric: tabular-nums;
}
.tick,
.end {
  text-anchor: end;
}
.start {
  text-anchor: start;
}
.tick {
  fill: var(--quiet);
}
.grid {
  stroke: var(--line);
}
.battery {
  fill: rgb(var(--v-theme-surface-variant));
  opacity: 0.6;
}
.limit {
  stroke: var(--fail);
  stroke-width: 2.5;
  stroke-dasharray: 12 5;
}
.band-word {
  fill: var(--pass);
  font-size: 13px;
}
.limit-word {
  fill: var(--fail);
  font-size: 13px;
}
.predicted {
  fill: none;
  stroke: var(--quiet);
  stroke-width: 2;
  stroke-dasharray: 3 4;
}
.tread {
  fill: none;
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 3;
}
.sound {
  fill: var(--pass);
  opacity: 0.3;
}
.tread.unread {
  stroke-width: 1.5;
  opacity: 0.6;
}
.riser {
  stroke-width: 9;
}
.touch {
  fill: transparent;
}
.picked .touch {
  fill: rgb(var(--v-theme-on-surface));
  opacity: 0.08;
}
.step {
  cursor: pointer;
  outline: none;
}
.step:focus-visible .touch {
  stroke: var(--copper);
  stroke-width: 3;
}
.name.feed {
  fill: var(--copper);
}
.name.return {
  fill: var(--slate);
}
.drop {
  font-size: 17px;
  font-weight: 700;
}
</style>
