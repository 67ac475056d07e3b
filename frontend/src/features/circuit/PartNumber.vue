<script setup lang="ts">
/** One number of a part of the circuit: read from it, kept in it, and what is wrong with it said at its place. */
import { computed } from 'vue'
import type { Measure } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import NumberField from '@/ui/NumberField.vue'

const props = defineProps<{
  part: { readonly id: string }
  /** Name of the document that the part is, as the core bounds its numbers by. */
  of: string
  field: string
  label: string
  unit?: string
  measure?: Measure
  hint?: string
  /** It may be left empty where nobody knows it. */
  optional?: boolean
}>()
const emit = defineEmits<{ change: [patch: Record<string, number | null>] }>()
const bench = useWorkbench()
const value = computed(() => ((props.part as Record<string, unknown>)[props.field] as number | null | undefined) ?? null)
const wrong = computed(() => bench.problems.find((p) => p.element === props.part.id && p.field === props.field)?.message ?? '')
function note(message: string): void {
  const key = `${props.part.id}:${props.field}`
  if (message) bench.localProblems[key] = message
  else delete bench.localProblems[key]
}
function change(to: number | null): void {
  if (to !== null || props.optional) emit('change', { [props.field]: to })
}
</script>

<template>
  <NumberField
    :of="`${of}.${field}`"
    :model-value="value"
    :label="label"
    :unit="unit"
    :measure="measure"
    :hint="hint"
    :required="!optional"
    :error="wrong"
    :data-field="field"
    @update:model-value="change"
    @problem="note"
  />
</template>
