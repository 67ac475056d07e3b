<script setup lang="ts">
/** What the work takes: each part with what is there of it, what has to be bought, and what the job is charged. */
import { computed } from 'vue'
import type { Bill, BuildBook } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { asWritten, fixed, money } from '@/ui/numbers'
import { waitsInWords } from './book'

type Line = Bill['lines'][number]
const props = defineProps<{ bill: Bill; choices: BuildBook['parts']; disabled: boolean; busy: string | null }>()
const emit = defineEmits<{
  choose: [need: string, what: { number?: string; price?: string | null }]
  received: [line: Line]
  make: [line: Line, tube: { outer_mm: number; wall_mm: number }]
  buy: [line: Line]
}>()

const many = (line: Line, of: number) => (line.by_length ? `${fixed(of, 2)} m` : fixed(of, 0))
const buys = computed(() => props.bill.lines.filter((x) => x.buy > 0))
const typed = (line: Line): number | null => {
  const price = props.choices?.find((c) => c.need === line.id)?.price
  return price === null || price === undefined ? null : Number(price)
}
/** What somebody has to see to comes first. */
const lines = computed(() => [...buys.value, ...props.bill.lines.filter((x) => x.buy <= 0)])
const offers = (line: Line) =>
  line.offers.map((o) => ({
    value: o.number,
    title: `${o.number} · ${o.label}`,
    props: { subtitle: `${money(o.price, props.bill.currency)}, ${many(line, o.in_stock)} in stock` },
  }))
</script>

<template>
  <p v-if="bill.lines.length === 0" class="quiet">The work takes no parts.</p>
  <template v-else>
    <div class="sums">
      <p v-if="buys.length > 0" class="ma-0" data-test="to-buy">
        <b>{{ buys.length }} to buy</b>, {{ money(bill.outlay, bill.currency) }} in whole packs{{ waitsInWords(bill.days) }}.
        <router-link :to="{ name: 'orders' }" class="orders">What all jobs need</router-link>
      </p>
      <p v-else class="ma-0" data-test="to-buy"><b>All of it is there.</b></p>
      <p class="ma-0 total" data-test="bill-total">
        <span class="quiet"
          >Parts {{ money(bill.parts, bill.currency) }} + {{ fixed(bill.hours, 2) }} h of work {{ money(bill.labour, bill.currency)
          }}<template v-if="bill.tax_share > 0">
            + {{ fixed(bill.tax_share * 100, 0) }} % tax {{ money(bill.tax, bill.currency) }}</template
          >
          {{ bill.open.length > 0 ? 'so far' : '' }} = </span
        ><b class="all">{{ money(bill.total, bill.currency) }}</b>
      </p>
    </div>
    <div class="scroll">
      <v-table class="figures" density="compact" data-test="bill">
        <thead>
          <tr>
            <th>Part</th>
            <th class="n">Takes</th>
            <th class="n">There</th>
            <th class="n">To buy</th>
            <th class="n">Each</th>
            <th class="n">Amount</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="x in lines" :key="x.id">
            <tr :data-line="x.id">
              <td>
                <b>{{ asWritten(x.text) }}</b>
                <v-select
                  v-if="x.offers.length > 1"
                  :model-value="x.number"
                  :items="offers(x)"
                  :aria-label="`Part for ${x.text}`"
                  density="compact"
                  hide-details
                  :disabled="disabled"
                  :data-test="`part-${x.id}`"
                  @update:model-value="emit('choose', x.id, { number: $event })"
                />
                <span v-else-if="x.number" class="quiet beside">{{ x.number }}</span>
                <span v-else-if="x.unpriced" class="bad beside">✕ nobody has said what it costs</span>
                <span v-else-if="x.rough" class="quiet beside">not on the stock list: roughly, by the price list</span>
                <div v-for="h in x.home_made" :key="h.number" class="quiet">
                  Of {{ h.label }}: {{ money(h.each, bill.currency) }} each with {{ fixed(h.seconds, 0) }} s of work,
                  {{ money(h.saves.replace('-', ''), bill.currency) }} {{ h.saves.startsWith('-') ? 'more' : 'less' }}
                  <v-btn variant="text" size="small" :disabled="disabled" :data-test="`make-${x.id}`" @click="emit('make', x, h)"
                    >Make them</v-btn
                  >
                </div>
                <v-btn
                  v-if="x.spec?.kind === 'tube'"
                  variant="text"
                  size="small"
                  :disabled="disabled"
                  :data-test="`buy-${x.id}`"
                  @click="emit('buy', x)"
                  >Buy the lugs</v-btn
                >
              </td>
              <td class="n">
                {{ many(x, x.required) }}
                <div v-if="x.used > 0" class="quiet">{{ many(x, x.used) }} used</div>
                <div v-if="x.scrap > 0" class="quiet">+ {{ fixed(x.scrap, 2) }} m scrap</div>
              </td>
              <td class="n">{{ many(x, x.from_stock) }}</td>
              <td class="n">
                <v-btn
                  v-if="x.buy > 0 && x.number"
                  variant="text"
                  :disabled="disabled"
                  :loading="busy === x.id"
                  :data-test="`received-${x.id}`"
                  @click="emit('received', x)"
                  >It is here</v-btn
                >
                <b v-if="x.buy > 0">{{ many(x, x.buy) }}</b><template v-else>–</template>
              </td>
              <td class="n">
                <NumberField
                  v-if="!x.number && !disabled"
                  :model-value="typed(x)"
                  of="PartChoice.price"
                  :label="x.unpriced || typed(x) !== null ? 'Price' : `≈ ${money(x.price, bill.currency)}`"
                  class="own"
                  :data-test="`price-${x.id}`"
                  @update:model-value="emit('choose', x.id, { price: $event === null ? null : String($event) })"
                />
                <template v-else>{{ x.rough && !x.unpriced ? '≈ ' : '' }}{{ x.unpriced ? '–' : money(x.price, bill.currency) }}</template>
              </td>
              <td class="n">{{ x.unpriced ? '–' : money(x.amount, bill.currency) }}</td>
            </tr>
          </template>
        </tbody>
      </v-table>
    </div>
  </template>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
td {
  vertical-align: middle;
  white-space: nowrap;
}
td:first-child {
  white-space: normal;
  min-width: 150px;
}
.beside {
  margin-left: 8px;
}
.orders {
  color: inherit;
  display: inline-flex;
  min-height: 44px;
  align-items: center;
}
.own {
  width: 130px;
  margin: 4px 0 4px auto;
}
.bad {
  color: var(--fail);
}
.sums {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 40px;
  justify-content: space-between;
  align-items: baseline;
  margin-bottom: 8px;
}
.all {
  font-size: 1.4rem;
  font-weight: 700;
}
</style>
