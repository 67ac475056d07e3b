<script setup lang="ts">
/** Alternators that the workshop can get. */
import { computed, ref, watch } from 'vue'
import type { Unit } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { fixed } from '@/ui/numbers'
import { blankUnit, pointsInWords, readPoints } from './lists'

const props = defineProps<{ units: readonly Unit[]; currency: string; may: boolean }>()
const emit = defineEmits<{ change: [units: Unit[]]; file: [files: File | File[] | null] }>()
const listed = computed(() => props.units)
const at = ref(0)
const unit = computed(() => listed.value[at.value] ?? null)
watch(
  () => listed.value.length,
  (now) => at.value >= now && (at.value = 0),
)
function set(change: Partial<Unit>): void {
  emit(
    'change',
    listed.value.map((u, k) => (k === at.value ? { ...u, ...change } : u)),
  )
}
function add(): void {
  const at_end = listed.value.length
  emit('change', [...listed.value, blankUnit(listed.value)])
  at.value = at_end
}
function remove(): void {
  emit(
    'change',
    listed.value.filter((_, k) => k !== at.value),
  )
  at.value = Math.max(at.value - 1, 0)
}
const pointsText = ref('')
const pointsProblem = ref('')
watch(unit, (now, before) => now?.name !== before?.name && (pointsText.value = pointsInWords(now?.points ?? [])), { immediate: true })
function takePoints(text: string): void {
  pointsText.value = text
  const read = readPoints(text)
  pointsProblem.value = read ? '' : 'Speed and output, as 1500:40 3000:110'
  if (read) set({ points: read })
}
</script>

<template>
  <div class="two">
    <section class="panel scroll">
      <v-table class="figures" data-test="units">
        <thead>
          <tr>
            <th>Unit</th>
            <th class="n">V</th>
            <th class="n">A rated</th>
            <th class="n">Limit, /min</th>
            <th class="n">Pulley, mm</th>
            <th class="n">Price</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(u, k) in listed" :key="k" :class="{ on: k === at }">
            <td>
              <v-btn variant="text" class="name" :data-unit="u.name" @click="at = k">{{ u.name }}</v-btn>
            </td>
            <td class="n">{{ u.system_voltage_v }}</td>
            <td class="n">{{ fixed(u.rated_a, 0) }}</td>
            <td class="n">{{ fixed(u.limit_rpm, 0) }}</td>
            <td class="n">{{ fixed(u.pulley_mm, 1) }}</td>
            <td class="n">{{ fixed(u.price, 0) }} {{ currency }}</td>
          </tr>
        </tbody>
      </v-table>
      <div class="row mt-2">
        <v-btn variant="outlined" :disabled="!may" data-test="add-unit" @click="add">Add a unit</v-btn>
        <v-btn variant="outlined" href="/api/units.csv" download="units.csv">Write as CSV</v-btn>
        <v-file-input
          v-if="may"
          label="Read CSV"
          accept=".csv,text/csv"
          density="comfortable"
          hide-details
          class="file"
          data-test="units-csv"
          @update:model-value="emit('file', $event)"
        />
      </div>
    </section>
    <fieldset v-if="unit" class="panel stack form" data-test="unit" :disabled="!may" :aria-label="unit.name">
      <div class="pairs">
        <v-text-field
          :model-value="unit.name"
          label="Name"
          data-test="unit-name"
          maxlength="60"
          @update:model-value="set({ name: $event })"
        />
        <v-select
          :model-value="unit.system_voltage_v"
          label="System"
          :items="[
            { value: 12, title: '12 V' },
            { value: 24, title: '24 V' },
          ]"
          @update:model-value="set({ system_voltage_v: $event })"
        />
        <NumberField
          :model-value="unit.rated_a"
          of="Unit.rated_a"
          label="Rated"
          unit="A"
          required
          data-test="unit-rated"
          @update:model-value="$event !== null && set({ rated_a: $event })"
        />
        <NumberField
          :model-value="unit.limit_rpm"
          of="Unit.limit_rpm"
          label="Limit of its shaft"
          unit="/min"
          required
          @update:model-value="$event !== null && set({ limit_rpm: $event })"
        />
        <NumberField
          :model-value="unit.pulley_mm"
          of="Unit.pulley_mm"
          label="Its pulley"
          unit="mm"
          required
          @update:model-value="$event !== null && set({ pulley_mm: $event })"
        />
        <NumberField
          :model-value="unit.price"
          of="Unit.price"
          label="Price"
          :unit="currency"
          required
          data-test="unit-price"
          @update:model-value="$event !== null && set({ price: $event })"
        />
        <v-select
          :model-value="unit.kind"
          label="Kind"
          :items="[
            { value: 'wound_field', title: 'wound field' },
            { value: 'permanent_magnet', title: 'permanent magnet' },
          ]"
          @update:model-value="set({ kind: $event })"
        />
        <v-text-field :model-value="unit.regulator" label="Regulator" maxlength="40" @update:model-value="set({ regulator: $event })" />
      </div>
      <v-text-field
        :model-value="pointsText"
        label="Shaft speed:output at 25 °C, by its maker"
        :error-messages="pointsProblem"
        hint="/min:A, as 1500:40 3000:110; empty: the usual shape"
        persistent-hint
        data-test="unit-points"
        @update:model-value="takePoints"
      />
      <div class="pairs">
        <v-text-field :model-value="unit.frame" label="Frame" maxlength="40" @update:model-value="set({ frame: $event })" />
        <v-text-field :model-value="unit.ears" label="Ears" maxlength="40" @update:model-value="set({ ears: $event })" />
        <NumberField
          :model-value="unit.foot_mm ?? null"
          of="Unit.foot_mm"
          label="Foot"
          unit="mm"
          @update:model-value="set({ foot_mm: $event })"
        />
        <NumberField
          :model-value="unit.bore_mm ?? null"
          of="Unit.bore_mm"
          label="Bore of the pulley"
          unit="mm"
          @update:model-value="set({ bore_mm: $event })"
        />
        <v-text-field :model-value="unit.rotation" label="Rotation" maxlength="40" @update:model-value="set({ rotation: $event })" />
        <v-text-field :model-value="unit.plug" label="Plug" maxlength="40" @update:model-value="set({ plug: $event })" />
      </div>
      <div class="row">
        <v-btn variant="text" :disabled="!may" data-test="remove-unit" @click="remove">Take it off the list</v-btn>
      </div>
    </fieldset>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 12px;
  align-items: start;
}
.scroll {
  overflow-x: auto;
}
.figures td {
  vertical-align: middle;
}
fieldset {
  min-width: 0;
}
.name {
  padding: 0;
  min-height: 44px;
  font-weight: 700;
}
.on {
  background: rgb(var(--v-theme-surface-variant));
}
.pairs {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 8px 12px;
}
.file {
  max-width: 240px;
}
@media (max-width: 1023px) {
  .two {
    grid-template-columns: 1fr;
  }
}
@media (max-width: 560px) {
  .pairs {
    grid-template-columns: 1fr;
  }
}
</style>
