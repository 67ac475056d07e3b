<script setup lang="ts">
/** What the workshop reckons with: alternators that it can get, and what parts and hours cost. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { PriceList, PricesRecord, ProblemDocument, Unit, UnitsRecord } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import { dropDraft, findDraft, hasFields, keepDraft } from '@/composables/drafts'
import { useKeys } from '@/composables/keys'
import { useSession } from '@/composables/session'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'
import { blankUnit, pointsInWords, readPoints } from './lists'

const session = useSession()
const queries = useQueryClient()
const may = computed(() => session.may('keep_lists'))
const part = ref<'units' | 'prices'>('units')

const units = useQuery({ queryKey: ['units'], queryFn: () => data(client.GET('/api/units')) })
const prices = useQuery({ queryKey: ['prices'], queryFn: () => data(client.GET('/api/prices')) })

const DRAFT = 'lists'
interface Draft {
  units: Unit[] | null
  unitsRevision: number
  prices: PriceList | null
  pricesRevision: number
}
const typed = ref<Draft>(
  findDraft<Draft>(DRAFT, hasFields('units', 'prices')) ?? { units: null, unitsRevision: 0, prices: null, pricesRevision: 0 },
)
watch(typed, (now) => (now.units || now.prices ? keepDraft(DRAFT, now) : dropDraft(DRAFT)), { deep: true })
const listed = computed<Unit[]>(() => typed.value.units ?? ((units.data.value?.document.units ?? []) as Unit[]))
const priced = computed<PriceList | null>(() => typed.value.prices ?? (prices.data.value?.document as PriceList | undefined) ?? null)

/** Before the list is there nothing can be added to it: what is kept is the whole of it. */
const loaded = computed(() => !!units.data.value && !!prices.data.value)
function changeUnits(now: Unit[]): void {
  if (!loaded.value) return
  if (!typed.value.units) typed.value.unitsRevision = units.data.value?.revision ?? 0
  typed.value.units = now
}
function changePrices(now: PriceList): void {
  if (!typed.value.prices) typed.value.pricesRevision = prices.data.value?.revision ?? 0
  typed.value.prices = now
}
const at = ref(0)
const unit = computed(() => listed.value[at.value] ?? null)
function set(change: Partial<Unit>): void {
  changeUnits(listed.value.map((u, k) => (k === at.value ? { ...u, ...change } : u)))
}
function add(): void {
  changeUnits([...listed.value, blankUnit(listed.value)])
  at.value = listed.value.length - 1
}
function remove(): void {
  changeUnits(listed.value.filter((_, k) => k !== at.value))
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

const problem = ref<ProblemDocument | null>(null)
const conflict = ref<ProblemDocument | null>(null)
const busy = ref(false)
const said = ref('')
async function trying(what: () => Promise<void>): Promise<void> {
  busy.value = true
  problem.value = conflict.value = null
  said.value = ''
  try {
    await what()
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    if (error.status === 409) conflict.value = error.problem
    else problem.value = error.problem
  } finally {
    busy.value = false
  }
}
async function keep(): Promise<void> {
  await trying(async () => {
    const { units: mine, unitsRevision, prices: costs, pricesRevision } = typed.value
    if (mine) {
      const record = await data(client.PUT('/api/units', { body: { document: { units: mine }, revision: unitsRevision } }))
      queries.setQueryData(['units'], record)
      typed.value.units = null
    }
    if (costs) {
      const record = await data(client.PUT('/api/prices', { body: { document: costs, revision: pricesRevision } }))
      queries.setQueryData(['prices'], record)
      typed.value.prices = null
    }
    said.value = 'Kept.'
  })
}
/** Their list is what is kept now: mine is kept over it, or dropped. */
async function over(): Promise<void> {
  const [now, costs] = await Promise.all([units.refetch(), prices.refetch()])
  typed.value.unitsRevision = (now.data as UnitsRecord | undefined)?.revision ?? 0
  typed.value.pricesRevision = (costs.data as PricesRecord | undefined)?.revision ?? 0
  conflict.value = null
  await keep()
}
async function theirs(): Promise<void> {
  drop()
  conflict.value = null
  await Promise.all([units.refetch(), prices.refetch()])
}
function drop(): void {
  typed.value = { units: null, unitsRevision: 0, prices: null, pricesRevision: 0 }
  at.value = 0
}
async function fromFile(files: File | File[] | null): Promise<void> {
  const file = Array.isArray(files) ? files[0] : files
  if (!file) return
  const text = await file.text()
  await trying(async () => {
    const read = await data(client.POST('/api/units/read', { body: { text } }))
    changeUnits([...(read.units ?? [])] as Unit[])
    at.value = 0
    said.value = `${read.units?.length ?? 0} units read in place of those before; they count once they are kept.`
  })
}
useKeys([{ key: 'Ctrl+s', label: 'keep units and prices', run: () => void (may.value && keep()), always: true }])

const SINGLE: readonly { field: Exclude<keyof PriceList, 'currency' | 'fuse' | 'battery_per_ah'>; label: string; unit?: string }[] = [
  { field: 'labour_per_h', label: 'Labour, an hour' },
  { field: 'cable_per_m', label: 'Cable, a metre' },
  { field: 'cable_per_m_mm2', label: 'and for each mm² of it' },
  { field: 'lug', label: 'A lug' },
  { field: 'lug_per_mm2', label: 'and for each mm² of it' },
  { field: 'contact_per_a', label: 'Switch or relay, by ampere' },
  { field: 'converter_per_a', label: 'DC-DC charger, by ampere' },
  { field: 'pulley', label: 'A pulley' },
  { field: 'belt', label: 'A belt' },
  { field: 'lead_h', label: 'A lead takes', unit: 'h' },
  { field: 'lead_h_per_m', label: 'and for each metre', unit: 'h' },
  { field: 'fuse_h', label: 'A fuse takes', unit: 'h' },
  { field: 'contact_h', label: 'A switch takes', unit: 'h' },
  { field: 'clean_h', label: 'Cleaning a joint takes', unit: 'h' },
  { field: 'unit_h', label: 'An alternator takes', unit: 'h' },
  { field: 'pulley_h', label: 'A pulley takes', unit: 'h' },
  { field: 'set_point_h', label: 'Setting a regulator takes', unit: 'h' },
  { field: 'battery_h', label: 'A battery takes', unit: 'h' },
  { field: 'converter_h', label: 'A DC-DC charger takes', unit: 'h' },
]
function setPrice(change: Partial<PriceList>): void {
  if (priced.value) changePrices({ ...priced.value, ...change })
}
const { catalogue } = useCatalogue()
type Named = readonly { name: string; label: string }[] | undefined
const labelOf = (list: Named, name: string) => list?.find((x) => x.name === name)?.label ?? name
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="title">Units and prices</h1>
      <span class="grow" />
      <v-btn-toggle v-model="part" mandatory color="primary" variant="outlined" density="comfortable" aria-label="Units or prices">
        <v-btn value="units" data-test="list-units">Units</v-btn>
        <v-btn value="prices" data-test="list-prices">Prices</v-btn>
      </v-btn-toggle>
      <v-btn v-if="typed.units || typed.prices" variant="text" @click="drop">Drop changes</v-btn>
      <v-btn color="primary" :loading="busy" :disabled="!may || !(typed.units || typed.prices)" data-test="keep-lists" @click="keep"
        >Keep</v-btn
      >
    </div>
    <p class="quiet mb-0">
      What a comparison of changes reckons with, in every job.
      <template v-if="(part === 'units' ? units : prices).data.value?.revision === 0"
        >Invented to begin with: put in what your suppliers sell.
      </template>
      <template v-if="!may">Only a lead changes them.</template>
    </p>
    <ProblemNotice :problem="problem" />
    <p v-if="said" class="mb-0" role="status" data-test="lists-said">{{ said }}</p>
    <ConflictDialog
      :problem="conflict"
      both="Keep mine in their place"
      theirs="Take theirs"
      mine-hint="Keeping yours writes over what they changed."
      @keep-both="over"
      @take-theirs="theirs"
      @later="conflict = null"
    />
    <div v-if="part === 'units'" class="two">
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
              <td class="n">{{ fixed(u.price, 0) }} {{ priced?.currency }}</td>
            </tr>
          </tbody>
        </v-table>
        <div class="row mt-2">
          <v-btn variant="outlined" :disabled="!may || !loaded" data-test="add-unit" @click="add">Add a unit</v-btn>
          <v-btn variant="outlined" href="/api/units.csv" download="units.csv">Write as CSV</v-btn>
          <v-file-input
            v-if="may && loaded"
            label="Read CSV"
            accept=".csv,text/csv"
            density="comfortable"
            hide-details
            class="file"
            data-test="units-csv"
            @update:model-value="fromFile"
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
            :unit="priced?.currency ?? ''"
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
    <fieldset v-else-if="priced" class="panel" data-test="prices" :disabled="!may" aria-label="Prices">
      <div class="pairs wide">
        <v-text-field
          :model-value="priced.currency"
          label="Currency, as it is written"
          maxlength="8"
          data-test="currency"
          @update:model-value="setPrice({ currency: $event })"
        />
        <NumberField
          v-for="p in SINGLE"
          :key="p.field"
          :model-value="priced[p.field]"
          :of="`PriceList.${p.field}`"
          :label="p.label"
          :unit="p.unit ?? priced.currency ?? ''"
          required
          :data-test="`price-${p.field}`"
          @update:model-value="$event !== null && setPrice({ [p.field]: $event })"
        />
        <NumberField
          v-for="(value, name) in priced.fuse"
          :key="`fuse ${name}`"
          :model-value="value ?? null"
          of="PriceList.pulley"
          :label="`${labelOf(catalogue?.fuse_families, String(name))}`"
          :unit="priced.currency ?? ''"
          required
          @update:model-value="$event !== null && setPrice({ fuse: { ...priced.fuse, [name]: $event } })"
        />
        <NumberField
          v-for="(value, name) in priced.battery_per_ah"
          :key="`battery ${name}`"
          :model-value="value ?? null"
          of="PriceList.pulley"
          :label="`An Ah of ${labelOf(catalogue?.chemistries, String(name))}`"
          :unit="priced.currency ?? ''"
          required
          @update:model-value="$event !== null && setPrice({ battery_per_ah: { ...priced.battery_per_ah, [name]: $event } })"
        />
      </div>
    </fieldset>
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px 40px;
}
.title {
  font-size: 1.3rem;
}
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
.wide {
  grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
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
