<script setup lang="ts">
/** A number with its unit: takes a decimal comma, says what is wrong at its place, never throws away what was typed. */
import { computed, ref, watch } from 'vue'
import { useCatalogue } from '@/composables/catalogue'
import { useUnits, type Measure } from '@/composables/units'
import { asTyped, inRange, parseDrop, parseNumber, tidy, type Limits } from '@/ui/numbers'

const props = withDefaults(
  defineProps<{
    modelValue: number | null
    label: string
    unit?: string
    /** Document and field it is of: between what it must lie, the core says. */
    of?: string
    /** Typed in the unit that the person chose for such values. */
    measure?: Measure
    /** Typed in millivolts (or volts with a V), kept in volts. */
    drop?: boolean
    /** Typed in a unit of which so many are one of the unit it is kept in. */
    perUnit?: number
    /** One line high: the label beside the field. */
    compact?: boolean
    required?: boolean
    error?: string
    hint?: string
  }>(),
  {
    unit: '',
    of: '',
    perUnit: 1,
    error: '',
    hint: '',
    measure: undefined,
  },
)
const emit = defineEmits<{ 'update:modelValue': [value: number | null]; problem: [message: string] }>()

const units = useUnits()
const measure = computed(() => (props.measure ? units.measures[props.measure] : null))
const unit = computed(() => measure.value?.unit ?? props.unit)
const toShown = (value: number) => measure.value?.out(value) ?? value * props.perUnit
const fromShown = (shown: number) => measure.value?.in(shown) ?? shown / props.perUnit
const shown = (value: number | null) => asTyped(value === null ? null : props.drop ? value * 1000 : toShown(value))
const text = ref(shown(props.modelValue))
let mine: number | null = props.modelValue

watch(
  () => [props.modelValue, unit.value] as const,
  ([value, now], [, before]) => {
    if (value !== mine || now !== before) {
      mine = value
      text.value = shown(value)
    }
  },
)

const parsed = computed(() => (props.drop ? parseDrop(text.value) : parseNumber(text.value)))
const { catalogue } = useCatalogue()
const limits = computed<Limits>(() => {
  const bounds = catalogue.value?.bounds[props.of]
  if (!bounds) return {}
  const out = (value: number | null | undefined) => (typeof value === 'number' ? tidy(toShown(value)) : undefined)
  return { least: out(bounds.least), most: out(bounds.most), above: bounds.above, whole: bounds.whole }
})
const message = computed(() => {
  if (parsed.value.error) return parsed.value.error
  if (parsed.value.value === null) return props.required && touched.value ? 'Needed here.' : ''
  return inRange(parsed.value.value, limits.value, props.drop ? 'V' : unit.value)
})
const touched = ref(false)

function typed(value: string): void {
  text.value = value
  touched.value = true
  emit('problem', message.value)
  if (parsed.value.error) return
  mine = parsed.value.value === null ? null : props.drop ? parsed.value.value : fromShown(parsed.value.value)
  if (!message.value || parsed.value.value === null) emit('update:modelValue', mine)
}
</script>

<template>
  <v-text-field
    :model-value="text"
    :label="label"
    :suffix="unit"
    :error-messages="message || error ? [message || error] : []"
    :hint="hint"
    :persistent-hint="hint !== ''"
    inputmode="decimal"
    autocomplete="off"
    class="number"
    :class="{ compact }"
    :density="compact ? 'compact' : 'comfortable'"
    @update:model-value="typed"
  />
</template>

<style scoped>
.number :deep(input) {
  font-family: var(--figures);
  font-variant-numeric: tabular-nums;
}
</style>
