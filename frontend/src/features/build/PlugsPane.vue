<script setup lang="ts">
/** The plugs of a plan: which go together, what is in each cavity, and what to order once both halves have been looked at. */
import { computed } from 'vue'
import type { BuildBook, PointsView } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import NumberField from '@/ui/NumberField.vue'
import { asWritten, fixed } from '@/ui/numbers'
import { type Plug } from './book'

const props = defineProps<{ plugs: PointsView['plugs']; specs: BuildBook['plugs']; disabled: boolean }>()
const emit = defineEmits<{ plug: [pole: string, what: Partial<Plug>] }>()
const { catalogue } = useCatalogue()
const series = computed(() => catalogue.value?.plug_series.map((s) => ({ value: s.name, title: s.label })) ?? [])
const CONTACTS = [
  { value: 'pins', title: 'Pins' },
  { value: 'sockets', title: 'Sockets' },
] as const
const HALVES = ['from_half', 'to_half'] as const
const specOf = (pole: string) => props.specs?.find((p) => p.branch_id === pole)
/** As it was chosen, at once; otherwise what the core takes. */
const seriesOf = (plug: PointsView['plugs'][number]) => plug.rows.map((r) => specOf(r.branch_id)?.series).find(Boolean) ?? plug.series
/** What is said of a plug is kept with each of its poles, so that none says otherwise when they are parted. */
function all(plug: PointsView['plugs'][number], what: Partial<Plug>): void {
  for (const row of plug.rows) emit('plug', row.branch_id, what)
}
</script>

<template>
  <section v-for="plug in plugs" :key="plug.id" class="plug" :data-plug="plug.id">
    <h3>
      {{ plug.label }}<template v-if="plug.key">, {{ plug.key }}</template>
    </h3>
    <p v-for="w in plug.problems" :key="w" class="bad ma-0" role="alert">✕ {{ w }}</p>
    <div class="asked">
      <v-select
        :model-value="plug.series || null"
        :items="series"
        :label="plug.assumed ? 'Plug, the smallest that serves' : 'Plug'"
        :disabled="disabled"
        data-test="plug-series"
        @update:model-value="all(plug, { series: $event ?? '', key: '' })"
      />
      <v-select
        :model-value="plug.key || null"
        :items="[...plug.keys]"
        label="Colour or key"
        clearable
        :disabled="disabled"
        data-test="plug-key"
        @update:model-value="all(plug, { series: seriesOf(plug), key: $event ?? '' })"
      />
      <template v-if="plug.gendered">
        <v-select
          v-for="(half, k) in HALVES"
          :key="half"
          :model-value="plug.halves[k] ?? null"
          :items="[...CONTACTS]"
          :label="`Half at ${plug.ends[k]}`"
          clearable
          :disabled="disabled"
          :data-test="half"
          @update:model-value="all(plug, { [half]: $event ?? null })"
        />
      </template>
    </div>
    <table>
      <thead>
        <tr>
          <th>Cavity</th>
          <th>Was in</th>
          <th>{{ plug.ends[0] }}</th>
          <th>{{ plug.ends[1] }}</th>
          <th class="n">A</th>
          <th>Housing that it shares</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in plug.rows" :key="row.branch_id" :data-pole="row.branch_id">
          <td class="narrow">
            <NumberField
              :model-value="specOf(row.branch_id)?.cavity ?? null"
              of="PlugSpec.cavity"
              :label="`${row.cavity}`"
              compact
              :disabled="disabled"
              data-test="cavity"
              @update:model-value="emit('plug', row.branch_id, { cavity: $event })"
            />
          </td>
          <td class="narrow">
            <NumberField
              :model-value="specOf(row.branch_id)?.moved_from ?? null"
              of="PlugSpec.moved_from"
              label="no other"
              compact
              :disabled="disabled"
              data-test="moved-from"
              @update:model-value="emit('plug', row.branch_id, { moved_from: $event })"
            />
          </td>
          <td>{{ asWritten(row.leads[0]) }}</td>
          <td>{{ asWritten(row.leads[1]) }}</td>
          <td class="n figure">{{ fixed(row.current_a, 0) }}</td>
          <td>
            <v-text-field
              :model-value="specOf(row.branch_id)?.housing ?? ''"
              label="None"
              maxlength="30"
              density="compact"
              hide-details
              :disabled="disabled"
              data-test="housing"
              @change="emit('plug', row.branch_id, { housing: ($event.target as HTMLInputElement).value.trim() })"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="plug.live" class="ma-0">
      <b>{{ plug.live }}</b>
    </p>
    <ul>
      <li v-for="w in plug.order" :key="w">{{ w }}</li>
    </ul>
  </section>
</template>

<style scoped>
.plug {
  border-top: 2px solid var(--line);
  padding: 8px 0;
}
h3 {
  margin: 0;
}
.asked {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 6px 0;
}
.asked > * {
  flex: 1 1 180px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--quiet);
}
td,
th {
  padding: 3px 8px 3px 0;
}
.narrow {
  min-width: 96px;
  max-width: 120px;
}
.n {
  text-align: right;
}
.bad {
  color: var(--fail);
}
</style>
