<script setup lang="ts">
/** The loop with the switches as they stand: what is live is lit with its volts, what is dead is grey; a contact is flipped where it is drawn. */
import { computed } from 'vue'
import type { Circuit, LoopLayout, RowView } from '@/api/types'
import { fixed } from '@/ui/numbers'
import { isConductor, roundedPath, strokeWidth } from './geometry'
import LoopSource from './LoopSource.vue'

const props = defineProps<{
  circuit: Circuit
  layout: LoopLayout
  row: RowView
  /** Contacts that a hand moves, by branch id. */
  contacts: readonly string[]
  sizes?: Record<string, number>
}>()
const emit = defineEmits<{ flip: [branchId: string] }>()

const grow = computed(() => Math.max(props.layout.words, 1.25))
const parts = computed(() => new Map(props.circuit.branches.map((b) => [b.id, b])))
const middle = computed(() => {
  const alternator = props.layout.sources.find((s) => s.kind === 'alternator')
  return alternator ? (alternator.start[1] + alternator.end[1]) / 2 : 0
})
const lines = computed(() =>
  props.layout.branches.flatMap((place) => {
    const branch = parts.value.get(place.branch_id)
    if (!branch) return []
    const contact = props.contacts.includes(place.branch_id)
    const open = contact ? !props.row.closed.includes(place.branch_id) : !place.closed
    const area = isConductor(branch) ? (props.sizes?.[branch.size] ?? 16) * (branch.parallel ?? 1) : undefined
    const [x, y] = place.label_at as [number, number]
    return [
      {
        id: place.branch_id,
        label: branch.label,
        path: roundedPath(place.points as [number, number][]),
        width: contact ? 12 : strokeWidth(area),
        lit: props.row.lit.includes(place.branch_id),
        contact,
        open,
        x,
        y:
          (y < middle.value ? -1 : 1) * 22 * grow.value * (rows.value.get(place.branch_id) ?? 0) +
          (y < middle.value ? y - 42 * grow.value : y + 56 * grow.value),
      },
    ]
  }),
)
/** Words of neighbours stand one above the other. */
const rows = computed(() => new Map(props.contacts.map((id, k) => [id, k % 2])))
/** Volts stand at the ends of what is flipped, at the alternator's stud and at the batteries' posts. */
const labelled = computed(() => {
  const ends = props.circuit.branches.filter((b) => props.contacts.includes(b.id)).flatMap((b) => [b.from_node, b.to_node])
  const studs = props.circuit.alternators.map((a) => a.stud_node)
  return new Set([...ends, ...studs, ...props.circuit.batteries.map((b) => b.positive_node)])
})
const nodes = computed(() =>
  props.layout.nodes.map((n) => {
    const volts = props.row.live_v[n.node_id]
    return {
      ...n,
      live: volts !== undefined,
      words: labelled.value.has(n.node_id) ? `${fixed(volts ?? 0, 1)} V` : '',
      up: n.y < middle.value,
    }
  }),
)
/** What is drawn, and room for a line of words and one of volts above and below. */
const box = computed(() => {
  const ends = props.layout.sources.flatMap((s) => [
    s.start[1],
    s.end[1],
    (s.start[1] + s.end[1]) / 2 - 70,
    (s.start[1] + s.end[1]) / 2 + 70,
  ])
  const ys = [...ends, ...props.layout.branches.flatMap((b) => b.points.map((p) => p[1]))] as number[]
  const room = (props.contacts.length > 1 ? 92 : 70) * grow.value
  const [top, bottom] = [Math.min(...ys) - room, Math.max(...ys) + room]
  return `0 ${top} ${props.layout.width} ${bottom - top}`
})
const fed = (source: LoopLayout['sources'][number]) => source.kind !== 'load' || props.row.fed.includes(source.id)
</script>

<template>
  <svg class="live" :viewBox="box" :style="{ '--grow': grow }" role="group" aria-label="The circuit with its switches: what is live is lit">
    <g v-for="source in layout.sources" :key="source.id" :class="{ dead: !fed(source) }" :data-load="source.id" :data-fed="fed(source)">
      <LoopSource :source="source" :circuit="circuit" :grow="layout.words" :gives="null" />
    </g>
    <g
      v-for="line in lines"
      :key="line.id"
      class="branch"
      :class="{ lit: line.lit, contact: line.contact, open: line.open }"
      :role="line.contact ? 'button' : undefined"
      :tabindex="line.contact ? 0 : undefined"
      :aria-label="line.contact ? `${line.label}, ${line.open ? 'open' : 'closed'}: flip` : undefined"
      :data-branch="line.id"
      :data-lit="line.lit"
      @click="line.contact && emit('flip', line.id)"
      @keydown.enter="line.contact && emit('flip', line.id)"
      @keydown.space.prevent="line.contact && emit('flip', line.id)"
    >
      <path v-if="line.contact" :d="line.path" class="touch" />
      <path v-if="line.lit" :d="line.path" class="glow" :stroke-width="line.width + 16" />
      <path :d="line.path" class="wire" :stroke-width="line.width" :stroke-dasharray="line.open ? '3 16' : undefined" />
      <text v-if="line.contact" :x="line.x" :y="line.y" class="name">{{ line.label }}: {{ line.open ? 'open' : 'closed' }}</text>
    </g>
    <g v-for="n in nodes" :key="n.node_id" :transform="`translate(${n.x} ${n.y})`" :data-node="n.node_id" :data-live="n.live">
      <circle r="9" class="node" :class="{ on: n.live }" />
      <text v-if="n.words" :y="(n.up ? -16 : 30) * grow" class="volts mono" :class="{ off: !n.live }">{{ n.words }}</text>
      <title>{{ n.label }}</title>
    </g>
  </svg>
</template>

<style scoped src="./loop.css"></style>
<style scoped>
.live {
  width: 100%;
  height: auto;
  max-height: 46dvh;
  display: block;
}
.wire,
.glow,
.touch {
  fill: none;
  stroke-linejoin: round;
}
.wire {
  stroke: var(--line);
}
.lit .wire {
  stroke: var(--fail);
}
.glow {
  stroke: var(--heat);
  opacity: 0.55;
}
.touch {
  stroke: transparent;
  stroke-width: 60;
}
.contact {
  cursor: pointer;
  outline: none;
}
.contact.open .wire {
  stroke: rgb(var(--v-theme-on-surface));
}
.contact:focus-visible .wire {
  filter: drop-shadow(0 0 5px var(--copper));
}
.name {
  font-size: calc(17px * var(--grow));
  font-weight: 700;
}
.volts {
  font-size: calc(18px * var(--grow));
  font-weight: 700;
  fill: var(--fail);
}
.volts.off {
  fill: var(--quiet);
  font-weight: 400;
}
.node {
  fill: rgb(var(--v-theme-surface));
  stroke: var(--quiet);
  stroke-width: 3;
}
.node.on {
  fill: var(--heat);
  stroke: var(--fail);
}
.dead {
  opacity: 0.38;
}
</style>
