<script setup lang="ts">
/** A device of the loop between its two ends: alternator, battery, load or charger, with its name and what it is good for or gives. */
import { computed } from 'vue'
import type { Circuit, LoopLayout } from '@/api/types'
import { fixed } from '@/ui/numbers'

type Source = LoopLayout['sources'][number]
const props = withDefaults(
  defineProps<{
    source: Source
    circuit: Circuit
    /** Words of a very wide drawing are so many times larger. */
    grow: number
    /** Words of a drawing that is shown small, where there is room. */
    words?: number
    /** Current it gives at the state that is tried out [A]; null: none is. */
    gives: number | null
  }>(),
  { words: 1 },
)

/** Where words stand in a symbol: the first line of a name of one and of two lines, its steps, the room beside, the value below. */
interface Face {
  first: readonly [one: number, two: number]
  step: number
  room: number
  size: number
  name: 'name' | 'tiny'
  value: number
  figure: 'rating mono' | 'tiny'
  /** Larger words push the lines apart, where the symbol grows as well. */
  grows: boolean
}
const CHARGER: Face = { first: [5, -4], step: 16, room: 84, size: 15, name: 'name', value: 44, figure: 'tiny', grows: true }
const FACES: Record<string, Face> = {
  alternator: { first: [-22, -32], step: 17, room: 108, size: 17, name: 'name', value: 40, figure: 'rating mono', grows: false },
  battery: { first: [-14, -28], step: 18, room: 122, size: 17, name: 'name', value: 14, figure: 'rating mono', grows: true },
  load: { first: [5, -3], step: 15, room: 92, size: 14.5, name: 'tiny', value: 36, figure: 'tiny', grows: true },
}
const face = computed(() => FACES[props.source.kind] ?? CHARGER)
const scale = computed(() => (face.value.grows ? props.grow : 1))

/** One font for all lines, which keeps the longest inside its symbol; bold B612 is about 0.58 of its size wide a letter. */
const LETTER = 0.58
const fontSize = computed(() => {
  const { lines } = props.source
  const longest = Math.max(...lines.map((line) => line.length), 1)
  // Of two lines none is higher than their step.
  const words = lines.length > 1 ? 1 : props.words
  return `${Math.min(face.value.size * props.grow * words, face.value.room / (LETTER * longest)).toFixed(1)}px`
})
/** Larger figures of a load stand further below its outline. */
const below = computed(() => (props.source.kind === 'load' && props.words > 1 ? 5 : 0))
const yOf = (row: number) => (face.value.first[props.source.lines.length > 1 ? 1 : 0] + face.value.step * row) * scale.value

const battery = computed(() => props.circuit.batteries.find((b) => b.id === props.source.id))
/** What it gives just now, or else what it is good for. */
const value = computed(() => {
  if (props.gives !== null) return `${fixed(props.gives, 1)} A`
  const { id, kind } = props.source
  if (kind === 'battery') return `${battery.value?.capacity_ah} Ah`
  if (kind === 'alternator') return `${props.circuit.alternators.find((a) => a.id === id)?.rated_a} A`
  if (kind === 'load') return `${props.circuit.loads.find((l) => l.id === id)?.current_a} A`
  return ''
})
const points = (lead: Source['leads'][number]) => lead.map((p) => p.join(',')).join(' ')
</script>

<template>
  <g>
    <polyline v-for="(lead, k) in source.leads" :key="k" :points="points(lead)" class="lead" />
    <line
      :x1="source.start[0]"
      :y1="source.start[1]"
      :x2="source.end[0]"
      :y2="source.end[1]"
      class="post"
      :class="{ spur: source.kind === 'load' }"
    />
    <g :transform="`translate(${(source.start[0] + source.end[0]) / 2} ${(source.start[1] + source.end[1]) / 2})`">
      <template v-if="source.kind === 'alternator'">
        <circle r="62" class="source" />
        <path d="M-30 6 q10 -26 20 0 t20 0 t20 0" class="wave" />
      </template>
      <template v-else-if="source.kind === 'battery'">
        <rect x="-66" :y="-52 * grow" width="132" :height="104 * grow" rx="5" class="source" />
        <rect x="-46" :y="-52 * grow - 10" width="26" height="10" class="lug plus" />
        <rect x="20" :y="-52 * grow - 10" width="26" height="10" class="lug minus" />
        <text :y="38 * grow" class="tiny">{{ battery?.chemistry }}</text>
      </template>
      <rect v-else-if="source.kind === 'load'" x="-50" :y="-18 * grow" width="100" :height="36 * grow" rx="18" class="source" />
      <path v-else d="M-44 -24 H44 L58 0 L44 24 H-44 Z" class="source" />
      <text v-for="(line, row) in source.lines" :key="row" :y="yOf(row)" :class="face.name" :style="{ fontSize }">{{ line }}</text>
      <!-- A load's leads run on behind its figure, and between the words of one no outline reaches. -->
      <rect
        v-if="source.kind === 'load'"
        :x="-24 * words"
        :y="(face.value - 15) * scale"
        :width="48 * words"
        :height="20 * words * scale"
        class="clear"
      />
      <text :y="(face.value + below) * scale" :class="face.figure">{{ value }}</text>
    </g>
  </g>
</template>

<style scoped src="./loop.css"></style>
<style scoped>
.post {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 3;
}
.spur {
  stroke-dasharray: 5 5;
}
.lead {
  fill: none;
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 1.5;
  stroke-dasharray: 5 5;
}
.source {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 3;
}
.clear {
  fill: rgb(var(--v-theme-surface));
}
.wave {
  fill: none;
  stroke: var(--copper);
  stroke-width: 4;
}
.lug.plus {
  fill: var(--copper);
}
.lug.minus {
  fill: var(--slate);
}
.name {
  font-size: calc(17px * var(--grow));
  font-weight: 700;
}
.rating {
  font-size: calc(17px * var(--grow));
}
</style>
