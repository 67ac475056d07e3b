<script setup lang="ts">
/** One reading of a running test: its field, what is said of it as typed, and what was said the last time. */
import { computed } from 'vue'
import type { JudgedPoint, Judgement, PointView } from '@/api/types'
import { useQuantities } from '@/composables/quantities'
import NumberField from '@/ui/NumberField.vue'
import VerdictMark from '@/ui/VerdictMark.vue'

const props = defineProps<{
  at: PointView
  value: number | null
  here: boolean
  error: string
  judged?: JudgedPoint
  /** Said of it when the test was made last. */
  before: readonly Judgement[]
}>()
const emit = defineEmits<{
  set: [value: number | null]
  problem: [message: string]
  focus: []
  move: [event: KeyboardEvent, by: number]
  capture: []
}>()
const quantities = useQuantities()
const kind = computed(() => quantities.of(props.at.point.quantity))
const ANSWERS = [
  { word: 'yes', value: 1 },
  { word: 'no', value: 0 },
]
/** The focus comes with the answer, not with the finger: what shows the last reading goes then, and must not move the answer away under it. */
function answer(event: MouseEvent, value: number): void {
  emit('set', value)
  ;(event.currentTarget as HTMLElement).focus()
}
</script>

<template>
  <div class="ask" :class="{ here }" :data-point="at.point.id">
    <template v-if="kind?.yes_or_no">
      <span class="grow">{{ at.point.label }}</span>
      <button
        v-for="a in ANSWERS"
        :key="a.word"
        type="button"
        class="answer"
        :class="{ on: value === a.value }"
        :aria-pressed="value === a.value"
        @focus="emit('focus')"
        @mousedown.prevent
        @click="answer($event, a.value)"
      >
        {{ a.word }}
      </button>
    </template>
    <NumberField
      v-else
      class="big"
      :of="`reading.${at.point.quantity}`"
      :model-value="value"
      :label="at.point.label"
      :unit="kind?.shown_unit ?? ''"
      :drop="at.point.quantity === 'voltage_drop'"
      :per-unit="kind?.shown_per_unit"
      :error="error"
      @update:model-value="emit('set', $event)"
      @problem="emit('problem', $event)"
      @focusin="emit('focus')"
      @keydown.enter.exact="emit('move', $event, 1)"
      @keydown.shift.enter="emit('move', $event, -1)"
    />
    <p v-if="here && at.how" class="how">{{ at.how }}</p>
    <v-btn v-if="at.point.capture" variant="outlined" :data-test="`capture-${at.point.capture}`" @click="emit('capture')"
      >From a capture</v-btn
    >
    <p v-if="judged?.judgement" class="verdict" :data-said="at.point.id">
      <VerdictMark :verdict="judged.judgement.verdict" /> {{ judged.judgement.why }}
      <span class="quiet">{{ judged.judgement.limit }}</span>
    </p>
    <small v-for="j in before" :key="j.point" class="before"
      >Last: {{ quantities.shown(j.quantity, j.value) }} <VerdictMark :verdict="j.verdict" :size="14" /> {{ j.why }}</small
    >
  </div>
</template>

<style scoped>
.big :deep(input) {
  font-size: 2.6rem;
  font-weight: 700;
  font-variant-numeric: tabular-nums;
  min-height: 72px;
}
.ask {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  border-left: 6px solid var(--line);
  padding-left: 10px;
}
.ask.here {
  border-left-color: var(--copper);
}
.ask .big,
.how,
.verdict,
.before {
  flex: 1 1 100%;
}
.how,
.verdict {
  margin: 0;
}
@media (min-width: 901px) {
  /* It stands beside, with its picture. */
  .how {
    display: none;
  }
}
.answer {
  min-width: 84px;
  min-height: 56px;
  border: 1px solid var(--line);
  font-size: 1.2rem;
}
.answer.on {
  border: 3px solid currentColor;
  font-weight: 700;
}
</style>
