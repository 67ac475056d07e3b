<script setup lang="ts">
/** What is short for all open jobs together: ordered from here, and taken in when it has come. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Orders } from '@/api/types'
import { useSaving } from '@/composables/saving'
import { useSession } from '@/composables/session'
import { day } from '@/ui/dates'
import { fixed, money } from '@/ui/numbers'
import ProblemNotice from '@/ui/ProblemNotice.vue'

type Line = Orders['lines'][number]
const session = useSession()
const query = useQuery({ queryKey: ['orders'], queryFn: () => data(client.GET('/api/orders')), staleTime: 0 })
const orders = computed(() => query.data.value ?? null)
const trouble = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const many = (by_length: boolean, of: number) => (by_length ? `${fixed(of, 2)} m` : fixed(of, 0))
const may = computed(() => session.mayWrite)

const taking = ref<string | null>(null)
const { problem, save } = useSaving()
async function received(line: Line): Promise<void> {
  taking.value = line.number
  await save(async () => {
    const quantity = line.by_length ? line.buy * 1000 : line.buy
    await data(client.POST('/api/stock/received', { body: { number: line.number, quantity } }))
    await query.refetch()
  })
  taking.value = null
}
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="sleeve">To order</h1>
      <v-btn v-if="orders?.lines.length" variant="outlined" href="/api/orders.csv" download="orders.csv" data-test="orders-csv"
        >Write as CSV</v-btn
      >
    </div>
    <p class="quiet ma-0">
      For every open job that is to be built, the soonest promised first: each takes what those before it have left, and a pack that one
      begins serves the next.
    </p>
    <ProblemNotice :problem="trouble" :again="() => void query.refetch()" />
    <ProblemNotice :problem="problem" />
    <v-progress-linear v-if="query.isPending.value" indeterminate aria-label="Going through all jobs" />
    <template v-if="orders">
      <p v-if="!orders.lines.length && !orders.unlisted.length" class="panel" data-test="nothing-short">
        Nothing is short: what open jobs ask for is there.
      </p>
      <template v-else>
        <p class="ma-0" data-test="outlay">
          <b>{{ orders.lines.length === 1 ? '1 part' : `${orders.lines.length} parts` }} to buy</b>,
          {{ money(orders.outlay, orders.currency) }} in whole packs, before tax.
        </p>
        <div class="panel scroll">
          <v-table class="figures" density="compact" data-test="orders">
            <thead>
              <tr>
                <th>Part</th>
                <th class="n">Wanted</th>
                <th class="n">There</th>
                <th class="n">To buy</th>
                <th class="n">Comes to</th>
                <th class="n">Days</th>
                <th>Promised</th>
                <th>For</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="x in orders.lines" :key="x.number" :data-order="x.number">
                <td>
                  <b>{{ x.label }}</b> <span class="quiet">{{ x.number }}</span>
                </td>
                <td class="n">{{ many(x.by_length, x.required) }}</td>
                <td class="n">{{ many(x.by_length, x.in_stock) }}</td>
                <td class="n">
                  <v-btn v-if="may" variant="text" :loading="taking === x.number" :data-test="`received-${x.number}`" @click="received(x)"
                    >It is here</v-btn
                  >
                  <b>{{ many(x.by_length, x.buy) }}</b>
                </td>
                <td class="n">{{ money(x.outlay, orders.currency) }}</td>
                <td class="n">{{ fixed(x.days, 0) }}</td>
                <td>{{ x.promised ? day(x.promised) : '–' }}</td>
                <td>
                  <router-link
                    v-for="j in x.jobs"
                    :key="j.job_id"
                    :to="{ name: 'job', params: { id: j.job_id, stage: 'build' } }"
                    class="for"
                    >{{ j.number }}</router-link
                  >
                </td>
              </tr>
            </tbody>
          </v-table>
        </div>
        <section v-if="orders.unlisted.length" class="panel">
          <h2 class="sleeve">On no list of the workshop</h2>
          <ul data-test="unlisted">
            <li v-for="(u, k) in orders.unlisted" :key="k">
              {{ many(u.by_length, u.quantity) }} × {{ u.text.replaceAll('mm2', 'mm²') }}, for
              <router-link :to="{ name: 'job', params: { id: u.job_id, stage: 'build' } }" class="for">{{ u.number }}</router-link>
            </li>
          </ul>
        </section>
      </template>
      <p v-if="orders.unreckoned.length" class="bad ma-0">
        Not reckoned, their work at the bench cannot be as it stands: {{ orders.unreckoned.join(', ') }}
      </p>
    </template>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
td {
  white-space: nowrap;
  vertical-align: middle;
}
.page {
  padding: 8px 16px 40px;
}
.for {
  display: inline-flex;
  min-height: 44px;
  align-items: center;
  margin-right: 10px;
  color: inherit;
}
.bad {
  color: var(--fail);
}
</style>
