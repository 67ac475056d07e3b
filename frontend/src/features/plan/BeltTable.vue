<script setup lang="ts">
/** Every pulley that the belt goes round, in its order, and the tensioner's arm. */
import { computed, ref } from 'vue'
import type { DriveRequest } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'

type Form = Omit<DriveRequest, 'before' | 'after'>
type Row = NonNullable<Form['pulleys']>[number]
const props = defineProps<{ form: Form; error: string; stockError: string }>()
const emit = defineEmits<{ change: [what: Partial<Form>] }>()

const rows = computed<Row[]>(() => props.form.pulleys ?? [])
const PARTS = [
  { value: 'driving', title: 'drives' },
  { value: 'alternator', title: 'alternator' },
  { value: 'tensioner', title: 'tensioner' },
  { value: 'other', title: 'other' },
]
const FAR = 300
const put = (pulleys: Row[]) =>
  emit('change', { pulleys, ...(pulleys.some((p) => p.part === 'tensioner') ? {} : { arm: null, belt_mm: null }) })
const set = (at: number, what: Partial<Row>) => put(rows.value.map((r, k) => (k === at ? { ...r, ...what } : r)))
const without = (at: number) => put(rows.value.filter((_, k) => k !== at))
function up(at: number): void {
  const moved = [...rows.value]
  const [row] = moved.splice(at, 1)
  moved.splice(at - 1, 0, row!)
  put(moved)
}
function begin(): void {
  const x = props.form.centres_mm ?? FAR
  put([
    { name: 'Crank', part: 'driving', x_mm: 0, y_mm: 0, back: false, diameter_mm: null },
    { name: 'Alternator', part: 'alternator', x_mm: x, y_mm: 0, back: false, diameter_mm: null },
  ])
}
function add(): void {
  let n = rows.value.length + 1
  while (rows.value.some((r) => r.name === `Pulley ${n}`)) n += 1
  const [a, b] = [rows.value.at(-1)!, rows.value[0]!]
  put([
    ...rows.value,
    {
      name: `Pulley ${n}`,
      part: 'other',
      diameter_mm: 70,
      x_mm: (a.x_mm + b.x_mm) / 2,
      y_mm: Math.max(a.y_mm, b.y_mm) + FAR / 2,
      back: false,
    },
  ])
}
const diameter = (r: Row) => (r.part === 'driving' ? props.form.crank_mm : r.part === 'alternator' ? props.form.now_mm : null)
const tensioner = computed(() => rows.value.find((r) => r.part === 'tensioner') ?? null)
const arm = computed(() => props.form.arm ?? null)
/** As written on them; what is no belt the core says. */
const stock = ref((props.form.stock ?? []).join('; '))
function typedStock(text: string): void {
  stock.value = text
  emit('change', {
    stock: text
      .split(';')
      .map((name) => name.trim())
      .filter(Boolean),
  })
}
function withArm(): void {
  const t = tensioner.value!
  emit('change', { arm: { x_mm: t.x_mm, y_mm: t.y_mm + FAR / 4, slack_deg: -20, tight_deg: 20 } })
}
</script>

<template>
  <div class="stack" data-test="belt">
    <p v-if="error" class="error mb-0" role="alert" data-test="belt-error">{{ error }}</p>
    <div v-if="rows.length" class="scroll">
      <v-table density="compact">
        <thead>
          <tr>
            <th>In the belt's order</th>
            <th>What it does</th>
            <th>Diameter, mm</th>
            <th>x, mm</th>
            <th>y, mm</th>
            <th>Belt's back</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(r, k) in rows" :key="k" :data-pulley="k">
            <td>
              <v-text-field
                :model-value="r.name"
                label="Name"
                density="compact"
                maxlength="60"
                @update:model-value="$event.trim() && set(k, { name: $event })"
              />
            </td>
            <td>
              <v-select
                :model-value="r.part"
                label="Part"
                density="compact"
                :items="PARTS"
                @update:model-value="set(k, { part: $event })"
              />
            </td>
            <td>
              <span v-if="diameter(r)" class="figure">{{ diameter(r) }}</span>
              <NumberField
                v-else
                :model-value="r.diameter_mm ?? null"
                of="DrivePulley.diameter_mm"
                label="Diameter"
                compact
                required
                :data-test="`mm-${k}`"
                @update:model-value="set(k, { diameter_mm: $event })"
              />
            </td>
            <td>
              <NumberField
                :model-value="r.x_mm"
                of="DrivePulley.x_mm"
                label="x"
                compact
                :data-test="`x-${k}`"
                @update:model-value="$event !== null && set(k, { x_mm: $event })"
              />
            </td>
            <td>
              <NumberField
                :model-value="r.y_mm"
                of="DrivePulley.y_mm"
                label="y"
                compact
                :data-test="`y-${k}`"
                @update:model-value="$event !== null && set(k, { y_mm: $event })"
              />
            </td>
            <td>
              <v-checkbox
                :model-value="r.back"
                :aria-label="`The belt's back runs on ${r.name}`"
                density="compact"
                hide-details
                :data-test="`back-${k}`"
                @update:model-value="set(k, { back: !!$event })"
              />
            </td>
            <td class="acts">
              <v-btn variant="text" :disabled="k === 0" :aria-label="`${r.name} earlier`" @click="up(k)">↑</v-btn>
              <v-btn variant="text" :aria-label="`Take ${r.name} out`" @click="without(k)">✕</v-btn>
            </td>
          </tr>
        </tbody>
      </v-table>
    </div>
    <div class="row">
      <v-btn v-if="!rows.length" variant="outlined" data-test="whole-drive" @click="begin">More pulleys than these two</v-btn>
      <v-btn v-else variant="outlined" data-test="add-pulley" @click="add">Add a pulley</v-btn>
      <v-btn v-if="tensioner && !arm" variant="outlined" data-test="add-arm" @click="withArm">It hangs on an arm</v-btn>
    </div>
    <div v-if="tensioner && arm" class="arm" role="group" aria-label="The tensioner's arm">
      <NumberField
        v-for="[field, label, unit] in [
          ['x_mm', 'Pivot, x', 'mm'],
          ['y_mm', 'Pivot, y', 'mm'],
          ['slack_deg', 'Spring’s end', '°'],
          ['tight_deg', 'Other end', '°'],
        ] as const"
        :key="field"
        :model-value="arm[field]"
        :of="`DriveArm.${field}`"
        :label="label"
        :unit="unit"
        compact
        :data-test="`arm-${field}`"
        @update:model-value="$event !== null && emit('change', { arm: { ...arm, [field]: $event } })"
      />
      <NumberField
        :model-value="form.belt_mm ?? null"
        of="DriveRequest.belt_mm"
        label="Belt fitted"
        unit="mm"
        compact
        data-test="belt-mm"
        @update:model-value="emit('change', { belt_mm: $event })"
      />
    </div>
    <v-text-field
      v-if="tensioner && arm"
      :model-value="stock"
      label="Belts to hand, as 6PK1815; 1815; 71.5in"
      autocomplete="off"
      density="compact"
      :error-messages="stockError ? [stockError] : []"
      data-test="stock"
      @update:model-value="typedStock"
    />
    <p v-if="tensioner && arm" class="quiet mb-0">
      Degrees against the clock from where it is drawn; without a length the belt is as long as it is drawn.
    </p>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
td {
  min-width: 92px;
  padding: 4px 6px !important;
}
td:first-child,
td:nth-child(2) {
  min-width: 130px;
}
td :deep(.v-field__input) {
  min-height: 44px;
}
.acts {
  white-space: nowrap;
}
.acts .v-btn {
  min-width: 44px;
}
.arm {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(120px, 1fr));
  gap: 8px;
}
.error {
  color: var(--fail);
  font-weight: 700;
}
</style>
