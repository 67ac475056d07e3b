<script setup lang="ts">
/** What the workshop reckons with in every job: alternators that it can get, its stock, what parts and hours cost, what a disconnect must do. */
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { ApiError, client, data } from '@/api/client'
import type {
  PriceList,
  PricesRecord,
  ProblemDocument,
  PurposeList,
  PurposesRecord,
  StockRecord,
  Unit,
  UnitsRecord,
  Workshop,
  WorkshopRecord,
} from '@/api/types'
import { useKeys } from '@/composables/keys'
import { useSession } from '@/composables/session'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import MeansPane from './MeansPane.vue'
import PricesPane from './PricesPane.vue'
import PurposesPane from './PurposesPane.vue'
import StockPane from './StockPane.vue'
import UnitsPane from './UnitsPane.vue'
import { ofFile, toForm, type StockForm } from './stock'
import { useWorkshopList } from '@/composables/workshopList'

type StockKept = { revision: number; document: StockForm; kept: StockRecord }
const ofStock = (kept: StockRecord): StockKept => ({ revision: kept.revision, document: toForm(kept), kept })

const session = useSession()
const may = computed(() => session.may('keep_lists'))
const route = useRoute()
const part = ref<'units' | 'stock' | 'prices' | 'purposes' | 'means'>(route.query.list === 'means' ? 'means' : 'units')

const units = useWorkshopList(
  'units',
  () => data(client.GET('/api/units')) as Promise<UnitsRecord>,
  (document: UnitsRecord['document'], revision) => data(client.PUT('/api/units', { body: { document, revision } })) as Promise<UnitsRecord>,
)
const prices = useWorkshopList(
  'prices',
  () => data(client.GET('/api/prices')) as Promise<PricesRecord>,
  (document: PriceList, revision) => data(client.PUT('/api/prices', { body: { document, revision } })) as Promise<PricesRecord>,
)
const purposes = useWorkshopList(
  'purposes',
  () => data(client.GET('/api/purposes')) as Promise<PurposesRecord>,
  (document: PurposeList, revision) => data(client.PUT('/api/purposes', { body: { document, revision } })) as Promise<PurposesRecord>,
)
const stock = useWorkshopList<StockForm, StockKept>(
  'stock',
  async () => ofStock(await data(client.GET('/api/stock'))),
  async (form, revision) =>
    ofStock(
      await data(client.PUT('/api/stock', { body: { document: { items: form.items }, revision, counts: Object.values(form.counts) } })),
    ),
)
const means = useWorkshopList<Workshop, WorkshopRecord>(
  'workshop',
  () => data(client.GET('/api/workshop')),
  (document, revision) => data(client.PUT('/api/workshop', { body: { document, revision } })),
)
const LISTS = [units, stock, prices, purposes, means]
const anyChanged = computed(() => LISTS.some((x) => x.changed.value))
const BEGUN: Record<typeof part.value, string> = {
  units: 'Invented to begin with: put in what your suppliers sell.',
  stock: 'Invented to begin with: put in what your shelves hold, or read it from a CSV.',
  prices: 'Invented to begin with: put in what your suppliers ask.',
  means: 'Invented to begin with: put in your bays, people and hours.',
  purposes: 'What is common practice, to begin with: put in what your rulebook asks.',
}
const shown = computed(() => ({ units, stock, prices, purposes, means })[part.value])

const problem = ref<ProblemDocument | null>(null)
const conflict = ref<ProblemDocument | null>(null)
const busy = ref(false)
const notice = ref('')
async function trying(what: () => Promise<void>): Promise<void> {
  busy.value = true
  problem.value = conflict.value = null
  notice.value = ''
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
    for (const list of LISTS) await list.keep()
    notice.value = 'Kept.'
  })
}
/** Their list is what is kept now: mine is kept over it, or dropped. */
async function over(): Promise<void> {
  await Promise.all(LISTS.map((x) => x.over()))
  conflict.value = null
  await keep()
}
async function theirs(): Promise<void> {
  conflict.value = null
  await Promise.all(LISTS.map((x) => x.theirs()))
}
function drop(): void {
  for (const list of LISTS) list.drop()
}
async function fromFile(files: File | File[] | null): Promise<void> {
  const file = Array.isArray(files) ? files[0] : files
  if (!file) return
  const text = await file.text()
  await trying(async () => {
    if (part.value === 'stock') {
      const read = await data(client.POST('/api/stock/read', { body: { text } }))
      stock.change(ofFile(read))
      notice.value = `${read.document.items?.length ?? 0} parts read in place of those before; they count once they are kept.`
      return
    }
    if (part.value === 'means') {
      const read = await data(client.POST('/api/workshop/closed/read', { body: { text } }))
      const now = means.document.value!
      means.change({ ...now, closed: [...(now.closed ?? []), ...read.closed] })
      notice.value =
        `${read.closed.length} closed days read, beside those before; they count once they are kept.` +
        (read.skipped ? ` ${read.skipped} entries are no whole days and are left out.` : '') +
        (read.repeated ? ` ${read.repeated} come again: only their first time is taken.` : '')
      return
    }
    const read = await data(client.POST('/api/units/read', { body: { text } }))
    units.change({ units: [...(read.units ?? [])] as Unit[] })
    notice.value = `${read.units?.length ?? 0} units read in place of those before; they count once they are kept.`
  })
}
useKeys([{ key: 'Ctrl+s', label: 'keep the lists', run: () => void (may.value && keep()), always: true }])
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="title">The workshop’s lists</h1>
      <span class="grow" />
      <v-btn-toggle v-model="part" mandatory color="primary" variant="outlined" density="comfortable" aria-label="Which list">
        <v-btn value="units" data-test="list-units">Units</v-btn>
        <v-btn value="stock" data-test="list-stock">Stock</v-btn>
        <v-btn value="prices" data-test="list-prices">Prices</v-btn>
        <v-btn value="purposes" data-test="list-purposes">Disconnects</v-btn>
        <v-btn value="means" data-test="list-means">Bays and hours</v-btn>
      </v-btn-toggle>
      <v-btn v-if="anyChanged" variant="text" @click="drop">Drop changes</v-btn>
      <v-btn color="primary" :loading="busy" :disabled="!may || !anyChanged" data-test="keep-lists" @click="keep">Keep</v-btn>
    </div>
    <p class="quiet mb-0">
      What is reckoned with, in every job. <template v-if="shown.record.value?.revision === 0">{{ BEGUN[part] }} </template>
      <template v-if="!may">Only a lead changes it.</template>
    </p>
    <ProblemNotice :problem="problem" />
    <p v-if="notice" class="mb-0" role="status" data-test="lists-said">{{ notice }}</p>
    <ConflictDialog
      :problem="conflict"
      both="Keep mine in their place"
      theirs="Take theirs"
      mine-hint="Keeping yours writes over what they changed."
      @keep-both="over"
      @take-theirs="theirs"
      @later="conflict = null"
    />
    <UnitsPane
      v-if="part === 'units' && units.document.value"
      :units="(units.document.value.units ?? []) as Unit[]"
      :currency="prices.document.value?.currency ?? ''"
      :may="may"
      @change="units.change({ units: $event })"
      @file="fromFile"
    />
    <StockPane
      v-else-if="part === 'stock' && stock.document.value && stock.record.value"
      :form="stock.document.value"
      :record="stock.record.value.kept"
      :currency="prices.document.value?.currency ?? ''"
      :may="may"
      @change="stock.change"
      @file="fromFile"
    />
    <PricesPane v-else-if="part === 'prices' && prices.document.value" :prices="prices.document.value" :may="may" @change="prices.change" />
    <MeansPane
      v-else-if="part === 'means' && means.document.value"
      :means="means.document.value"
      :may="may"
      @change="means.change"
      @file="fromFile"
    />
    <PurposesPane
      v-else-if="part === 'purposes' && purposes.document.value"
      :purposes="purposes.document.value"
      :rules="purposes.record.value?.rules ?? []"
      :problem="problem"
      :may="may"
      @change="purposes.change"
    />
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px 40px;
}
.title {
  font-size: 1.3rem;
}
</style>
