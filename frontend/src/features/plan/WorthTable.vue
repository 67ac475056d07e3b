<script setup lang="ts">
/** Every change alone: what it costs, what it gains over as found, whether a plan may have it. */
import { computed, ref } from 'vue'
import type { Figures, Worth, WorthRequest } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { fixed } from '@/ui/numbers'
import { amount, daysInWords, RANKS, ranked, signed, type Rank } from './worth'

const props = defineProps<{ singles: readonly Worth[]; before: Figures; currency: string; mayWrite: boolean }>()
const request = defineModel<Required<WorthRequest>>({ required: true })
const rank = ref<Rank>('amps')
const open = ref<string | null>(null)
const rows = computed(() => ranked(rank.value, props.before, props.singles))

const may = (w: Worth) => (w.concedes ? request.value.conceded.includes(w.id) : !request.value.left_out.includes(w.id))
function allow(w: Worth, on: boolean): void {
  const field = w.concedes ? 'conceded' : 'left_out'
  const rest = request.value[field].filter((id) => id !== w.id)
  request.value = { ...request.value, [field]: on === w.concedes ? [...rest, w.id] : rest }
}
function price(w: Worth, value: number | null): void {
  const rest = Object.fromEntries(Object.entries(request.value.own_costs).filter(([id]) => id !== w.id))
  request.value = { ...request.value, own_costs: value === null ? rest : { ...rest, [w.id]: value } }
}
const less = (one: number | null | undefined, other: number | null | undefined) =>
  one === null || one === undefined || other === null || other === undefined ? null : one - other
</script>

<template>
  <div class="stack">
    <v-btn-toggle v-model="rank" mandatory color="primary" variant="outlined" density="comfortable" aria-label="Ranked by">
      <v-btn v-for="r in RANKS" :key="r.value" :value="r.value" :data-test="`rank-${r.value}`">{{ r.title }}</v-btn>
    </v-btn-toggle>
    <div class="scroll">
      <v-table class="figures" data-test="singles">
        <thead>
          <tr>
            <th>One change alone</th>
            <th class="n">Costs</th>
            <th class="n">A at hot idle</th>
            <th class="n">Least volts</th>
            <th class="n">Ah a day</th>
            <th class="n">Non-start</th>
            <th class="n">Heat</th>
            <th>A plan may have it</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="w in rows" :key="w.id">
            <tr :data-change="w.id" :class="{ off: !w.figures }">
              <td>
                <v-btn variant="text" class="name" :aria-expanded="open === w.id" @click="open = open === w.id ? null : w.id">{{
                  w.label
                }}</v-btn>
              </td>
              <template v-if="w.figures">
                <td class="n">{{ amount(w.cost, currency) }}</td>
                <td class="n">
                  <b>{{ signed(less(w.figures.idle_surplus_a, before.idle_surplus_a), 1) }}</b>
                </td>
                <td class="n">{{ signed(less(w.figures.least_v, before.least_v), 2) }}</td>
                <td class="n">{{ signed(w.figures.worst_net_ah - before.worst_net_ah, 1) }}</td>
                <td class="n">{{ daysInWords(w.figures.days) }}</td>
                <td class="n">{{ signed(less(w.figures.heat_w, before.heat_w), 0) }} W</td>
              </template>
              <td v-else colspan="6" class="why">Not possible: {{ w.refused }}</td>
              <td>
                <v-checkbox
                  v-if="w.figures"
                  :model-value="may(w)"
                  density="comfortable"
                  hide-details
                  :disabled="!mayWrite"
                  :label="w.concedes ? 'given up' : 'yes'"
                  :aria-label="`A plan may have: ${w.label}`"
                  @update:model-value="allow(w, $event === true)"
                />
              </td>
            </tr>
            <tr v-if="open === w.id" class="more">
              <td colspan="8">
                <p class="mb-1">{{ w.kind_label }}. {{ w.why }}</p>
                <p v-if="w.comes_with.length" class="mb-1">Comes with: {{ w.comes_with.join('; ') }}.</p>
                <p v-for="a in w.asks" :key="a" class="quiet mb-1">Look first: {{ a }}</p>
                <template v-if="w.figures">
                  <p class="mb-2">
                    {{ w.figures.headline }}: {{ fixed(w.figures.idle_surplus_a, 1) }} A to spare at a hot idle,
                    {{ fixed(w.figures.least_v, 1) }} V at least; {{ amount(w.parts, currency) }} for parts, {{ fixed(w.hours, 1) }} h of
                    work.
                  </p>
                  <NumberField
                    class="own"
                    :model-value="request.own_costs[w.id] ?? null"
                    of="PriceList.pulley"
                    label="Known better: it costs"
                    :unit="currency"
                    hint="empty: by the price list"
                    @update:model-value="price(w, $event)"
                  />
                </template>
              </td>
            </tr>
          </template>
        </tbody>
      </v-table>
    </div>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.figures td {
  vertical-align: middle;
}
.name {
  padding: 0;
  min-height: 44px;
  font-weight: 700;
  text-align: left;
  white-space: normal;
  height: auto;
}
.name :deep(.v-btn__content) {
  white-space: normal;
}
.off {
  color: var(--quiet);
}
.why {
  white-space: normal;
}
.own {
  max-width: 280px;
}
.more td {
  padding-bottom: 10px;
}
</style>
