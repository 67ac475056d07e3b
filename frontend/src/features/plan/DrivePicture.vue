<script setup lang="ts">
/** The pulleys and their belt, to scale: as they are in outline, as they would be filled. */
import { computed, ref } from 'vue'
import type { Route } from '@/api/types'

const props = defineProps<{ now: Route; then: Route | null; movable?: boolean }>()
const emit = defineEmits<{ move: [name: string, x: number, y: number] }>()

const box = computed(() => {
  const every = [...props.now.contacts, ...(props.then?.contacts ?? [])].map((c) => c.pulley)
  const low = (of: (p: (typeof every)[number]) => number) => Math.min(...every.map((p) => of(p) - p.diameter_mm / 2))
  const high = (of: (p: (typeof every)[number]) => number) => Math.max(...every.map((p) => of(p) + p.diameter_mm / 2))
  const edge = 8
  const [x0, x1] = [low((p) => p.x_mm) - edge, high((p) => p.x_mm) + edge]
  const [y0, y1] = [low((p) => p.y_mm) - edge, high((p) => p.y_mm) + edge]
  return `${x0} ${-y1} ${x1 - x0} ${y1 - y0}`
})
const picture = ref<SVGSVGElement | null>(null)
const held = ref<string | null>(null)
/** While a pulley is dragged the drawing keeps its scale: nothing moves but what is held. */
const kept = ref('')
function take(event: PointerEvent, name: string): void {
  if (!props.movable) return
  kept.value = box.value
  held.value = name
  ;(event.target as Element).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent): void {
  const onto = picture.value?.getScreenCTM()
  if (!held.value || !onto) return
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(onto.inverse())
  emit('move', held.value, Math.round(at.x), Math.round(-at.y))
}
function drop(): void {
  held.value = null
  kept.value = ''
}
/** Spans from where the belt leaves a pulley to where it meets the next, arcs between. The drawing's y runs down. */
function belt(route: Route): string {
  const { contacts } = route
  return (
    contacts
      .map((c, k) => {
        const next = contacts[(k + 1) % contacts.length]!
        const r = next.pulley.diameter_mm / 2
        const start = k === 0 ? `M ${c.leaves[0]} ${-c.leaves[1]}` : ''
        const arc = `A ${r} ${r} 0 ${next.wrap_deg > 180 ? 1 : 0} ${next.sense > 0 ? 0 : 1} ${next.leaves[0]} ${-next.leaves[1]}`
        return `${start} L ${next.arrives[0]} ${-next.arrives[1]} ${arc}`
      })
      .join(' ') + ' Z'
  )
}
const shown = computed(() => props.then ?? props.now)
/** Two speak for themselves. */
const named = computed(() => (shown.value.contacts.length > 2 ? shown.value.contacts : []))
const LETTERS_A_LINE = 26
const letter = computed(() => Number(box.value.split(' ')[2]) / LETTERS_A_LINE)
</script>

<template>
  <svg
    ref="picture"
    :viewBox="kept || box"
    role="img"
    :aria-label="shown.contacts.map((c) => `${c.pulley.name} ${c.pulley.diameter_mm.toFixed(0)} mm`).join(', ')"
  >
    <circle
      v-for="c in shown.contacts"
      :key="c.pulley.name"
      class="pulley"
      :class="{ movable, held: held === c.pulley.name }"
      :data-circle="c.pulley.name"
      :cx="c.pulley.x_mm"
      :cy="-c.pulley.y_mm"
      :r="c.pulley.diameter_mm / 2"
      @pointerdown="take($event, c.pulley.name)"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="drop"
    />
    <path v-if="then" class="belt before" :d="belt(now)" />
    <path class="belt" :d="belt(shown)" />
    <text
      v-for="c in named"
      :key="`name ${c.pulley.name}`"
      :x="c.pulley.x_mm"
      :y="-c.pulley.y_mm"
      :dy="letter * 1.5"
      :font-size="letter"
      text-anchor="middle"
    >
      {{ c.pulley.name }}
    </text>
    <circle v-for="c in shown.contacts" :key="`axle ${c.pulley.name}`" class="axle" :cx="c.pulley.x_mm" :cy="-c.pulley.y_mm" r="4" />
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  max-height: 230px;
}
.pulley {
  fill: rgb(var(--v-theme-surface-variant));
}
.movable {
  cursor: grab;
  touch-action: none;
}
.held {
  fill: var(--copper);
  cursor: grabbing;
}
text,
.belt,
.axle {
  pointer-events: none;
}
.belt {
  fill: none;
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 3;
  vector-effect: non-scaling-stroke;
}
.before {
  stroke: var(--copper);
  stroke-width: 2;
  stroke-dasharray: 6 5;
}
text {
  fill: rgb(var(--v-theme-on-surface));
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 3;
  paint-order: stroke;
  vector-effect: non-scaling-stroke;
}
.axle {
  fill: rgb(var(--v-theme-on-surface));
}
</style>
