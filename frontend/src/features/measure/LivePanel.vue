<script setup lang="ts">
/** What the connected meter shows, large, with its last half minute. */
import { computed, reactive, watch } from 'vue'
import LiveTrace from '@/charts/LiveTrace.vue'
import type { LiveReading } from '@/composables/live'
import { useQuantities } from '@/composables/quantities'

const props = defineProps<{
  reading: LiveReading | null
  /** What is read, and where: a new place starts the trace anew. */
  quantity: string
  place: string
  /** Readings are taken by themselves while the step's clock runs. */
  logging: boolean
}>()
const emit = defineEmits<{ take: [] }>()
const quantities = useQuantities()
const kind = computed(() => quantities.of(props.quantity))
const MOST_POINTS = 400
const trace = reactive<{ at: number[]; values: (number | null)[] }>({ at: [], values: [] })
watch(
  () => [props.place, props.quantity],
  () => Object.assign(trace, { at: [], values: [] }),
)
watch(
  () => props.reading,
  (now) => {
    if (!now || now.lost) return
    trace.at.push(performance.now() / 1000)
    trace.values.push(now.value === null ? null : now.value * (kind.value?.shown_per_unit ?? 1))
    if (trace.at.length > MOST_POINTS) {
      trace.at.shift()
      trace.values.shift()
    }
  },
)
const shown = computed(() =>
  props.reading?.value === null ? '' : quantities.shown(props.quantity, props.reading?.value, props.reading?.digits ?? undefined),
)
</script>

<template>
  <div class="live" :class="{ lost: reading?.lost }" data-test="live" aria-live="off">
    <template v-if="reading?.lost">{{ reading.lost }}</template>
    <template v-else-if="reading?.overload"><b>OVER RANGE</b> change the range rather than peg the meter</template>
    <template v-else-if="reading">
      <div class="row">
        <b>{{ shown }}</b>
        <span class="stack marks">
          <span v-if="logging" data-test="logging">logged by itself</span>
          <span v-if="reading.held" class="held" data-test="held">no digit has moved: is the meter on hold?</span>
          <span v-else>{{ reading.stable ? '✓ at rest' : 'moving' }}</span>
          <v-btn variant="outlined" data-test="take" @click="emit('take')">Take (Ctrl+Enter)</v-btn>
        </span>
      </div>
      <LiveTrace :at="trace.at" :values="trace.values" :unit="kind?.shown_unit ?? ''" :digits="reading.digits ?? kind?.digits ?? 0" />
    </template>
    <template v-else>Connecting …</template>
  </div>
</template>

<style scoped>
.live {
  display: flex;
  flex-flow: column wrap;
  gap: 4px;
  border: 2px solid currentColor;
  padding: 6px 16px;
  font-size: 1.2rem;
}
.live b {
  font-size: clamp(3.2rem, 17vw, 5.4rem);
  line-height: 1.05;
  font-variant-numeric: tabular-nums;
  min-width: min(5.2em, 100%);
}
.live.lost {
  color: var(--fail);
  font-weight: 700;
}
.marks {
  gap: 6px;
  align-items: flex-start;
}
</style>
