<script setup lang="ts">
/** The same week for a narrow screen: day by day, what begins when and where. */
import type { Block, Workshop } from '@/api/types'
import { clock, dayName, keyOf, minutesOf, type WeekStrip } from './week'

const props = defineProps<{
  week: WeekStrip
  blocks: readonly Block[]
  workshop: Workshop
  chosen: string | null
  titles: Record<string, string>
}>()
const emit = defineEmits<{ choose: [block: Block] }>()
const DAY_MIN = 24 * 60
const on = (day: number) =>
  props.blocks
    .flatMap((block) => block.stretches.map((s) => ({ block, s })))
    .filter(({ s }) => minutesOf(s.begins) >= day && minutesOf(s.begins) < day + DAY_MIN)
const place = (b: Block) => props.workshop.bays.find((x) => x.id === b.bay)?.label ?? (b.bay ? b.bay : 'Bench')
</script>

<template>
  <section v-for="day in week.days" :key="day.start" class="day">
    <h2 class="sleeve">{{ dayName(day.wall) }}</h2>
    <p v-if="on(day.start).length === 0" class="quiet ma-0">Nothing is planned.</p>
    <button
      v-for="{ block, s } in on(day.start)"
      :key="`${keyOf(block)}:${s.begins}`"
      type="button"
      class="entry"
      :class="{ on: keyOf(block) === chosen }"
      :data-block="keyOf(block)"
      @click="emit('choose', block)"
    >
      <span class="figure when">{{ clock(s.begins) }}–{{ clock(s.ends) }}</span>
      <span
        ><b>{{ block.conflicts ? '✕ ' : block.late ? '▲ ' : '' }}{{ block.number }} {{ block.label }}</b
        ><br />{{ titles[block.kind] }}, {{ place(block) }}</span
      >
    </button>
  </section>
</template>

<style scoped>
.day {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin-bottom: 12px;
}
.entry {
  display: flex;
  gap: 12px;
  min-height: 52px;
  padding: 6px 8px;
  text-align: left;
  border-bottom: 1px solid var(--line);
}
.entry.on {
  background: rgb(var(--v-theme-surface-variant));
}
.when {
  flex: 0 0 96px;
}
</style>
