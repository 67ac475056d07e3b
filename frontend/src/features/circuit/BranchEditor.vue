<script setup lang="ts">
/** One branch, as fitted. */
import { computed, ref } from 'vue'
import { ApiError } from '@/api/client'
import type { Branch, ProblemDocument } from '@/api/types'
import { isConductor } from '@/charts/geometry'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCatalogue } from '@/composables/catalogue'
import { editBranch, patchBranch, type BranchEdit } from '@/features/circuit/circuitEdit'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'

const props = defineProps<{ branch: Branch }>()
const bench = useWorkbench()
const units = useUnits()
const { catalogue } = useCatalogue()
const circuit = computed(() => bench.circuit!)
const conductor = computed(() => (isConductor(props.branch) ? props.branch : null))
const contact = computed(() => ('resistance_mohm' in props.branch ? props.branch : null))
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
const choices = (list: readonly { name: string; label: string }[] | undefined) =>
  (list ?? []).map((c) => ({ value: c.name, title: c.label }))

const set = (patch: Partial<Branch>) => bench.edit(patchBranch(circuit.value, props.branch.id, patch))
const wrong = (field: string) => bench.problems.filter((p) => p.element === props.branch.id && p.field === field).map((p) => p.message)
const local = (field: string) => (message: string) => {
  const key = `${props.branch.id}:${field}`
  if (message) bench.localProblems[key] = message
  else delete bench.localProblems[key]
}
function setEnd(which: 'from_end' | 'to_end', patch: object): void {
  const end = conductor.value?.[which] ?? {}
  set({ [which]: { ...end, ...patch } } as Partial<Branch>)
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
        @update:model-value="set({ label: $event })"
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
        <NumberField
          :of="`${branch.kind}.length_m`"
          :model-value="conductor.length_m"
          label="Length"
          :unit="units.length"
          :to-shown="units.lengthOut"
          :from-shown="units.lengthIn"
          required
          :error="wrong('length_m')[0]"
          data-field="length"
          @update:model-value="$event !== null && set({ length_m: $event } as never)"
          @problem="local('length')($event)"
        />
        <v-autocomplete
          :model-value="conductor.size"
          label="Size"
          :items="sizeChoices"
          :error-messages="wrong('size')"
          data-field="size"
          auto-select-first
          @update:model-value="$event && set({ size: $event } as never)"
        />
        <v-select
          :model-value="conductor.material"
          label="Conductor"
          :items="choices(catalogue?.materials)"
          @update:model-value="set({ material: $event } as never)"
        />
        <v-select
          :model-value="conductor.insulation_c"
          label="Insulation class"
          suffix="°C"
          :items="[...(catalogue?.insulation_classes_c ?? [])]"
          @update:model-value="set({ insulation_c: $event } as never)"
        />
        <v-select
          :model-value="conductor.place"
          label="Runs in"
          :items="choices(catalogue?.places)"
          @update:model-value="set({ place: $event } as never)"
        />
        <NumberField
          :of="`${branch.kind}.parallel`"
          :model-value="conductor.parallel ?? 1"
          label="Runs side by side"
          :error="wrong('parallel')[0]"
          @update:model-value="$event !== null && Number.isInteger($event) && set({ parallel: $event } as never)"
          @problem="local('parallel')($event)"
        />
        <v-select
          :model-value="conductor.stranding"
          label="Stranding"
          :items="choices(catalogue?.strandings)"
          @update:model-value="set({ stranding: $event } as never)"
        />
        <NumberField
          :of="`${branch.kind}.bundled`"
          :model-value="conductor.bundled ?? 1"
          label="Loaded cables in its bundle"
          required
          :error="wrong('bundled')[0]"
          @update:model-value="$event !== null && Number.isInteger($event) && set({ bundled: $event } as never)"
          @problem="local('bundled')($event)"
        />
        <NumberField
          :of="`${branch.kind}.ambient_c`"
          :model-value="conductor.ambient_c ?? null"
          label="Air round it"
          :unit="units.temperature"
          :to-shown="units.temperatureOut"
          :from-shown="units.temperatureIn"
          hint="empty: as its place"
          :error="wrong('ambient_c')[0]"
          @update:model-value="set({ ambient_c: $event } as never)"
          @problem="local('ambient')($event)"
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
        @update:model-value="set({ sheathed: $event === true } as never)"
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
        @update:model-value="set({ rating_a: $event } as never)"
      />
      <p class="quiet ma-0 wide">
        {{ family?.voltage_v }} V, breaks {{ family?.interrupting_a }} A, {{ family?.stud }}. {{ family?.note }}
      </p>
    </div>
    <div v-else class="pair">
      <NumberField
        :of="`${branch.kind}.resistance_mohm`"
        :model-value="contact?.resistance_mohm ?? null"
        label="Resistance when sound"
        unit="mΩ"
        required
        :error="wrong('resistance_mohm')[0]"
        @update:model-value="$event !== null && set({ resistance_mohm: $event } as never)"
        @problem="local('resistance')($event)"
      />
      <NumberField
        :of="`${branch.kind}.rating_a`"
        :model-value="contact?.rating_a ?? null"
        label="Continuous rating"
        unit="A"
        hint="empty: not known"
        @update:model-value="set({ rating_a: $event } as never)"
        @problem="local('rating')($event)"
      />
      <NumberField
        :of="`${branch.kind}.intermittent_a`"
        :model-value="contact?.intermittent_a ?? null"
        label="Rating for short duty"
        unit="A"
        hint="empty: not known"
        :error="wrong('intermittent_a')[0]"
        @update:model-value="set({ intermittent_a: $event } as never)"
        @problem="local('intermittent')($event)"
      />
      <v-switch
        v-if="'closed' in branch"
        :model-value="branch.closed"
        label="Closed"
        @update:model-value="set({ closed: $event === true } as never)"
      />
      <NumberField
        v-if="'forward_v' in branch"
        :of="`${branch.kind}.forward_v`"
        :model-value="branch.forward_v"
        label="Forward voltage"
        unit="V"
        required
        :error="wrong('forward_v')[0]"
        @update:model-value="$event !== null && set({ forward_v: $event } as never)"
        @problem="local('forward')($event)"
      />
      <template v-if="branch.kind === 'voltage_link'">
        <NumberField
          :of="`${branch.kind}.cut_in_v`"
          :model-value="branch.cut_in_v"
          label="Closes above"
          unit="V"
          required
          :error="wrong('cut_in_v')[0]"
          @update:model-value="$event !== null && set({ cut_in_v: $event } as never)"
          @problem="local('cut-in')($event)"
        />
        <NumberField
          :of="`${branch.kind}.cut_out_v`"
          :model-value="branch.cut_out_v"
          label="Opens below"
          unit="V"
          required
          :error="wrong('cut_out_v')[0]"
          @update:model-value="$event !== null && set({ cut_out_v: $event } as never)"
          @problem="local('cut-out')($event)"
        />
        <NumberField
          :of="`${branch.kind}.delay_s`"
          :model-value="branch.delay_s"
          label="Waits"
          unit="s"
          required
          :error="wrong('delay_s')[0]"
          @update:model-value="$event !== null && set({ delay_s: $event } as never)"
          @problem="local('delay')($event)"
        />
        <v-select
          :model-value="branch.override"
          label="Override"
          :items="[
            { value: 'none', title: 'by voltage' },
            { value: 'closed', title: 'held closed' },
            { value: 'open', title: 'held open' },
          ]"
          @update:model-value="set({ override: $event } as never)"
        />
      </template>
    </div>
    <NumberField
      :of="`${branch.kind}.measured_mohm`"
      :model-value="branch.measured_mohm ?? null"
      label="Resistance as measured, at 20 °C"
      unit="mΩ"
      hint="empty: taken as sound. States and faults use it; verdicts go on comparing with a sound part"
      :error="wrong('measured_mohm')[0]"
      @update:model-value="set({ measured_mohm: $event } as never)"
      @problem="local('measured')($event)"
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
