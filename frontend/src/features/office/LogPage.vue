<script setup lang="ts">
/** Who changed what, when, from what to what: searched, and written out. */
import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, reactive, toRef } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { TraceRow } from '@/api/types'
import { differences } from './differences'
import { moment } from '@/ui/dates'
import ProblemNotice from '@/ui/ProblemNotice.vue'

const TYPED_MS = 200
const filters = reactive<{ search: string; job: string; person: number | null; since: string | null; until: string | null }>({
  search: '',
  job: '',
  person: null,
  since: null,
  until: null,
})
/** A day as this machine's place has it: from its first moment, to its last. */
const momentOf = (date: string | null, end: string) => (date ? new Date(`${date}T${end}`).toISOString() : undefined)
const criteria = computed(() => ({
  search: filters.search.trim(),
  job: filters.job.trim(),
  ...(filters.person ? { person: filters.person } : {}),
  ...(filters.since ? { since: momentOf(filters.since, '00:00:00') } : {}),
  ...(filters.until ? { until: momentOf(filters.until, '23:59:59.999') } : {}),
}))
const settled = refDebounced(criteria, TYPED_MS)
const names = useQuery({ queryKey: ['names'], queryFn: () => data(client.GET('/api/people/names')) })
const query = useInfiniteQuery({
  queryKey: ['log', settled],
  queryFn: ({ pageParam }) => data(client.GET('/api/changes', { params: { query: { ...settled.value, after: pageParam } } })),
  initialPageParam: '',
  getNextPageParam: (last) => last.next || undefined,
  placeholderData: keepPreviousData,
})
const rows = computed<TraceRow[]>(() => query.data.value?.pages.flatMap((p) => p.changes) ?? [])
const trouble = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const asFile = computed(
  () => `/api/changes.csv?${new URLSearchParams(Object.entries(settled.value).map(([n, v]) => [n, String(v)])).toString()}`,
)
const FEW = 4
const opened = reactive(new Set<number>())
const changes = computed(() => rows.value.map((row) => ({ row, parts: differences(row.before, row.after) })))
const search = toRef(filters, 'search')
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="sleeve">Log of changes</h1>
      <span class="grow" />
      <v-btn variant="outlined" :href="asFile" download="changes.csv" data-test="log-csv">Write out as CSV</v-btn>
    </div>
    <div class="asks" role="group" aria-label="Which changes">
      <v-text-field v-model="search" label="Search what, who, job, before, after" clearable name="log-search" @click:clear="search = ''" />
      <v-text-field v-model="filters.job" label="Job number" clearable name="log-job" @click:clear="filters.job = ''" />
      <v-select
        v-model="filters.person"
        label="Who"
        clearable
        :items="(names.data.value?.people ?? []).map((p) => ({ value: p.id, title: p.name }))"
      />
      <v-text-field v-model="filters.since" label="From" type="date" clearable />
      <v-text-field v-model="filters.until" label="To" type="date" clearable />
    </div>
    <ProblemNotice :problem="trouble" :again="() => void query.refetch()" />
    <v-progress-linear v-if="query.isPending.value" indeterminate aria-label="Loading the log" />
    <p v-else-if="!rows.length && !trouble" class="panel">Nothing in the log matches.</p>
    <ol class="log" data-test="log">
      <li v-for="{ row, parts } in changes" :key="row.id">
        <span class="figure at">{{ moment(row.at) }}</span>
        <b>{{ row.person }}</b>
        <router-link v-if="row.job_id" :to="{ name: 'job', params: { id: row.job_id } }" class="mono">{{ row.job }}</router-link>
        <span v-else class="quiet">{{ row.thing }}</span>
        <div class="what">
          {{ row.what }}
          <dl v-if="parts.length">
            <div v-for="part in opened.has(row.id) ? parts : parts.slice(0, FEW)" :key="part.field">
              <dt>{{ part.field }}</dt>
              <dd>
                <template v-if="part.was !== '–'"
                  ><s>{{ part.was }}</s> →
                </template>
                {{ part.now }}
              </dd>
            </div>
          </dl>
          <button v-if="parts.length > FEW && !opened.has(row.id)" type="button" class="rest" @click="opened.add(row.id)">
            and {{ parts.length - FEW }} more
          </button>
        </div>
      </li>
    </ol>
    <v-btn
      v-if="query.hasNextPage.value"
      variant="outlined"
      class="more"
      :loading="query.isFetchingNextPage.value"
      data-test="more"
      @click="() => void query.fetchNextPage()"
      >Show earlier ones</v-btn
    >
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px 40px;
  max-width: 1400px;
  margin: 0 auto;
}
.asks {
  display: grid;
  grid-template-columns: minmax(220px, 2fr) repeat(4, minmax(140px, 1fr));
  gap: 8px;
}
.log {
  list-style: none;
  margin: 0;
  padding: 0;
}
.log li {
  display: grid;
  grid-template-columns: 200px 150px 110px minmax(0, 1fr);
  gap: 12px;
  padding: 8px 4px;
  border-top: 1px solid var(--line);
}
.log a {
  color: inherit;
}
dl {
  margin: 4px 0 0;
  font-size: 0.92em;
}
dl div {
  display: flex;
  gap: 10px;
}
dt {
  flex: 0 0 220px;
  color: var(--quiet);
  overflow-wrap: anywhere;
}
dd {
  margin: 0;
  min-width: 0;
  overflow-wrap: anywhere;
}
.rest {
  min-height: 44px;
  text-decoration: underline;
}
s {
  color: var(--quiet);
}
.more {
  align-self: center;
}
@media (max-width: 900px) {
  .asks {
    grid-template-columns: 1fr 1fr;
  }
  .log li {
    grid-template-columns: 1fr 1fr;
    gap: 2px 12px;
  }
  .log .what {
    grid-column: 1 / -1;
  }
}
</style>
