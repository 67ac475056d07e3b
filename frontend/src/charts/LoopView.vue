<script setup lang="ts">
/** The charging circuit as a closed ring: feed side above, return side below. Coordinates come from the core. */
import { computed } from 'vue'
import type { Circuit, Findings, LoopLayout, SolvedDraft } from '@/api/types'
import { fixed, mv } from '@/ui/numbers'
import { heatOpacity, isConductor, roundedPath, shownHeat, strokeWidth } from './geometry'
import LoopSource from './LoopSource.vue'
import { MARKS } from './marks'

const props = defineProps<{
  circuit: Circuit
  findings: Findings
  layout: LoopLayout
  /** The circuit at a state that is tried out: its drops and currents instead of the readings. */
  point?: SolvedDraft['point']
  selected?: string | null
  /** Nodes the probes go to, while measuring. */
  red?: string | null
  black?: string | null
  sizes?: Record<string, number>
  compact?: boolean
  /** While there are probes nothing but where they go, in words that can be read from a step away. */
  probesOnly?: boolean
}>()
const emit = defineEmits<{ select: [branchId: string] }>()

/** A drawing so wide that it is shown small: words get larger, and what the part is waits for a tap. */
const wide = computed(() => props.compact || props.probesOnly || props.layout.width > WIDE)
const bare = computed(() => props.probesOnly && Boolean(props.red || props.black))
const WIDE = 2000
/** Words of a very wide drawing are larger, as far as the core has made room for them. */
const grow = computed(() => (wide.value ? props.layout.words : 1))
/** Words in the symbols of a drawing that is shown small are so many times larger, as far as there is room. */
const SMALL = 1.35
/** What colours, brackets and glow mean: as wide as the middle of the ring is. */
const legend = computed(() =>
  wide.value
    ? ['copper: feed, slate: return', 'width follows the conductor', 'in brackets: a sound part', 'glow: heat']
    : ['copper: feed, slate: return; width follows the conductor', 'in brackets: what a sound part would lose; glow: heat'],
)
/** A name in lines that fit the room the core has found for it; one line where the drawing is shown large. */
function inLines(name: string, room: number): string[] {
  if (!wide.value) return [name]
  const most = Math.max(Math.floor(room / (12.5 * grow.value)), 7)
  return name.split(' ').reduce<string[]>((lines, word) => {
    const last = lines.at(-1)
    if (last !== undefined && last.length + 1 + word.length <= most) lines[lines.length - 1] = `${last} ${word}`
    else lines.push(word)
    return lines
  }, [])
}

/** Height of the ring's middle: words of what lies above it go up, of what lies below it down. */
const middle = computed(() => {
  const alternator = props.layout.sources.find((s) => s.kind === 'alternator')
  return alternator ? (alternator.start[1] + alternator.end[1]) / 2 : 0
})

const lines = computed(() => {
  const byBranch = new Map(props.findings.branches.map((b) => [b.branch_id, b]))
  const parts = new Map(props.circuit.branches.map((b) => [b.id, b]))
  const flows = new Map((props.point?.branches ?? []).map((b) => [b.branch_id, b]))
  return props.layout.branches.flatMap((place) => {
    const finding = byBranch.get(place.branch_id)
    const branch = parts.get(place.branch_id)
    if (!branch) return []
    const area = isConductor(branch) ? (props.sizes?.[branch.size] ?? 16) * (branch.parallel ?? 1) : undefined
    const flow = flows.get(place.branch_id)
    const read = !flow && finding !== undefined && finding.measured_drop_v !== null
    // What other readings say of a part nobody read, where that is more than that it is sound.
    const told = read || (!flow && finding !== undefined && !['pass', 'not_measured'].includes(finding.verdict))
    const open = flow ? !flow.closed : !place.closed
    const [x, y] = place.label_at as [number, number]
    return [
      {
        id: place.branch_id,
        path: roundedPath(place.points as [number, number][]),
        width: strokeWidth(area),
        colour: place.side === 'feed' ? 'var(--copper)' : 'var(--slate)',
        dashed: !isConductor(branch),
        heat: heatOpacity(flow ? (flow.closed ? flow.heat_w : 0) : finding ? shownHeat(finding) : 0),
        open,
        x,
        y,
        up: y < middle.value,
        named: place.named,
        label: branch.label,
        names: inLines(branch.label, place.label_room),
        part: flow ? `${fixed(Math.abs(flow.current_a), 1)} A` : (finding?.part ?? ''),
        reading:
          open || !finding
            ? 'open'
            : flow
              ? `${mv(Math.abs(flow.drop_v))} mV`
              : read
                ? `${mv(finding.measured_drop_v)} mV`
                : `(${mv(Math.abs(finding.predicted_drop_v))})`,
        read,
        told,
        mark: MARKS[finding?.verdict ?? 'not_measured'],
        verdict: told && finding ? MARKS[finding.verdict].word : open ? 'current cannot pass' : 'not read',
      },
    ]
  })
})

/** The middle of the ring, which holds nothing else: between the alternator and the first battery. */
const key = computed(() => {
  const [alternator, battery] = ['alternator', 'battery'].map((kind) => props.layout.sources.find((s) => s.kind === kind))
  return alternator && battery ? { x: (alternator.start[0] + battery.start[0]) / 2, y: middle.value } : null
})

/** Words of probes are so large in the drawing's units that they come out alike whatever its width. */
const PROBE_WORDS = 1 / 34
const probes = computed(() => {
  const { nodes, width } = props.layout
  const size = width * PROBE_WORDS
  return nodes
    .filter((n) => n.node_id === props.red || n.node_id === props.black)
    .map((n, row, both) => {
      const up = n.y < middle.value
      // Two on one side stand in two rows: they may be as near as a lug to its cable.
      const second = row > 0 && both[0]!.y < middle.value === up
      const half = (n.label.length * size * 0.6) / 2
      return {
        ...n,
        red: n.node_id === props.red,
        size,
        half,
        at: Math.min(Math.max(n.x, half), Math.max(width - half, half)) - n.x,
        off: (up ? -1 : 1) * size * (second ? 2.5 : 1.3) + (up ? 0 : size * 0.7),
      }
    })
})
const box = computed(() => {
  const { width, height } = props.layout
  if (!bare.value) return [0, wide.value ? -24 * grow.value : 0, width, height + (wide.value ? 60 * grow.value : 0)]
  const room = 3.4 * width * PROBE_WORDS
  const ys = props.layout.nodes.map((n) => n.y)
  const top = Math.min(Math.min(...ys) - room, 0)
  return [0, top, width, Math.max(Math.max(...ys) + room, height) - top]
})

/** What a device gives (or takes) at the state that is tried out. */
const gives = (id: string) => props.point?.devices.findLast((d) => d.device_id === id)?.current_a ?? null
</script>

<template>
  <svg
    class="loop"
    :class="{ compact: wide }"
    :viewBox="box.join(' ')"
    :style="{ '--grow': grow }"
    role="group"
    aria-label="The charging circuit as a loop"
  >
    <LoopSource
      v-for="source in layout.sources"
      :key="source.id"
      :source="source"
      :circuit="circuit"
      :grow="grow"
      :words="wide ? SMALL : 1"
      :gives="gives(source.id)"
    />
    <g
      v-for="line in lines"
      :key="line.id"
      class="branch"
      :class="{ picked: line.id === selected }"
      role="button"
      tabindex="0"
      :aria-label="`${line.label} ${line.reading} ${wide ? '' : line.part}, ${line.verdict}`"
      :data-branch="line.id"
      @click="emit('select', line.id)"
      @keydown.enter="emit('select', line.id)"
    >
      <path :d="line.path" class="touch" />
      <path v-if="line.id === selected" :d="line.path" class="halo" :stroke-width="line.width + 16" />
      <path :d="line.path" class="heat" :stroke-width="line.width + 14" :style="{ opacity: line.heat }" />
      <path
        :d="line.path"
        class="wire"
        :stroke="line.colour"
        :stroke-width="line.width"
        :stroke-dasharray="line.open ? '2 14' : line.dashed ? '3 6' : undefined"
      />
      <g
        v-if="!bare && (line.named || line.id === selected)"
        :transform="`translate(${line.x} ${line.up ? line.y - (wide ? 48 * grow : 56) : line.y + (wide ? 14 + 22 * grow * line.names.length : 30)})`"
      >
        <text v-for="(name, row) in line.names" :key="row" :y="22 * grow * (row - line.names.length + 1)" class="label">{{ name }}</text>
        <g :style="{ color: line.told ? line.mark.colour : 'var(--quiet)' }">
          <g v-if="line.told" :transform="`translate(${-62 * grow} ${wide ? 11 * grow : 7}) scale(${0.9 * grow})`">
            <path :d="line.mark.path" class="mark" />
          </g>
          <text :x="line.told ? 12 * grow : 0" :y="wide ? 31 * grow : 26" class="reading mono" :class="{ unread: !line.read }">
            {{ line.reading }}
          </text>
        </g>
        <text v-if="!wide" y="46" class="tiny">{{ line.part }}</text>
      </g>
    </g>
    <g v-if="!compact && !probesOnly && !point && key && grow < 1.2" :transform="`translate(${key.x} ${key.y})`" class="tiny">
      <text v-for="(words, row) in legend" :key="row" :y="(row - (legend.length - 2) / 2) * (wide ? 31 : 20) - 10">{{ words }}</text>
    </g>
    <g v-for="node in layout.nodes" :key="node.node_id" :transform="`translate(${node.x} ${node.y})`">
      <circle r="8" class="node" />
      <title>{{ node.label }}</title>
    </g>
    <g v-for="probe in probes" :key="probe.node_id" :transform="`translate(${probe.x} ${probe.y})`">
      <circle :r="bare ? probe.size * 0.62 : 17" class="probe" :class="probe.red ? 'red' : 'black'" />
      <text class="probe-word" :y="bare ? probe.size * 0.28 : 5" :style="bare ? { fontSize: `${probe.size * 0.8}px` } : {}">
        {{ probe.red ? 'R' : 'B' }}
      </text>
      <template v-if="bare">
        <rect :x="probe.at - probe.half" :y="probe.off - probe.size" :width="2 * probe.half" :height="1.35 * probe.size" class="clear" />
        <text :x="probe.at" :y="probe.off" class="probe-place" :style="{ fontSize: `${probe.size}px` }">{{ probe.label }}</text>
      </template>
    </g>
  </svg>
</template>

<style scoped src="./loop.css"></style>
<style scoped>
.loop {
  width: 100%;
  height: auto;
  max-height: inherit;
  display: block;
}
.label {
  font-size: 16px;
}
.reading {
  font-size: 21px;
  font-weight: 700;
  fill: currentColor;
}
.compact .label {
  font-size: calc(21.5px * var(--grow));
}
.compact .reading {
  font-size: calc(27px * var(--grow));
}
.reading.unread {
  font-weight: 400;
}
.mark {
  fill: none;
  stroke: currentColor;
  stroke-width: 2.8;
  stroke-linejoin: round;
  stroke-linecap: round;
}
.wire,
.heat,
.halo,
.touch {
  fill: none;
  stroke-linejoin: round;
}
.heat {
  stroke: var(--heat);
}
.halo {
  stroke: rgb(var(--v-theme-on-surface));
  opacity: 0.22;
}
.touch {
  stroke: transparent;
  stroke-width: 56;
}
.branch {
  cursor: pointer;
  outline: none;
}
.branch:focus-visible .halo,
.branch:focus-visible .wire {
  filter: drop-shadow(0 0 5px var(--copper));
}
.picked .label {
  font-weight: 700;
  text-decoration: underline;
  text-underline-offset: 4px;
}
.node {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 3;
}
.probe {
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 3;
}
.probe.red {
  fill: #b3261e;
}
.probe.black {
  fill: #17191c;
}
.clear {
  fill: rgb(var(--v-theme-surface));
}
.probe-place {
  font-weight: 700;
}
.probe-word {
  stroke: none;
  font-size: 16px;
  font-weight: 700;
  fill: #fff;
}
</style>
