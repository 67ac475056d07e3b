<script setup lang="ts">
/** One branch, as fitted. */
import { computed, ref } from 'vue'
import { ApiError } from '@/api/client'
import type { Branch, ProblemDocument } from '@/api/types'
import { isConductor } from '@/charts/geometry'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCatalogue } from '@/composables/catalogue'
import { editBranch, patchPart, renameBranch, type BranchEdit } from '@/features/circuit/circuitEdit'
import PartNumber from './PartNumber.vue'
import SwitchControls from './SwitchControls.vue'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'

const props = defineProps<{ branch: Branch }>()
const bench = useWorkbench()
const units = useUnits()
const { catalogue } = useCatalogue()
const circuit = computed(() => bench.circuit!)
const conductor = computed(() => (isConductor(props.branch) ? props.branch : null))
/** What a switch, link or joint is known by; each where the branch has it. */
const contactNumbers = computed(() =>
  [
    { field: 'resistance_mohm', label: 'Resistance when sound', unit: 'mΩ' },
    { field: 'rating_a', label: 'Continuous rating', unit: 'A', optional: true, hint: 'empty: not known' },
    { field: 'intermittent_a', label: 'Rating for short duty', unit: 'A', optional: true, hint: 'empty: not known' },
    { field: 'forward_v', label: 'Forward voltage', unit: 'V' },
    { field: 'cut_in_v', label: 'Closes above', unit: 'V' },
    { field: 'cut_out_v', label: 'Opens below', unit: 'V' },
    { field: 'delay_s', label: 'Waits', unit: 's' },
  ].filter((f) => f.field in props.branch),
)
/** A hand opens it, itself or by what it names. */
const byHand = computed(() => props.branch.kind === 'switch' || ('worked_by' in props.branch && !!props.branch.worked_by?.length))
const nodes = computed(() => circuit.value.nodes.map((n) => ({ value: n.id, title: n.label })))
const sizeChoices = computed(() => {
  const list = catalogue.value?.sizes ?? []
  const mine = list.filter((s) => s.system === units.system)
  return [...mine, ...list.filter((s) => s.system !== units.system)].map((s) => ({
    value: s.label,
    title: `${s.label}${s.system === 'awg' ? ` (${s.area_mm2} mm²)` : ''}`,
  }))
})
const family = computed(() =>
  props.branch.kind === 'fuse'
    ? catalogue.value?.fuse_families.find((f) => f.name === (props.branch as { family: string }).family)
    : undefined,
)
const breaks = computed(() =>
  Object.entries(family.value?.interrupting_a ?? {})
    .map(([volts, amps]) => `${amps} A at ${volts} V`)
    .join(', '),
)
const choices = (list: readonly { name: string; label: string }[] | undefined) =>
  (list ?? []).map((c) => ({ value: c.name, title: c.label }))

const conductorChoices = computed(() => [
  { field: 'material' as const, label: 'Conductor', items: choices(catalogue.value?.materials) },
  { field: 'insulation_c' as const, label: 'Insulation class', items: [...(catalogue.value?.insulation_classes_c ?? [])], suffix: '°C' },
  { field: 'place' as const, label: 'Runs in', items: choices(catalogue.value?.places) },
  { field: 'stranding' as const, label: 'Stranding', items: choices(catalogue.value?.strandings) },
])
const set = (patch: object) => bench.edit(patchPart(circuit.value, 'branches', props.branch.id, patch))
const wrong = (field: string) => bench.problems.filter((p) => p.element === props.branch.id && p.field === field).map((p) => p.message)
function setEnd(which: 'from_end' | 'to_end', patch: object): void {
  const end = conductor.value?.[which] ?? {}
  set({ [which]: { ...end, ...patch } })
}
const problem = ref<ProblemDocument | null>(null)
/** What moves nodes or picks ratings is done by the core. */
async function change(edit: BranchEdit, to = ''): Promise<void> {
  problem.value = null
  try {
    const made = await editBranch(circuit.value, props.branch.id, edit, to)
    bench.edit(made.circuit)
    const gone = !made.circuit.branches.some((b) => b.id === props.branch.id)
    bench.selected = made.added[0] ?? (gone ? (made.circuit.branches[0]?.id ?? null) : props.branch.id)
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  }
}
const nodeLabel = (id: string) => circuit.value.nodes.find((n) => n.id === id)?.label ?? id
function renameNode(id: string, label: string): void {
  if (!label.trim()) return
  bench.edit({ ...circuit.value, nodes: circuit.value.nodes.map((n) => (n.id === id ? { ...n, label } : n)) })
}
const ENDS = [
  ['from_end', 'from_node'],
  ['to_end', 'to_node'],
] as const
</script>

<template>
  <div class="stack" :data-editor="branch.id">
    <div class="pair">
      <v-text-field
        :model-value="branch.label"
        label="Name"
        :error-messages="wrong('label')"
        @update:model-value="bench.edit(renameBranch(circuit, branch, $event))"
      />
      <v-select
        :model-value="branch.kind"
        label="Kind"
        :items="choices(catalogue?.branch_kinds)"
        @update:model-value="change('kind', $event)"
      />
      <v-select
        :model-value="branch.from_node"
        label="From"
        :items="nodes"
        :error-messages="wrong('from_node')"
        name="from_node"
        @update:model-value="set({ from_node: $event })"
      />
      <v-select
        :model-value="branch.to_node"
        label="To"
        :items="nodes"
        :error-messages="wrong('to_node')"
        name="to_node"
        @update:model-value="set({ to_node: $event })"
      />
    </div>
    <template v-if="conductor">
      <div class="pair">
        <PartNumber field="length_m" label="Length" measure="length" :of="branch.kind" :part="branch" @change="set" />
        <v-autocomplete
          :model-value="conductor.size"
          label="Size"
          :items="sizeChoices"
          :error-messages="wrong('size')"
          data-field="size"
          auto-select-first
          @update:model-value="$event && set({ size: $event })"
        />
        <v-select
          v-for="c in conductorChoices"
          :key="c.field"
          :model-value="conductor[c.field]"
          :label="c.label"
          :suffix="c.suffix"
          :items="c.items"
          @update:model-value="set({ [c.field]: $event })"
        />
        <PartNumber
          v-for="f in [
            { field: 'parallel', label: 'Runs side by side' },
            { field: 'bundled', label: 'Loaded cables in its bundle' },
            { field: 'ambient_c', label: 'Air round it', measure: 'temperature' as const, optional: true, hint: 'empty: as its place' },
          ]"
          v-bind="f"
          :key="f.field"
          :of="branch.kind"
          :part="branch"
          @change="set"
        />
      </div>
      <div v-for="[end, node] in ENDS" :key="end" class="pair">
        <v-select
          :model-value="conductor[end]?.kind ?? 'unknown'"
          :label="`End at ${nodeLabel(conductor[node])}`"
          :items="choices(catalogue?.termination_kinds)"
          @update:model-value="setEnd(end, { kind: $event })"
        />
        <v-select
          :model-value="conductor[end]?.condition ?? 'unknown'"
          label="Looks"
          :items="choices(catalogue?.termination_conditions)"
          @update:model-value="setEnd(end, { condition: $event })"
        />
      </div>
      <v-switch
        :model-value="conductor.sheathed ?? false"
        label="Sleeved over its whole length"
        @update:model-value="set({ sheathed: $event === true })"
      />
    </template>
    <div v-else-if="branch.kind === 'fuse'" class="pair">
      <v-select
        :model-value="branch.family"
        label="Family"
        :items="choices(catalogue?.fuse_families)"
        @update:model-value="change('family', $event)"
      />
      <v-select
        :model-value="branch.rating_a"
        label="Rating"
        suffix="A"
        :items="[...(family?.ratings_a ?? [])]"
        :error-messages="wrong('rating_a')"
        @update:model-value="set({ rating_a: $event })"
      />
      <p class="quiet ma-0 wide">{{ family?.voltage_v }} V, breaks {{ breaks }}, {{ family?.stud }}. {{ family?.note }}</p>
    </div>
    <div v-else class="pair">
      <PartNumber v-for="f in contactNumbers" v-bind="f" :key="f.field" :of="branch.kind" :part="branch" @change="set" />
      <v-switch
        v-if="'closed' in branch"
        :model-value="branch.closed"
        label="Closed"
        @update:model-value="set({ closed: $event === true })"
      />
      <v-select
        v-if="branch.kind === 'voltage_link'"
        :model-value="branch.override"
        label="Override"
        :items="[
          { value: 'none', title: 'by voltage' },
          { value: 'closed', title: 'held closed' },
          { value: 'open', title: 'held open' },
        ]"
        @update:model-value="set({ override: $event })"
      />
    </div>
    <SwitchControls v-if="byHand" :branch="branch" />
    <PartNumber
      field="measured_mohm"
      label="Resistance as measured, at 20 °C"
      unit="mΩ"
      hint="empty: taken as sound. States and faults use it; verdicts go on comparing with a sound part"
      optional
      :of="branch.kind"
      :part="branch"
      @change="set"
    />
    <div class="pair">
      <v-text-field
        :model-value="nodeLabel(branch.from_node)"
        label="Name of the from point"
        @update:model-value="renameNode(branch.from_node, $event)"
      />
      <v-text-field
        :model-value="nodeLabel(branch.to_node)"
        label="Name of the to point"
        @update:model-value="renameNode(branch.to_node, $event)"
      />
    </div>
    <div class="row">
      <v-menu>
        <template #activator="{ props: menu }"><v-btn v-bind="menu" variant="outlined" data-test="insert">Add after this</v-btn></template>
        <v-list
          ><v-list-item v-for="kind in catalogue?.branch_kinds" :key="kind.name" :title="kind.label" @click="change('insert', kind.name)"
        /></v-list>
      </v-menu>
      <v-btn variant="outlined" @click="change('beside')">Add beside this</v-btn>
      <v-btn variant="outlined" color="error" data-test="remove" @click="change('remove')">Take out</v-btn>
    </div>
    <ProblemNotice :problem="problem" />
  </div>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
.wide {
  grid-column: 1 / -1;
}
</style>
