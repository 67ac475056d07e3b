<script setup lang="ts">
/** Job details: new, or edited. */
import { reactive, ref, watch } from 'vue'
import type { JobInput, ProblemDocument } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import { dropDraft, findDraft, hasFields, keepDraft } from '@/composables/drafts'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import CautionStrip from '@/ui/CautionStrip.vue'

const props = defineProps<{
  start: JobInput | null
  problem: ProblemDocument | null
  busy: boolean
  voltageFixed?: boolean
  draftKey: string
}>()
const emit = defineEmits<{ save: [input: JobInput]; cancel: [] }>()
const { catalogue } = useCatalogue()

interface LoadRow {
  label: string
  current_a: number | null
}
interface Form {
  customer: string
  contact: string
  description: string
  kind: JobInput['vehicle']['kind']
  volts: 12 | 24
  complaint: string
  loads: LoadRow[]
  promised: string
  state: NonNullable<JobInput['state']>
  profile: NonNullable<JobInput['limit_profile']>
  purposes: NonNullable<JobInput['purposes']>
  maker: Record<string, { least: number | null; most: number | null }>
}
function formOf(start: JobInput | null): Form {
  return {
    customer: start?.customer.name ?? '',
    contact: start?.customer.contact ?? '',
    description: start?.vehicle.description ?? '',
    kind: start?.vehicle.kind ?? 'car',
    volts: start?.vehicle.system_voltage_v ?? 12,
    complaint: start?.complaint ?? '',
    loads: (start?.loads_to_add ?? []).map((l) => ({ label: l.label, current_a: l.current_a })),
    promised: start?.promised ?? '',
    state: start?.state ?? 'open',
    purposes: [...(start?.purposes ?? ['find_fault' as const])],
    profile: start?.limit_profile ?? 'common',
    maker: Object.fromEntries(
      Object.entries(start?.maker_limits ?? {}).map(([n, w]) => [n, { least: w.least ?? null, most: w.most ?? null }]),
    ),
  }
}
const form = reactive<Form>({
  ...formOf(props.start),
  ...findDraft<Partial<Form>>(props.draftKey, hasFields('customer', 'purposes', 'maker')),
})
watch(form, () => keepDraft(props.draftKey, form), { deep: true })
const tried = ref(false)
const need = (text: string) => (tried.value && !text.trim() ? ['Needed here.'] : [])
const wrong = (path: string) => props.problem?.problems?.filter((p) => p.element === path).map((p) => p.message) ?? []

const makers = ref(false)
const window = (name: string) => (form.maker[name] ??= { least: null, most: null })

function save(): void {
  tried.value = true
  if (![form.customer, form.description, form.complaint].every((t) => t.trim())) return
  if (!form.purposes.length) return
  if (form.loads.some((l) => !l.label.trim() || !l.current_a)) return
  emit('save', {
    customer: { name: form.customer, contact: form.contact },
    vehicle: { description: form.description, kind: form.kind, system_voltage_v: form.volts },
    complaint: form.complaint,
    loads_to_add: form.loads.map((l) => ({ label: l.label, current_a: l.current_a! })),
    promised: form.promised || null,
    state: form.state,
    limit_profile: form.profile,
    purposes: form.purposes,
    added_stages: props.start?.added_stages ?? [],
    maker_limits: Object.fromEntries(Object.entries(form.maker).filter(([, w]) => w.least !== null || w.most !== null)),
  })
}
function cancel(): void {
  dropDraft(props.draftKey)
  emit('cancel')
}
/** The one that was just added has the focus. */
const added = ref(-1)
function addLoad(): void {
  added.value = form.loads.push({ label: '', current_a: null }) - 1
}
const choices = (list: readonly { name: string; label: string }[] | undefined) =>
  (list ?? []).map((c) => ({ value: c.name, title: c.label }))
</script>

<template>
  <v-form class="panel stack form" @submit.prevent="save">
    <h2 class="sleeve">{{ start ? 'Job details' : 'New job' }}</h2>
    <div class="pair">
      <v-text-field
        v-model="form.customer"
        v-first="start === null"
        label="Customer"
        :error-messages="[...need(form.customer), ...wrong('customer.name')]"
        name="customer"
      />
      <v-text-field v-model="form.contact" label="How to reach them" />
    </div>
    <v-text-field
      v-model="form.description"
      label="Vehicle: make, model, engine, year, plate"
      :error-messages="[...need(form.description), ...wrong('vehicle.description')]"
      name="vehicle"
    />
    <div class="pair">
      <v-select v-model="form.kind" label="Kind" :items="choices(catalogue?.vehicle_kinds)" />
      <v-select
        v-model="form.volts"
        label="System, negative earth"
        :items="[
          { value: 12, title: '12 V' },
          { value: 24, title: '24 V' },
        ]"
        :disabled="voltageFixed"
        :hint="voltageFixed ? 'Fixed by the circuit' : ''"
        :persistent-hint="voltageFixed"
      />
    </div>
    <v-textarea
      v-model="form.complaint"
      label="Complaint, in the customer's words"
      rows="2"
      auto-grow
      :error-messages="[...need(form.complaint), ...wrong('complaint')]"
      name="complaint"
    />
    <fieldset class="purposes">
      <legend>What for</legend>
      <label v-for="p in catalogue?.purposes" :key="p.name" class="purpose" :title="p.why" :data-purpose="p.name"
        ><input v-model="form.purposes" type="checkbox" :value="p.name" /> {{ p.label }}</label
      >
      <p v-if="tried && !form.purposes.length" class="wrong" role="alert">Choose one at least.</p>
    </fieldset>
    <div class="pair">
      <v-text-field v-model="form.promised" label="Promised" type="date" />
      <v-select v-model="form.profile" label="Limits to judge by" :items="choices(catalogue?.limit_profiles)" />
      <v-select v-if="start" v-model="form.state" label="State" :items="choices(catalogue?.job_states)" />
    </div>
    <button type="button" class="fold" :aria-expanded="makers" data-test="maker-windows" @click="makers = !makers">
      The maker's figures, where you have them{{ Object.keys(form.maker).length ? ` (${Object.keys(form.maker).length})` : '' }}
    </button>
    <template v-if="makers">
      <p class="quiet ma-0">They win over the limits above. Leave empty what the maker does not say.</p>
      <div v-for="w in catalogue?.maker_windows" :key="w.name" class="window" :data-window="w.name">
        <span>{{ w.label }}</span>
        <NumberField
          :model-value="form.maker[w.name]?.least ?? null"
          label="At least"
          :unit="w.why"
          :error="wrong(`maker_limits.${w.name}`)[0]"
          @update:model-value="window(w.name).least = $event"
        />
        <NumberField
          :model-value="form.maker[w.name]?.most ?? null"
          label="At most"
          :unit="w.why"
          @update:model-value="window(w.name).most = $event"
        />
      </div>
    </template>
    <div v-for="(load, k) in form.loads" :key="k" class="row">
      <v-text-field
        v-model="load.label"
        v-first="k === added"
        class="grow"
        label="Load to add"
        name="load"
        :error-messages="need(load.label)"
      />
      <NumberField v-model="load.current_a" of="AddedLoad.current_a" label="Current" unit="A" :required="tried" class="amps" />
      <v-btn variant="text" :aria-label="`Take out ${load.label}`" @click="form.loads.splice(k, 1)">✕</v-btn>
    </div>
    <v-btn variant="outlined" data-test="add-load" @click="addLoad">Add a load</v-btn>
    <CautionStrip step="job" />
    <ProblemNotice :problem="problem" />
    <div class="row actions">
      <v-btn type="submit" color="primary" :loading="busy" data-test="save-job">{{ start ? 'Save' : 'Open the job' }}</v-btn>
      <v-btn variant="text" @click="cancel">Cancel</v-btn>
    </div>
  </v-form>
</template>

<style scoped>
.form {
  max-height: 92vh;
  overflow-y: auto;
}
/* What comes next is in reach however long the form is. */
.actions {
  position: sticky;
  bottom: -12px;
  padding: 10px 0 12px;
  background: rgb(var(--v-theme-surface));
  border-top: 1px solid var(--line);
}
.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(190px, 1fr));
  gap: 12px;
}
.fold {
  min-height: 44px;
  text-align: left;
  text-decoration: underline;
}
.window {
  display: grid;
  grid-template-columns: minmax(150px, 1.4fr) 1fr 1fr;
  gap: 12px;
  align-items: center;
}
.purposes {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  border: 1px solid var(--line);
  padding: 4px 12px 8px;
}
.purpose {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  min-height: 44px;
}
.purpose input {
  width: 22px;
  height: 22px;
  accent-color: var(--copper);
}
.wrong {
  flex: 1 1 100%;
  margin: 0;
  color: var(--fail);
}
.amps {
  max-width: 150px;
}
</style>
