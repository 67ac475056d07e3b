<script setup lang="ts">
/** A week as strips, a row for each bay and the bench: what lies where, dragged elsewhere by hand. */
import { ref } from 'vue'
import type { Block } from '@/api/types'
import { clock, dayName, keyOf, type Bar, type Row, type WeekStrip } from './week'

const props = defineProps<{
  week: WeekStrip
  rows: Row[]
  chosen: string | null
  may: boolean
  now: number
  titles: Record<string, string>
  people: Record<string, string>
}>()
const emit = defineEmits<{ choose: [block: Block]; drop: [block: Block, bay: string | null, day: number, share: number] }>()

const LANE_PX = 54
const FAR_PX = 6
const dragging = ref<{ block: Block; from: [number, number]; by: [number, number]; grip: number } | null>(null)

function grab(event: PointerEvent, bar: Bar): void {
  emit('choose', bar.block)
  if (!props.may || event.button !== 0) return
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  dragging.value = { block: bar.block, from: [event.clientX, event.clientY], by: [0, 0], grip: event.clientX - box.left }
}
function drag(event: PointerEvent): void {
  const now = dragging.value
  if (now) now.by = [event.clientX - now.from[0], event.clientY - now.from[1]]
}
function drop(event: PointerEvent): void {
  const now = dragging.value
  dragging.value = null
  // A finger that only taps chooses, and moves nothing.
  if (!now || Math.hypot(...now.by) < FAR_PX) return
  const cell = document.elementsFromPoint(event.clientX, event.clientY).find((e) => e instanceof HTMLElement && e.dataset.day !== undefined)
  if (!(cell instanceof HTMLElement)) return
  const box = cell.getBoundingClientRect()
  emit('drop', now.block, cell.dataset.bay || null, Number(cell.dataset.day), (event.clientX - now.grip - box.left) / box.width)
}
const shifted = (bar: Bar) => {
  const now = dragging.value
  return now && keyOf(now.block) === keyOf(bar.block) ? `translate(${now.by[0]}px, ${now.by[1]}px)` : undefined
}
const nowShare = (day: number) => (props.now - day - props.week.from) / (props.week.to - props.week.from)
/** Of a job's number the part that runs on: what there is room for. */
const running = (b: Block) =>
  b.number
    .split('-')
    .at(-1)!
    .replace(/^0+(?=\d)/, '')
const hands = (b: Block) =>
  b.people
    .map((id) => props.people[id] ?? id)
    .map((name) =>
      name
        .split(' ')
        .map((word) => word[0])
        .join(''),
    )
    .join(' ')
const spoken = (b: Block) =>
  `${b.number} ${b.label}, ${props.titles[b.kind]}, ${dayName(b.begins)} ${clock(b.begins)} to ${dayName(b.ends)} ${clock(b.ends)}` +
  (b.late ? `, late: ${b.late}` : '') +
  (b.conflicts ? ', cannot be' : '')
</script>

<template>
  <div class="board" data-test="board">
    <div class="line head">
      <span class="place" />
      <span v-for="day in week.days" :key="day.start" class="day">{{ dayName(day.wall) }}</span>
    </div>
    <div v-for="row in rows" :key="row.bay ?? ''" class="line" :data-row="row.bay ?? 'bench'">
      <b class="place">{{ row.label }}</b>
      <div
        v-for="(day, k) in week.days"
        :key="day.start"
        class="strip"
        :data-day="day.start"
        :data-bay="row.bay ?? ''"
        :style="{ height: `${row.lanes * LANE_PX + 6}px` }"
      >
        <i
          v-for="(o, n) in day.open"
          :key="n"
          class="open"
          aria-hidden="true"
          :style="{ left: `${o.left * 100}%`, width: `${o.width * 100}%` }"
        />
        <i
          v-if="nowShare(day.start) >= 0 && nowShare(day.start) <= 1"
          class="now"
          aria-hidden="true"
          :style="{ left: `${nowShare(day.start) * 100}%` }"
        />
        <button
          v-for="bar in row.bars[k]"
          :key="`${keyOf(bar.block)}:${bar.left}`"
          type="button"
          class="bar"
          :class="[
            bar.block.kind,
            { on: keyOf(bar.block) === chosen, wrong: bar.block.conflicts > 0, late: bar.block.late, first: bar.first, last: bar.last },
          ]"
          :data-block="keyOf(bar.block)"
          :aria-label="spoken(bar.block)"
          :aria-pressed="keyOf(bar.block) === chosen"
          :title="spoken(bar.block)"
          :style="{
            left: `${bar.left * 100}%`,
            width: `${bar.width * 100}%`,
            top: `${bar.lane * LANE_PX + 3}px`,
            height: `${LANE_PX - 6}px`,
            transform: shifted(bar),
          }"
          @pointerdown="grab($event, bar)"
          @pointermove="drag"
          @pointerup="drop"
          @pointercancel="dragging = null"
          @click="emit('choose', bar.block)"
        >
          <span class="top figure"
            ><span class="mark" aria-hidden="true"
              ><template v-if="bar.block.conflicts">✕</template><template v-else-if="bar.block.late">▲</template
              ><template v-if="bar.block.pinned">▪</template></span
            >{{ running(bar.block) }} <span class="quiet hands">{{ hands(bar.block) }}</span></span
          >
          <span class="name">{{ bar.block.label }}</span>
        </button>
      </div>
    </div>
  </div>
</template>

<style scoped>
.board {
  display: flex;
  flex-direction: column;
}
.line {
  display: flex;
  gap: 6px;
  align-items: stretch;
}
.place {
  flex: 0 0 76px;
  padding: 8px 4px 0 0;
  overflow-wrap: anywhere;
}
.day {
  flex: 1 1 0;
  min-width: 0;
  padding: 0 0 4px 2px;
  font-weight: 700;
}
.strip {
  flex: 1 1 0;
  min-width: 0;
  position: relative;
  border-bottom: 1px solid var(--line);
}
.open {
  position: absolute;
  top: 0;
  bottom: 0;
  background: rgb(var(--v-theme-surface-variant));
  opacity: 0.45;
}
.now {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 2px solid var(--copper);
  z-index: 2;
  pointer-events: none;
}
.bar {
  position: absolute;
  min-width: 12px;
  padding: 3px;
  overflow: hidden;
  text-align: left;
  font-size: 0.78rem;
  line-height: 1.15;
  font-weight: 700;
  touch-action: none;
  container-type: inline-size;
  cursor: grab;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--quiet);
  border-width: 1px 0;
}
.bar.first {
  border-left: 6px solid var(--kind);
}
.bar.last {
  border-right: 1px solid var(--quiet);
}
.bar.measure {
  --kind: var(--slate);
}
.bar.make {
  --kind: var(--heat);
}
.bar.fit {
  --kind: var(--copper);
}
.bar.on {
  outline: 3px solid var(--copper);
  z-index: 3;
}
.bar.late .mark,
.bar.wrong .mark {
  color: var(--fail);
}
.bar.wrong {
  border-color: var(--fail);
  border-width: 2px 0;
}
.top,
.name {
  display: block;
  overflow: hidden;
}
.top,
.hands {
  white-space: nowrap;
}
.name {
  max-height: 2.3em;
}
@container (max-width: 100px) {
  .hands {
    display: none;
  }
  .name {
    white-space: nowrap;
  }
}
</style>
