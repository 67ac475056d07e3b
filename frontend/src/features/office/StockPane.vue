<script setup lang="ts">
/** Parts that the workshop keeps or can buy: what they cost, how they are sold, and what is there. */
import { computed, ref, watch } from 'vue'
import type { StockItem, StockRecord } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import NumberField from '@/ui/NumberField.vue'
import { fixed, money } from '@/ui/numbers'
import { blankPart, filtered, ofKind, readReels, reelsInWords, reelsOf, thereOf, type StockForm } from './stock'

const props = defineProps<{ form: StockForm; record: StockRecord; currency: string; may: boolean }>()
const emit = defineEmits<{ change: [form: StockForm]; file: [files: File | File[] | null] }>()
const { catalogue } = useCatalogue()
const kinds = computed(() => catalogue.value?.part_kinds ?? [])
const kindOf = (item: StockItem) => kinds.value.find((k) => k.name === item.kind)
const search = ref('')
const rows = computed(() => filtered(props.form.items, search.value))
const at = ref(0)
const part = computed(() => props.form.items[at.value] ?? null)
const kind = computed(() => (part.value ? kindOf(part.value) : undefined))
watch(rows, (now) => now.length > 0 && !now.some((r) => r.at === at.value) && (at.value = now[0]!.at))

const named = (list: readonly { name: string; label: string }[] | undefined) => list?.map((x) => ({ value: x.name, title: x.label })) ?? []
/** What may stand in each field that says which part it is. */
const choices = computed<Record<string, { label: string; items?: { value: string; title: string }[]; unit?: string }>>(() => ({
  size: { label: 'Conductor', items: catalogue.value?.sizes.map((s) => ({ value: s.label, title: s.label.replace('mm2', 'mm²') })) ?? [] },
  stud: { label: 'Stud', items: named(catalogue.value?.studs) },
  palm: { label: 'Its palm', items: named(catalogue.value?.palms) },
  sleeve: { label: 'Supplied to recovered', items: named(catalogue.value?.sleeves) },
  family: { label: 'Family', items: named(catalogue.value?.fuse_families) },
  series: { label: 'Plug', items: named(catalogue.value?.plug_series) },
  half: { label: 'Its half has', items: named(catalogue.value?.plug_halves) },
  key: {
    label: 'Colour or key',
    items: [
      { value: '', title: 'said when it is ordered' },
      ...(catalogue.value?.plug_series.find((s) => s.name === part.value?.series)?.keys.map((k) => ({ value: k, title: k })) ?? []),
    ],
  },
  contact: { label: 'Which', items: named(catalogue.value?.contacts) },
  chemistry: { label: 'Chemistry', items: named(catalogue.value?.chemistries) },
  rating_a: { label: 'Rating', unit: 'A' },
  capacity_ah: { label: 'Capacity', unit: 'Ah' },
  outer_mm: { label: 'Outer diameter', unit: 'mm' },
  wall_mm: { label: 'Wall', unit: 'mm' },
  inner_mm: { label: 'What goes through', unit: 'mm' },
}))
/** What is said of this part: all that its kind needs, and what it may say beside. Halves that are alike have neither pins nor sockets. */
const fields = computed(() => {
  const alike = catalogue.value?.plug_series.find((s) => s.name === part.value?.series)?.gendered === false
  return [...(kind.value?.says ?? []), ...(kind.value?.may_say ?? [])].filter((field) => !(field === 'half' && alike))
})
const there = (item: StockItem) => thereOf(item, kindOf(item)?.by_length ?? false, props.record, props.form.counts)
const many = (item: StockItem) => (kindOf(item)?.by_length ? `${fixed(there(item), 2)} m` : fixed(there(item), 0))

function set(change: Partial<StockItem>): void {
  if (part.value) put({ ...part.value, ...change })
}
function put(item: StockItem): void {
  emit('change', { ...props.form, items: props.form.items.map((x, k) => (k === at.value ? item : x)) })
}
function add(): void {
  search.value = ''
  const end = props.form.items.length
  emit('change', { ...props.form, items: [...props.form.items, blankPart(props.form.items)] })
  at.value = end
}
function remove(): void {
  const gone = part.value?.number ?? ''
  const counts = Object.fromEntries(Object.entries(props.form.counts).filter(([n]) => n !== gone))
  emit('change', { items: props.form.items.filter((_, k) => k !== at.value), counts })
  at.value = Math.max(at.value - 1, 0)
}
function count(what: { quantity?: number; reels_mm?: number[] }): void {
  const number = part.value!.number
  const given = { number, quantity: what.quantity ?? null, reels_mm: what.reels_mm ?? null }
  emit('change', { ...props.form, counts: { ...props.form.counts, [number]: given } })
}
const reelsText = ref('')
const reelsProblem = ref('')
watch(
  () => part.value?.number,
  (now) => {
    reelsText.value = now ? reelsInWords(reelsOf(now, props.record, props.form.counts)) : ''
    reelsProblem.value = ''
  },
  { immediate: true },
)
function takeReels(text: string): void {
  reelsText.value = text
  const read = readReels(text)
  reelsProblem.value = read ? '' : 'Lengths in metres, as 25 0.84'
  if (read) count({ reels_mm: read })
}
</script>

<template>
  <div class="two">
    <section class="panel stack">
      <div class="row">
        <v-text-field
          v-model="search"
          label="Find a part"
          density="compact"
          hide-details
          clearable
          class="find"
          data-test="find-part"
          @click:clear="search = ''"
        />
        <span class="quiet">{{ rows.length }} of {{ form.items.length }}</span>
        <span class="grow" />
        <v-btn variant="outlined" :disabled="!may" data-test="add-part" @click="add">Add a part</v-btn>
      </div>
      <div class="list">
        <v-table class="figures" density="compact" fixed-header data-test="stock">
          <thead>
            <tr>
              <th>Part</th>
              <th class="n">There</th>
              <th class="n">Price</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in rows" :key="r.at" :class="{ on: r.at === at, short: there(r.item) < 0 }">
              <td>
                <v-btn variant="text" class="name" :data-part="r.item.number" @click="at = r.at">{{ r.item.label }}</v-btn>
                <span class="quiet code">{{ r.item.number }}</span>
              </td>
              <td class="n">{{ there(r.item) === 0 ? '–' : many(r.item) }}<template v-if="form.counts[r.item.number]"> ✎</template></td>
              <td class="n">{{ money(r.item.price, currency) }}</td>
            </tr>
          </tbody>
        </v-table>
      </div>
      <div class="row">
        <v-btn variant="outlined" href="/api/stock.csv" download="stock.csv">Write as CSV</v-btn>
        <v-btn variant="text" :to="{ name: 'orders' }" data-test="to-orders">What is short for open jobs</v-btn>
        <v-file-input
          v-if="may"
          label="Read CSV"
          accept=".csv,text/csv"
          density="compact"
          hide-details
          class="file"
          data-test="stock-csv"
          @update:model-value="emit('file', $event)"
        />
      </div>
    </section>
    <fieldset v-if="part" class="panel stack form" data-test="part" :disabled="!may" :aria-label="part.label">
      <div class="pairs">
        <v-text-field
          :model-value="part.label"
          label="Name"
          maxlength="60"
          data-test="part-label"
          @update:model-value="set({ label: $event })"
        />
        <v-text-field
          :model-value="part.number"
          label="Number"
          maxlength="40"
          data-test="part-number"
          @update:model-value="set({ number: $event })"
        />
        <v-select
          :model-value="part.kind"
          label="Kind"
          :items="named(kinds)"
          data-test="part-kind"
          @update:model-value="
            put(
              ofKind(
                part,
                kinds.find((k) => k.name === $event)!,
              ),
            )
          "
        />
        <template v-for="field in fields" :key="field">
          <v-autocomplete
            v-if="choices[field]?.items"
            :model-value="(part as Record<string, unknown>)[field] || (field === 'key' ? '' : field === 'palm' ? 'flat' : null)"
            :label="choices[field]?.label"
            :items="choices[field]?.items"
            :data-test="`part-${field}`"
            @update:model-value="field === 'series' ? set({ series: String($event), half: null, key: '' }) : set({ [field]: $event })"
          />
          <NumberField
            v-else
            :model-value="((part as Record<string, unknown>)[field] as number | null) ?? null"
            :of="`StockItem.${field}`"
            :label="choices[field]?.label ?? field"
            :unit="choices[field]?.unit"
            required
            :data-test="`part-${field}`"
            @update:model-value="$event !== null && set({ [field]: $event })"
          />
        </template>
        <NumberField
          :model-value="Number(part.price)"
          of="StockItem.price"
          :label="kind?.by_length ? 'Price a metre, before tax' : 'Price, before tax'"
          :unit="currency"
          required
          data-test="part-price"
          @update:model-value="$event !== null && set({ price: String($event) })"
        />
        <NumberField
          :model-value="part.pack ?? 1"
          of="StockItem.pack"
          label="Sold by"
          :unit="kind?.by_length ? 'm' : 'pieces'"
          required
          @update:model-value="$event !== null && set({ pack: $event })"
        />
        <NumberField
          :model-value="part.least ?? 1"
          of="StockItem.least"
          label="At least"
          :unit="kind?.by_length ? 'm' : 'pieces'"
          required
          @update:model-value="$event !== null && set({ least: $event })"
        />
        <NumberField
          :model-value="part.days ?? 1"
          of="StockItem.days"
          label="Comes after"
          unit="days"
          required
          @update:model-value="$event !== null && set({ days: $event })"
        />
      </div>
      <v-text-field
        v-if="part.kind === 'cable'"
        :model-value="reelsText"
        label="Counted: reels and offcuts, m"
        :error-messages="reelsProblem"
        hint="Each length that is there, as 25 0.84"
        persistent-hint
        data-test="part-reels"
        @update:model-value="takeReels"
      />
      <NumberField
        v-else
        :key="part.number"
        :model-value="Math.max(there(part), 0)"
        of="Count.quantity"
        label="Counted"
        :unit="kind?.by_length ? 'm' : 'pieces'"
        :error="there(part) < 0 ? `The books say ${many(part)}: more was used than came in. Count it.` : ''"
        data-test="part-count"
        @update:model-value="$event !== null && count({ quantity: kind?.by_length ? $event * 1000 : $event })"
      />
      <v-btn variant="text" :disabled="!may" data-test="remove-part" @click="remove">Take it off the list</v-btn>
    </fieldset>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  gap: 12px;
  align-items: start;
}
.find {
  flex: 1 1 160px;
  max-width: 280px;
}
.row {
  flex-wrap: wrap;
}
.list {
  max-height: calc(100vh - 300px);
  min-height: 260px;
  overflow: auto;
}
.name {
  padding: 0;
  min-height: 44px;
  height: auto;
  font-weight: 700;
  white-space: normal;
  text-align: left;
}
.name :deep(.v-btn__content) {
  white-space: normal;
}
.code {
  margin-left: 8px;
}
td {
  vertical-align: middle;
}
.on {
  background: rgb(var(--v-theme-surface-variant));
}
.on .quiet {
  color: inherit;
}
.short .n {
  color: var(--fail);
}
fieldset {
  min-width: 0;
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
    grid-template-columns: minmax(0, 1fr);
  }
}
@media (max-width: 560px) {
  .pairs {
    grid-template-columns: minmax(0, 1fr);
  }
  .code {
    display: block;
    margin-left: 0;
  }
}
</style>
