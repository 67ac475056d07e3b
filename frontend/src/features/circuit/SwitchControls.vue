<script setup lang="ts">
/** What works a switch, where that is reached, and what is on it: looked at on the vehicle, for the rules of a disconnect. */
import { computed, ref, watch } from 'vue'
import type { Branch, FittedControl } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import { useWorkbench } from '@/composables/workbench'
import { controlsOf, patchControl, patchPart } from './circuitEdit'

const props = defineProps<{ branch: Branch }>()
const bench = useWorkbench()
const { catalogue } = useCatalogue()
const circuit = computed(() => bench.circuit!)
const selector = computed(() => ('selector' in props.branch ? (props.branch.selector ?? '') : null))
/** A selector is one control, whatever contacts it has. */
const labels = computed(() => (selector.value ? [selector.value] : controlsOf(props.branch)))
const known = (label: string): Partial<FittedControl> => circuit.value.controls?.find((c) => c.label === label) ?? {}
const places = computed(() => [
  { value: null, title: 'not known' },
  ...(catalogue.value?.control_places ?? []).map((p) => ({ value: p.name, title: p.label })),
])
const YES_NO = [
  { value: null, title: 'not known' },
  { value: true, title: 'yes' },
  { value: false, title: 'no' },
]
const FACTS = computed(() => [
  { field: 'marked' as const, label: 'With the sign' },
  { field: 'lockable' as const, label: 'Can be locked open' },
  { field: 'removable' as const, label: 'Key or knob comes off' },
  ...(selector.value ? [{ field: 'makes_first' as const, label: 'Makes before it breaks' }] : []),
])
const set = (label: string, patch: Partial<FittedControl>) => bench.edit(patchControl(circuit.value, label, patch))
const setBranch = (patch: object) => bench.edit(patchPart(circuit.value, 'branches', props.branch.id, patch))
/** As it is typed: a comma at its end names nobody yet. */
const workedBy = ref('')
const named = (text: string) => [...new Set(text.split(',').map((x) => x.trim()))].filter(Boolean)
const kept = computed(() => ('worked_by' in props.branch ? (props.branch.worked_by ?? []) : []))
watch(
  [() => props.branch.id, kept],
  () => {
    if (named(workedBy.value).join() !== kept.value.join()) workedBy.value = kept.value.join(', ')
  },
  { immediate: true },
)
function takeWorkedBy(text: string): void {
  workedBy.value = text
  setBranch({ worked_by: named(text) })
}
const wrong = computed(() => bench.problems.filter((p) => p.field === 'worked_by' && p.element === props.branch.id).map((p) => p.message))
</script>

<template>
  <fieldset class="stack" aria-label="What works it" data-test="controls">
    <div class="pair">
      <v-text-field
        v-if="!selector"
        :model-value="workedBy"
        label="Worked by"
        hint="with a comma between; each opens it. Empty: it is its own control"
        persistent-hint
        :error-messages="wrong"
        data-test="worked-by"
        @update:model-value="takeWorkedBy"
      />
      <v-text-field
        v-if="selector !== null"
        :model-value="selector"
        label="Selector"
        maxlength="60"
        hint="whose contact it is; empty: of none"
        persistent-hint
        data-test="selector"
        @update:model-value="setBranch({ selector: $event || null })"
      />
    </div>
    <div v-for="label in labels" :key="label" class="pair" :data-control="label">
      <v-select
        :model-value="known(label).place ?? null"
        :label="labels.length > 1 || selector ? `${label}: reached` : 'Reached'"
        :items="places"
        data-test="control-place"
        @update:model-value="set(label, { place: $event })"
      />
      <v-select
        v-for="f in FACTS"
        :key="f.field"
        :model-value="known(label)[f.field] ?? null"
        :label="f.label"
        :items="YES_NO"
        :data-fact="f.field"
        @update:model-value="set(label, { [f.field]: $event })"
      />
    </div>
  </fieldset>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  min-width: 0;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
</style>
