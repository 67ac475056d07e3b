<script setup lang="ts">
/** A cable that comes from elsewhere: what was read of it counts once all of it is there. */
import { ref } from 'vue'
import type { BuildBook } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'

type OldCable = NonNullable<BuildBook['leads'][number]['reclaimed']>
const props = defineProps<{
  reclaimed: OldCable | null
  /** What the core says of it, once it is good enough. */
  says: string
  disabled: boolean
}>()
const emit = defineEmits<{ change: [what: OldCable | null] }>()
const NO_CABLE: Record<keyof OldCable, number | null> = { length_mm: null, current_a: null, drop_mv: null, cable_c: 20 }
const OLD_CABLE: readonly { field: keyof OldCable; label: string; unit: string }[] = [
  { field: 'length_mm', label: 'Between the probes', unit: 'mm' },
  { field: 'current_a', label: 'Through it', unit: 'A' },
  { field: 'drop_mv', label: 'It loses', unit: 'mV' },
  { field: 'cable_c', label: 'How warm it is', unit: '°C' },
]
const old = ref({ ...NO_CABLE, ...props.reclaimed })
function read(field: keyof OldCable, value: number | null): void {
  old.value = { ...old.value, [field]: value }
  if (Object.values(old.value).every((v) => v !== null)) emit('change', old.value as OldCable)
}
</script>

<template>
  <details class="mt-2" :open="!!reclaimed" data-test="reclaimed">
    <summary>Of cable that comes from elsewhere</summary>
    <p class="quiet ma-0">
      Send a known current through a length of it and read the millivolts between two points of its strands, inside the clamps that feed it.
    </p>
    <div class="measured">
      <NumberField
        v-for="f in OLD_CABLE"
        :key="f.field"
        :model-value="old[f.field]"
        :of="`Reclaimed.${f.field}`"
        :label="f.label"
        :unit="f.unit"
        :measure="f.field === 'cable_c' ? 'temperature' : undefined"
        :data-test="`old-${f.field}`"
        @update:model-value="read(f.field, $event)"
      />
    </div>
    <p v-if="says" class="ma-0" data-test="reclaimed-says">✓ {{ says }}</p>
    <v-btn
      v-if="reclaimed"
      variant="text"
      :disabled="disabled"
      data-test="from-reel"
      @click="((old = { ...NO_CABLE }), emit('change', null))"
      >Cut it from a reel again</v-btn
    >
  </details>
</template>

<style scoped>
.measured {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px;
  margin-top: 8px;
}
@media (max-width: 900px) {
  .measured {
    grid-template-columns: 1fr;
  }
}
</style>
