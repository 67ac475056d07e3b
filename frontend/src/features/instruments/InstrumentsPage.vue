<script setup lang="ts">
/** The workshop's meters: what they read, how well, and when they are due. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Instrument, InstrumentRecord, ProblemDocument } from '@/api/types'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCatalogue } from '@/composables/catalogue'
import { day, overdue } from '@/ui/dates'
import { dropDraft, findDraft, hasFields, keepDraft } from '@/composables/drafts'
import { useKeys } from '@/composables/keys'
import { useSession } from '@/composables/session'

interface Form {
  /** The id it is kept under; null for a new one. */
  id: string | null
  lock: number
  label: string
  kind: Instrument['kind']
  percent: number | null
  digits: number | null
  resolution: number | null
  due: string
}
const DRAFT = 'instrument'
const queries = useQueryClient()
const session = useSession()
const { catalogue } = useCatalogue()
const query = useQuery({ queryKey: ['instruments'], queryFn: () => data(client.GET('/api/instruments')) })
const trouble = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const records = computed(() => query.data.value?.instruments ?? [])
const kinds = computed(() => catalogue.value?.instrument_kinds ?? [])
const kindOf = (name: string) => kinds.value.find((k) => k.name === name)

const blank = (): Form => ({ id: null, lock: 0, label: '', kind: 'voltmeter', percent: null, digits: null, resolution: null, due: '' })
const kept = findDraft<Form>(DRAFT, hasFields('label', 'kind'))
const form = reactive<Form>(kept ?? blank())
const open = ref(kept !== null)
const problem = ref<ProblemDocument | null>(null)
const conflict = ref<ProblemDocument | null>(null)
const busy = ref(false)
const tried = ref(false)
const local = reactive<Record<string, string>>({})
watch(form, () => open.value && keepDraft(DRAFT, form), { deep: true })

function fill(record: InstrumentRecord): void {
  const { instrument: i, lock } = record
  Object.assign(form, {
    id: i.id,
    lock,
    label: i.label,
    kind: i.kind,
    percent: i.percent_of_reading,
    digits: i.digits,
    resolution: i.resolution,
    due: i.calibration_due ?? '',
  } satisfies Form)
}
function start(record: InstrumentRecord | null): void {
  address.value = record?.address ?? ''
  if (record) fill(record)
  else Object.assign(form, blank())
  for (const key of Object.keys(local)) delete local[key]
  problem.value = null
  tried.value = false
  open.value = true
}
function close(): void {
  open.value = false
  dropDraft(DRAFT)
}
const note = (field: string) => (message: string) => {
  if (message) local[field] = message
  else delete local[field]
}
const wrong = (...fields: string[]) => problem.value?.problems?.filter((p) => fields.includes(p.field)).map((p) => p.message) ?? []
const idOf = (label: string) =>
  label
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[^a-z]+/, '')
    .replace(/_+$/, '')
    .slice(0, 40) || 'meter'

async function save(asNew = false): Promise<void> {
  tried.value = true
  if (!form.label.trim() || form.percent === null || form.digits === null || form.resolution === null || Object.keys(local).length) return
  busy.value = true
  problem.value = null
  const id = form.id === null || asNew ? idOf(asNew ? `${form.label} mine` : form.label) : form.id
  const instrument: Instrument = {
    id,
    label: form.label,
    kind: form.kind,
    percent_of_reading: form.percent,
    digits: form.digits,
    resolution: form.resolution,
    calibration_due: form.due || null,
  }
  try {
    if (form.id === null || asNew) await data(client.POST('/api/instruments', { body: instrument }))
    else
      await data(
        client.PUT('/api/instruments/{instrument_id}', {
          params: { path: { instrument_id: form.id } },
          body: { instrument, lock: form.lock },
        }),
      )
    conflict.value = null
    close()
    await queries.invalidateQueries({ queryKey: ['instruments'] })
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    if (error.status === 409) conflict.value = error.problem
    else problem.value = error.problem
  } finally {
    busy.value = false
  }
}
const address = ref('')
/** What most bench meters are set to; another speed is typed behind the @. */
const USUAL_BAUD = 9600
const ports = useQuery({
  queryKey: ['serial ports'],
  queryFn: () => data(client.GET('/api/instruments/ports')),
  enabled: () => session.may('keep_instruments') && form.id !== null,
})
async function saveAddress(): Promise<void> {
  if (form.id === null) return
  problem.value = null
  try {
    await data(
      client.PUT('/api/instruments/{instrument_id}/address', {
        params: { path: { instrument_id: form.id } },
        body: { address: address.value.trim() || null },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['instruments'] })
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  }
}
async function takeTheirs(): Promise<void> {
  fill(conflict.value?.theirs as unknown as InstrumentRecord)
  conflict.value = null
  await queries.invalidateQueries({ queryKey: ['instruments'] })
}
async function remove(): Promise<void> {
  if (form.id === null) return
  problem.value = null
  try {
    await data(
      client.DELETE('/api/instruments/{instrument_id}', { params: { path: { instrument_id: form.id }, query: { lock: form.lock } } }),
    )
    close()
    await queries.invalidateQueries({ queryKey: ['instruments'] })
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    if (error.status === 409) conflict.value = error.problem
    else problem.value = error.problem
  }
}
useKeys([{ key: 'n', label: 'new instrument', run: () => session.mayWrite && start(null) }])
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="sleeve">Instruments</h1>
      <span class="grow" />
      <v-btn v-if="session.mayWrite" color="primary" data-test="new-instrument" @click="start(null)">New instrument</v-btn>
    </div>
    <p class="quiet ma-0">
      Accuracy from the meter's manual, for the range used. It decides whether a reading can pass, fail, or is too close to call. Tests keep
      the accuracy of their own day.
    </p>
    <ProblemNotice :problem="trouble" :again="() => void query.refetch()" />
    <v-progress-linear v-if="query.isPending.value" indeterminate aria-label="Loading instruments" />
    <div class="both" :class="{ editing: open }">
      <ul class="list">
        <li v-if="!records.length && !query.isPending.value && !trouble" class="panel">
          No instrument yet: a test needs a voltmeter and a clamp.
        </li>
        <li v-for="record in records" :key="record.instrument.id">
          <button
            type="button"
            class="panel meter"
            :class="{ here: open && form.id === record.instrument.id }"
            :disabled="!session.mayWrite"
            :data-instrument="record.instrument.id"
            @click="start(record)"
          >
            <span
              ><b>{{ record.instrument.label }}</b
              ><span class="quiet">{{ kindOf(record.instrument.kind)?.label }}</span></span
            >
            <span class="figure"
              >{{ record.instrument.percent_of_reading }} % + {{ record.instrument.digits }} × {{ record.instrument.resolution }}
              {{ kindOf(record.instrument.kind)?.why }}</span
            >
            <span class="figure"
              >{{ record.accuracy }}<template v-if="record.address"><br />connected at {{ record.address }}</template></span
            >
            <span v-if="record.instrument.calibration_due" :class="{ due: overdue(record.instrument.calibration_due) }"
              >{{ overdue(record.instrument.calibration_due) ? '✕ overdue since' : 'due' }}
              <span class="figure">{{ day(record.instrument.calibration_due) }}</span></span
            >
            <span v-else class="quiet">no date kept</span>
          </button>
        </li>
      </ul>
      <v-form v-if="open" class="panel stack" data-test="instrument-form" @submit.prevent="save()">
        <h2 class="sleeve">{{ form.id === null ? 'New instrument' : 'Change it' }}</h2>
        <v-text-field
          v-model="form.label"
          v-first="form.id === null"
          label="Name on the meter"
          name="label"
          :error-messages="[...(tried && !form.label.trim() ? ['Needed here.'] : []), ...wrong('id', 'label')]"
        />
        <v-select v-model="form.kind" label="Reads" :items="kinds.map((k) => ({ value: k.name, title: k.label }))" />
        <NumberField
          v-model="form.percent"
          of="Instrument.percent_of_reading"
          label="Percent of reading"
          unit="%"
          :required="tried"
          data-field="percent"
          :error="wrong('percent_of_reading')[0]"
          @problem="note('percent')($event)"
        />
        <NumberField
          v-model="form.digits"
          of="Instrument.digits"
          label="Digits"
          unit="counts"
          :required="tried"
          data-field="digits"
          :error="wrong('digits')[0]"
          @problem="note('digits')($event)"
        />
        <NumberField
          v-model="form.resolution"
          of="Instrument.resolution"
          label="Last digit stands for"
          :unit="kindOf(form.kind)?.why ?? ''"
          :required="tried"
          data-field="resolution"
          :error="wrong('resolution')[0]"
          @problem="note('resolution')($event)"
        />
        <div v-if="session.may('keep_instruments') && form.id !== null" class="row">
          <v-text-field
            v-model="address"
            label="Where it is connected"
            placeholder="192.168.4.20:5025"
            name="address"
            hint="host:port for SCPI over TCP, or serial:/dev/ttyUSB0@9600; only a lead enters it, the server calls there"
            persistent-hint
            :error-messages="wrong('address')"
          />
          <v-btn variant="outlined" data-test="save-address" @click="saveAddress">{{ address.trim() ? 'Connect' : 'Disconnect' }}</v-btn>
        </div>
        <p v-if="ports.data.value?.ports.length && form.id !== null" class="row ports">
          <span class="quiet">On this machine:</span>
          <v-btn
            v-for="port in ports.data.value.ports"
            :key="port.device"
            variant="outlined"
            size="small"
            data-test="serial-port"
            @click="address = `serial:${port.device}@${USUAL_BAUD}`"
            >{{ port.device }} {{ port.words }}</v-btn
          >
        </p>
        <v-text-field v-model="form.due" label="Calibration due" type="date" :error-messages="wrong('calibration_due')" />
        <ProblemNotice :problem="problem" />
        <div class="row">
          <v-btn type="submit" color="primary" :loading="busy" data-test="save-instrument">Save</v-btn>
          <v-btn variant="text" @click="close">Cancel</v-btn>
          <span class="grow" />
          <v-btn v-if="form.id !== null" variant="outlined" color="error" data-test="remove-instrument" @click="remove"
            >Take off the register</v-btn
          >
        </div>
      </v-form>
    </div>
    <ConflictDialog
      :problem="conflict"
      both="Keep both: save mine as another"
      theirs="Take theirs"
      @keep-both="save(true)"
      @take-theirs="takeTheirs"
      @later="conflict = null"
    />
  </div>
</template>

<style scoped>
.mono {
  white-space: nowrap;
}
.page {
  padding: 12px 16px 40px;
  max-width: 1200px;
  margin: 0 auto;
}
.both {
  display: grid;
  gap: 12px;
  align-items: start;
}
.list {
  list-style: none;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.meter {
  width: 100%;
  min-height: 60px;
  display: grid;
  grid-template-columns: minmax(150px, 1.2fr) minmax(150px, 1fr) minmax(170px, 1.3fr) minmax(120px, 0.8fr);
  gap: 12px;
  align-items: center;
  text-align: left;
  border: 1px solid var(--line);
  border-left: 8px solid var(--copper);
  background: rgb(var(--v-theme-surface));
  color: inherit;
}
.meter > span:first-child {
  display: flex;
  flex-direction: column;
}
.meter:disabled {
  cursor: default;
}
.meter.here {
  border-color: rgb(var(--v-theme-on-surface));
}
.figure {
  font-family: var(--figures);
  font-variant-numeric: tabular-nums;
}
.due {
  color: var(--fail);
  font-weight: 700;
}
@media (min-width: 1024px) {
  .both.editing {
    grid-template-columns: minmax(0, 1fr) 360px;
  }
  .both.editing .meter {
    grid-template-columns: 1fr 1fr;
  }
}
@media (max-width: 760px) {
  .meter {
    grid-template-columns: 1fr;
    gap: 4px;
  }
}
</style>
