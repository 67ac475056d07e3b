<script setup lang="ts">
/** What an alternator gives over its shaft's speed: from its maker's points, or fitted to what is known and was read. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, reactive, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Circuit, OutputRequest } from '@/api/types'
import SpeedChart from '@/charts/SpeedChart.vue'
import { useCatalogue } from '@/composables/catalogue'
import { dropDraft, findDraft, hasFields, keepDraft } from '@/composables/drafts'
import { useWorkbench } from '@/composables/workbench'
import { useUnits } from '@/composables/units'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'
import { patchPart } from './circuitEdit'

type Alternator = Circuit['alternators'][number]
type How = 'shape' | 'points' | 'fitted'
interface Row {
  shaft_rpm: number | null
  output_a: number | null
  u_a: number | null
  unit_c: number | null
}
const props = defineProps<{ unit: Alternator }>()
const bench = useWorkbench()
const units = useUnits()
const { catalogue } = useCatalogue()

const blank = (): Row => ({ shaft_rpm: null, output_a: null, u_a: null, unit_c: null })
const from = (a: Alternator): { how: How; rows: Row[] } => {
  if (a.curve_basis)
    return {
      how: a.curve_basis.how,
      rows: (a.curve_basis.known ?? []).map((k) => ({ ...blank(), ...k, u_a: k.u_a ?? null, unit_c: k.unit_c ?? null })),
    }
  return a.curve?.length ? { how: 'points', rows: a.curve.map((p) => ({ ...blank(), ...p })) } : { how: 'shape', rows: [] }
}
const draft = computed(() => `${bench.jobId}:output:${props.unit.id}`)
const form = reactive(findDraft<{ how: How; rows: Row[] }>(draft.value, hasFields('how', 'rows')) ?? from(props.unit))

const WAYS = computed(() => [
  { value: 'shape', title: 'usual shape up to its rating' },
  { value: 'points', title: "maker's points, straight between them" },
  ...(props.unit.kind === 'permanent_magnet' ? [] : [{ value: 'fitted', title: 'fitted to points and readings' }]),
])
function choose(how: How): void {
  form.how = how
  if (how !== 'shape' && !form.rows.length) form.rows.push(blank(), blank())
}
/** Shaft speeds of the two points that a maker names; what it gives there, the nameplate or the data sheet says. */
function twoPoints(): void {
  form.rows = [
    { ...blank(), shaft_rpm: catalogue.value?.output_rpm[0] ?? null },
    { ...blank(), shaft_rpm: catalogue.value?.output_rpm[1] ?? null, output_a: props.unit.rated_a },
  ]
}
const known = computed(() =>
  form.rows
    .filter((r) => r.shaft_rpm !== null && r.output_a !== null)
    .map((r) => ({ shaft_rpm: r.shaft_rpm!, output_a: r.output_a!, u_a: r.u_a, unit_c: r.unit_c })),
)
const body = computed<OutputRequest>(() => ({
  kind: props.unit.kind,
  rated_a: props.unit.rated_a,
  basis: form.how === 'shape' ? null : { how: form.how, known: known.value },
}))
const preview = useQuery({
  queryKey: computed(() => ['output', body.value]),
  queryFn: () => data(client.POST('/api/output', { body: body.value })),
  placeholderData: keepPreviousData,
})
const problem = computed(() => (preview.error.value instanceof ApiError ? preview.error.value.problem : null))
const view = computed(() => (problem.value ? null : (preview.data.value ?? null)))

const read = useQuery({
  queryKey: computed(() => ['outputs', bench.jobId, bench.job?.runs.length]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/outputs', { params: { path: { job_id: bench.jobId } } })),
})
const toTake = computed(() =>
  (read.data.value?.outputs ?? []).filter(
    (o) =>
      o.alternator_id === props.unit.id && !form.rows.some((r) => r.shaft_rpm === o.known.shaft_rpm && r.output_a === o.known.output_a),
  ),
)
function add(o: (typeof toTake.value)[number]): void {
  if (form.how !== 'points') form.how = 'fitted'
  form.rows = form.rows.filter((r) => r.shaft_rpm !== null || r.output_a !== null)
  form.rows.push({ ...blank(), ...o.known, u_a: o.known.u_a ?? null, unit_c: o.known.unit_c ?? null })
}

const basis = computed(() => body.value.basis ?? null)
const same = computed(() => {
  const has = from(props.unit)
  return has.how === form.how && JSON.stringify(has.rows) === JSON.stringify(form.rows)
})
function take(): void {
  if (!view.value || !bench.circuit) return
  bench.edit(patchPart(bench.circuit, 'alternators', props.unit.id, { curve: view.value.curve, curve_basis: basis.value }))
}
watch([form, same], () => (same.value ? dropDraft(draft.value) : keepDraft(draft.value, form)), { deep: true })
</script>

<template>
  <section class="stack curve" :aria-label="`What ${unit.label} gives over speed`" data-test="output-curve">
    <v-select
      :model-value="form.how"
      label="What it gives over its shaft's speed"
      :items="WAYS"
      data-test="output-how"
      @update:model-value="choose($event as How)"
    />
    <template v-if="form.how !== 'shape'">
      <div v-for="(r, k) in form.rows" :key="k" class="point" :data-point="k">
        <NumberField v-model="r.shaft_rpm" of="KnownOutput.shaft_rpm" label="/min" :data-test="`shaft-${k}`" />
        <NumberField v-model="r.output_a" of="KnownOutput.output_a" label="A" :data-test="`output-${k}`" />
        <NumberField v-model="r.u_a" of="KnownOutput.u_a" label="± A" :data-test="`u-${k}`" />
        <NumberField
          v-model="r.unit_c"
          of="KnownOutput.unit_c"
          :label="units.measures.temperature.unit"
          measure="temperature"
          :data-test="`unit-c-${k}`"
        />
        <v-btn variant="text" :aria-label="`Take point ${k + 1} out`" @click="form.rows.splice(k, 1)">✕</v-btn>
      </div>
      <div class="row">
        <v-btn variant="outlined" data-test="add-point" @click="form.rows.push(blank())">Add a point</v-btn>
        <v-btn variant="text" data-test="two-points" @click="twoPoints">Two points, idle and rated</v-btn>
      </div>
      <p class="quiet ma-0">At full field. Without ± a point is its maker’s; without a temperature it was cold, as for a rating.</p>
    </template>
    <div v-for="(o, k) in toTake" :key="k" class="row">
      <v-btn variant="outlined" :data-test="`take-read-${k}`" @click="add(o)"
        >+ {{ fixed(o.known.output_a, 0) }} A at {{ fixed(o.known.shaft_rpm, 0) }} /min</v-btn
      >
      <span class="quiet">{{ o.label }}, read at this job{{ o.full_field ? '' : ': only if it gave all it could' }}</span>
    </div>
    <ProblemNotice :problem="problem" />
    <p v-for="f in view?.findings ?? []" :key="f.code" class="said" :class="f.severity" :data-finding="f.code">
      <b>{{ f.title }}.</b> {{ f.why }} <span class="quiet">{{ f.rule }} {{ f.source }}.</span>
    </p>
    <template v-if="view">
      <SpeedChart :points="view.points" :known="known" :label="`Output of ${unit.label} over its shaft's speed`" />
      <p class="quiet ma-0" data-test="output-says">
        Begins at <b class="figure">{{ fixed(view.cut_in_rpm, 0) }} /min</b> of the shaft, gives
        <b class="figure">{{ fixed(view.rated_a, 0) }} A</b> at {{ fixed(view.rated_rpm, 0) }} /min. Line:
        {{ fixed(view.reference_c, 0) }} °C, with the band nineteen of twenty lie in; broken: {{ fixed(view.hot_c, 0) }} °C; rings: what it
        was made of.
      </p>
    </template>
    <v-btn color="primary" :disabled="!view || same" data-test="take-curve" @click="take">{{
      same ? 'The circuit has this curve' : 'Use this curve'
    }}</v-btn>
  </section>
</template>

<style scoped>
.curve {
  border-left: 3px solid var(--line);
  padding-left: 12px;
}
.point {
  display: grid;
  grid-template-columns: 1fr 1fr 0.8fr 0.9fr 44px;
  gap: 8px;
  align-items: start;
}
.point .v-btn {
  min-width: 44px;
  min-height: 44px;
}
.said {
  border-left: 8px solid var(--close);
  padding-left: 10px;
  margin: 0;
}
.said.warning {
  border-left-color: var(--excess);
}
</style>
