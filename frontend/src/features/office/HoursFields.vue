<script setup lang="ts">
/** Hours of a week as they are written, a line a day: those of the workshop, or of one person. */
import { ref, watch } from 'vue'
import { hoursOf, readHours, withHours, type Shift } from './means'

const props = defineProps<{ shifts: readonly Shift[]; name: string }>()
const emit = defineEmits<{ change: [shifts: Shift[]] }>()

// A Monday, so that the days have their names in the language of this machine.
const DAYS = Array.from({ length: 7 }, (_, k) =>
  new Intl.DateTimeFormat(undefined, { weekday: 'long', timeZone: 'UTC' }).format(new Date(Date.UTC(2026, 10, 30 + k))),
)
const typed = ref<string[]>([])
watch(
  () => props.shifts,
  () => {
    typed.value = DAYS.map((_, k) => {
      const kept = hoursOf(props.shifts, k)
      const now = typed.value[k]
      return now !== undefined && JSON.stringify(readHours(now, k)) === JSON.stringify(readHours(kept, k)) ? now : kept
    })
  },
  { immediate: true },
)
const wrong = (k: number) => (readHours(typed.value[k] ?? '', k) === null ? 'As 8:00–12:00 13:00–17:00' : '')
function hours(k: number, text: string): void {
  typed.value[k] = text
  const read = readHours(text, k)
  if (read) emit('change', withHours(props.shifts, k, read))
}
</script>

<template>
  <div class="stack tight">
    <v-text-field
      v-for="(day, k) in DAYS"
      :key="k"
      :model-value="typed[k]"
      :label="day"
      placeholder="closed"
      persistent-placeholder
      density="compact"
      :hide-details="!wrong(k)"
      :error-messages="wrong(k)"
      :data-hours="name === 'shop' ? k : `${name}-${k}`"
      @update:model-value="hours(k, $event)"
    />
  </div>
</template>

<style scoped>
.tight {
  gap: 8px;
  margin-top: 8px;
}
</style>
