<script setup lang="ts">
/** One end of a lead: its lug and how it is pressed, and what somebody says of it instead. */
import { computed, ref } from 'vue'
import type { BuildBook, BuildView } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import NumberField from '@/ui/NumberField.vue'

const props = defineProps<{
  field: 'from_end' | 'to_end'
  /** As the core has it; none of a lead that cannot be made as it is asked. */
  card: BuildView['cards'][number]['ends'][number] | undefined
  spec: BuildBook['leads'][number]['from_end'] | null
  /** Whether the lead cannot be made: here it is put right. */
  problem: boolean
  disabled: boolean
}>()
const emit = defineEmits<{ change: [what: Partial<BuildBook['leads'][number]['from_end']>] }>()
const { catalogue } = useCatalogue()
const studs = computed(() => catalogue.value?.studs.map((s) => s.name) ?? [])
const schools = computed(() => catalogue.value?.schools.map((s) => ({ value: s.name, title: s.label })) ?? [])
const palms = computed(() => catalogue.value?.palms.map((s) => ({ value: s.name, title: s.label })) ?? [])
const tools = computed(() => catalogue.value?.crimp_tools.map((s) => ({ value: s.name, title: s.label })) ?? [])
const pressed = computed(() => {
  const by = props.card?.pressed
  const tool = catalogue.value?.crimp_tools.find((t) => t.name === by?.tool)?.label ?? ''
  const across = by?.across_mm ? `, ${by.across_mm.toFixed(1)} mm flat to flat` : ''
  return `${tool}${across}${by?.shim_mm ? `, ${by.shim_mm.toFixed(1)} mm shim` : ''}`
})
const lug = computed(() => {
  const end = props.card
  if (!end) return ''
  if (end.tube) return `lug of ${end.tube}, ${end.stud}`
  if (end.contact) return end.contact.replace('mm2', 'mm²')
  const bent = end.palm === 'flat' ? '' : `, ${catalogue.value?.palms.find((p) => p.name === end.palm)?.label.toLowerCase() ?? end.palm}`
  return end.lug ? `${end.lug.replace('mm2', 'mm²')} lug, ${end.stud}${bent}` : 'post clamp'
})
const mayPress = computed(() => (props.card ? !!props.card.pressed && !props.card.contact : props.problem))
const opened = ref(false)
</script>

<template>
  <section class="end">
    <template v-if="card">
      <h4>{{ card.at }}</h4>
      <p class="ma-0">
        <b>{{ lug }}</b>, strip
        <b class="figure">{{ card.strip_mm.toFixed(1) }} mm</b>
      </p>
      <p class="ma-0" :class="`fit-${card.fit}`">{{ card.fit_words }}</p>
      <p v-if="card.school !== 'crimp'" class="ma-0 quiet" :data-test="`asks-${field}`">{{ card.asks }}</p>
      <p class="ma-0">
        Sleeve {{ card.sleeve }}, <b class="figure">{{ card.sleeve_mm.toFixed(0) }} mm</b
        ><template v-if="card.torque_nm !== null">
          · <b class="figure">{{ card.torque_nm }} Nm</b> unless the maker says otherwise</template
        >
      </p>
    </template>
    <div class="asked">
      <v-select
        v-if="card?.stud !== '' && !card?.contact"
        :model-value="spec?.stud ?? null"
        :items="studs"
        label="Stud, as looked at"
        clearable
        :disabled="disabled"
        :data-test="`stud-${field}`"
        @update:model-value="emit('change', { stud: $event ?? null })"
      />
      <v-select
        :model-value="spec?.school ?? card?.school ?? null"
        :items="schools"
        label="Joined by"
        :disabled="disabled"
        :data-test="`school-${field}`"
        @update:model-value="emit('change', { school: $event })"
      />
    </div>
    <details
      v-if="mayPress"
      class="press"
      :open="opened || !card"
      :data-test="`press-${field}`"
      @toggle="opened = ($event.target as HTMLDetailsElement).open"
    >
      <summary>
        {{ card ? pressed : 'Pressed with' }}
      </summary>
      <div class="asked">
        <v-select
          v-if="card?.stud !== ''"
          :model-value="spec?.palm ?? 'flat'"
          :items="palms"
          label="Palm"
          :disabled="disabled"
          :data-test="`palm-${field}`"
          @update:model-value="emit('change', { palm: $event })"
        />
        <v-select
          v-if="!card?.tube"
          :model-value="spec?.tool ?? 'hex'"
          :items="tools"
          label="Pressed with"
          :disabled="disabled"
          :data-test="`tool-${field}`"
          @update:model-value="emit('change', { tool: $event })"
        />
        <NumberField
          v-if="(card?.pressed?.tool ?? spec?.tool ?? 'hex') === 'hex'"
          :model-value="spec?.die_mm ?? null"
          of="EndSpec.die_mm"
          label="Die at hand, flat to flat"
          unit="mm"
          hint="empty: the die of that lug"
          :data-test="`die-${field}`"
          @update:model-value="emit('change', { die_mm: $event })"
        />
      </div>
    </details>
    <div v-if="(spec?.school ?? card?.school) === 'tube'" class="asked">
      <NumberField
        :model-value="spec?.tube_outer_mm ?? null"
        of="EndSpec.tube_outer_mm"
        label="Tube, outside"
        unit="mm"
        :data-test="`tube-${field}`"
        @update:model-value="emit('change', { tube_outer_mm: $event })"
      />
      <NumberField
        :model-value="spec?.tube_wall_mm ?? null"
        of="EndSpec.tube_wall_mm"
        label="Its wall"
        unit="mm"
        :data-test="`wall-${field}`"
        @update:model-value="emit('change', { tube_wall_mm: $event })"
      />
    </div>
  </section>
</template>

<style scoped>
h4 {
  margin: 0 0 2px;
}
.end {
  border-left: 4px solid var(--line);
  padding-left: 10px;
}
.asked {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  margin-top: 6px;
  align-items: start;
}
.fit-too_much {
  color: var(--fail);
  font-weight: 700;
}
</style>
