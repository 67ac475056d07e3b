<script setup lang="ts">
/** Customers: all that is known of one as a file, and erasing it for good. */
import { keepPreviousData, useInfiniteQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { ApiError, client, data } from '@/api/client'
import type { CustomerRow } from '@/api/types'
import { useSaving } from '@/composables/saving'
import { useTasks } from '@/composables/tasks'
import ProblemNotice from '@/ui/ProblemNotice.vue'

const TYPED_MS = 200
const queries = useQueryClient()
const search = ref('')
const settled = refDebounced(search, TYPED_MS)
const query = useInfiniteQuery({
  queryKey: ['customers', settled],
  queryFn: ({ pageParam }) => data(client.GET('/api/customers', { params: { query: { search: settled.value ?? '', after: pageParam } } })),
  initialPageParam: '',
  getNextPageParam: (last) => last.next || undefined,
  placeholderData: keepPreviousData,
})
const rows = computed<CustomerRow[]>(() => query.data.value?.pages.flatMap((p) => p.customers) ?? [])
const trouble = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const erasing = ref<CustomerRow | null>(null)
const typed = ref('')
const { busy, problem, save } = useSaving()
const router = useRouter()
const { refresh: refreshTasks } = useTasks()

function ask(row: CustomerRow): void {
  problem.value = null
  typed.value = ''
  erasing.value = row
}
/** A file of many jobs takes a while: it is fetched where all long work is. */
async function writeOut(row: CustomerRow): Promise<void> {
  const begun = await save(() => data(client.POST('/api/customers/{customer_id}/data', { params: { path: { customer_id: row.id } } })))
  if (!begun) return
  await refreshTasks()
  await router.push({ name: 'work' })
}
async function erase(): Promise<void> {
  const row = erasing.value
  if (!row) return
  const done = await save(() =>
    data(client.POST('/api/customers/{customer_id}/erase', { params: { path: { customer_id: row.id } }, body: { name: typed.value } })),
  )
  if (!done) return
  erasing.value = null
  // Every job of theirs says something else now.
  await queries.invalidateQueries()
}
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="sleeve">Customers</h1>
      <v-text-field v-model="search" class="search" label="Search by name" clearable name="customer-search" @click:clear="search = ''" />
    </div>
    <p class="quiet ma-0">
      Somebody may ask for all that is kept of them, or to have it erased. Erasing takes name, contact, vehicle, complaint and the notes of
      tests out of every job, and their old values out of the log. Readings, findings and circuits stay, and so do reasons that somebody
      wrote for skipping a test or reopening a job. Backups written before still hold everything.
    </p>
    <ProblemNotice :problem="trouble" :again="() => void query.refetch()" />
    <ProblemNotice v-if="!erasing" :problem="problem" />
    <v-progress-linear v-if="query.isPending.value" indeterminate aria-label="Loading customers" />
    <p v-else-if="!rows.length && !trouble" class="panel">No customer matches.</p>
    <ul class="customers">
      <li v-for="row in rows" :key="row.id" :data-customer="row.name">
        <span
          ><b>{{ row.name }}</b> <span class="quiet">{{ row.contact }}</span></span
        >
        <span>{{ row.jobs === 1 ? '1 job' : `${row.jobs} jobs` }}</span>
        <span class="row">
          <v-btn variant="outlined" size="small" :disabled="busy || !row.jobs" data-test="write-out" @click="writeOut(row)"
            >Write out</v-btn
          >
          <v-btn variant="text" size="small" data-test="erase" @click="ask(row)">Erase …</v-btn>
        </span>
      </li>
    </ul>
    <v-btn
      v-if="query.hasNextPage.value"
      variant="outlined"
      class="more"
      :loading="query.isFetchingNextPage.value"
      data-test="more"
      @click="() => void query.fetchNextPage()"
      >Show more</v-btn
    >
    <v-dialog :model-value="erasing !== null" max-width="520" @update:model-value="erasing = null">
      <form v-if="erasing" class="panel stack" aria-labelledby="erase-title" @submit.prevent="erase">
        <h2 id="erase-title" class="sleeve">Erase {{ erasing.name }}?</h2>
        <p class="ma-0">
          Name, contact, vehicle, complaint and notes go out of {{ erasing.jobs === 1 ? 'one job' : `${erasing.jobs} jobs` }} for good. This
          cannot be taken back.
        </p>
        <v-text-field v-model="typed" autofocus :label="`Type the name: ${erasing.name}`" data-test="erase-name" />
        <ProblemNotice :problem="problem" />
        <div class="row">
          <v-btn type="submit" color="error" :loading="busy" :disabled="typed.trim() !== erasing.name" data-test="erase-now"
            >Erase for good</v-btn
          >
          <v-btn variant="text" @click="erasing = null">Keep it</v-btn>
        </div>
      </form>
    </v-dialog>
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px 40px;
  max-width: 1000px;
  margin: 0 auto;
}
.search {
  max-width: 420px;
}
.customers {
  list-style: none;
  margin: 0;
  padding: 0;
}
.customers li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 90px auto;
  gap: 12px;
  align-items: center;
  min-height: 52px;
  border-top: 1px solid var(--line);
}
.more {
  align-self: center;
}
@media (max-width: 640px) {
  .customers li {
    grid-template-columns: 1fr auto;
  }
}
</style>
