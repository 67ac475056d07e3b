<script setup lang="ts">
/** One job on the schedule: when, where, by whom, and what is known of it that the steps do not say. */
import { computed } from 'vue'
import type { Block, Placed, Schedule, ScheduleView, Workshop } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { clock, dayAndClock, dayName, keyOf, later, minutesOf, moved, takenOff, wallOf, wished, wishOf } from './week'

const props = defineProps<{
  block: Block
  view: ScheduleView
  schedule: Schedule
  workshop: Workshop
  titles: Record<string, string>
  may: boolean
}>()
const emit = defineEmits<{ change: [schedule: Schedule] }>()

const wish = computed(() => wishOf(props.schedule, props.block.job_id))
const typed = computed(() => wish.value?.minutes?.[props.block.kind] ?? null)
const conflicts = computed(() => props.view.conflicts.filter((c) => c.job_ids.includes(props.block.job_id)))
const put = (to: Partial<Placed>) => emit('change', moved(props.schedule, props.block, to))
const placed = computed(() => props.schedule.placed?.find((p) => keyOf(p) === keyOf(props.block)))
const day = computed(() => props.block.begins.slice(0, 10))
/** Quarters of an hour that the workshop works on that day. */
const times = computed(() =>
  props.view.open
    .filter((o) => o.begins.startsWith(day.value))
    .flatMap((o) => {
      const times = []
      for (let at = minutesOf(o.begins); at < minutesOf(o.ends); at += 15) times.push({ value: wallOf(at), title: clock(wallOf(at)) })
      return times
    }),
)
const choices = computed(() =>
  times.value.some((t) => t.value === props.block.begins)
    ? times.value
    : [{ value: props.block.begins, title: clock(props.block.begins) }, ...times.value],
)
function toDay(date: string): void {
  if (!date) return
  const at = `${date}T${props.block.begins.slice(11, 19)}`
  put({ begins: later(props.view, at, 0) })
}
function say(minutes: number | null): void {
  const others = Object.fromEntries(Object.entries(wish.value?.minutes ?? {}).filter(([k]) => k !== props.block.kind))
  emit(
    'change',
    wished(props.schedule, props.block.job_id, { minutes: minutes === null ? others : { ...others, [props.block.kind]: minutes } }),
  )
}
</script>

<template>
  <section class="stack" data-test="block">
    <div class="row">
      <h2 class="sleeve ma-0">{{ block.number }} {{ block.label }}</h2>
      <span>{{ titles[block.kind] }}</span>
      <span class="quiet" data-test="block-ends">until {{ dayAndClock(block.ends) }}</span>
      <b v-if="block.late" class="bad" data-test="block-late">▲ {{ block.late }}</b>
      <span class="grow" />
      <v-btn variant="text" :to="{ name: 'job', params: { id: block.job_id } }">Open the job</v-btn>
    </div>
    <ul v-if="conflicts.length" class="said bad" data-test="block-conflicts">
      <li v-for="c in conflicts" :key="c.text">✕ {{ c.text }}</li>
    </ul>
    <div class="fields">
      <v-text-field
        :model-value="day"
        type="date"
        label="Day"
        hide-details
        :disabled="!may"
        data-test="block-day"
        @update:model-value="toDay($event)"
      />
      <v-select
        :model-value="block.begins"
        :items="choices"
        label="Begins"
        hide-details
        :disabled="!may"
        data-test="block-begins"
        @update:model-value="put({ begins: $event })"
      />
      <v-select
        v-if="block.kind !== 'make'"
        :model-value="block.bay"
        :items="workshop.bays.map((b) => ({ value: b.id, title: b.label }))"
        label="Bay"
        hide-details
        :disabled="!may"
        data-test="block-bay"
        @update:model-value="put({ bay: $event })"
      />
      <v-select
        :model-value="[...block.people]"
        :items="workshop.people.map((w) => ({ value: w.id, title: w.label }))"
        :label="block.people_wanted > 1 ? `By ${block.people_wanted} people` : 'By'"
        multiple
        hide-details
        :disabled="!may"
        data-test="block-people"
        @update:model-value="put({ people: $event })"
      />
      <NumberField
        :key="`minutes-${keyOf(block)}`"
        :model-value="typed"
        of="Wish.minutes"
        label="Takes"
        unit="min"
        :hint="typed === null ? `Empty: ${block.minutes}, ${block.kind === 'measure' ? 'as usual' : 'by its steps'}` : 'Typed'"
        :disabled="!may"
        data-test="block-minutes"
        @update:model-value="say"
      />
      <v-text-field
        :model-value="wish?.parts_on ?? ''"
        type="date"
        label="Parts come on"
        clearable
        :hint="block.parts_on && !wish?.parts_on ? `By the stock list: ${dayName(block.parts_on)}` : 'Empty: by the stock list'"
        persistent-hint
        :disabled="!may"
        data-test="block-parts"
        @update:model-value="emit('change', wished(schedule, block.job_id, { parts_on: $event || null }))"
      />
    </div>
    <div class="row">
      <v-checkbox
        :model-value="placed?.pinned ?? false"
        label="Pinned: stays here when all is laid out"
        density="compact"
        hide-details
        :disabled="!may"
        data-test="block-pinned"
        @update:model-value="put({ pinned: !!$event })"
      />
      <span class="grow" />
      <v-btn variant="text" :disabled="!may" data-test="block-off" @click="emit('change', takenOff(schedule, block.job_id))"
        >Take the job off</v-btn
      >
    </div>
  </section>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(6, minmax(0, 1fr));
  gap: 10px;
  align-items: start;
}
.bad {
  color: var(--fail);
}
.said {
  margin: 0;
  padding: 0;
  list-style: none;
}
@media (max-width: 1100px) {
  .fields {
    grid-template-columns: repeat(3, minmax(0, 1fr));
  }
}
@media (max-width: 560px) {
  .fields {
    grid-template-columns: repeat(2, minmax(0, 1fr));
  }
}
</style>
