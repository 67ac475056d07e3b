<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, nextTick, ref } from 'vue'
import { useRouter } from 'vue-router'
import { ApiError, client, data, writeHeaders } from '@/api/client'
import { forgetKey, keyFor, KEY_HEADER } from '@/api/repeat'
import type { JobInput, JobRecord, JobRow, LabelledLead, ProblemDocument, TaskRecord } from '@/api/types'
import { leadPage } from '@/features/build/book'
import JobForm from '@/features/jobs/JobForm.vue'
import JobFilters from './JobFilters.vue'
import { useJobsList } from './jobsList'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { dropDraft } from '@/composables/drafts'
import { day, overdue } from '@/ui/dates'
import { useCatalogue } from '@/composables/catalogue'
import { useKeys } from '@/composables/keys'
import VerdictMark from '@/ui/VerdictMark.vue'
import { useSession } from '@/composables/session'
import { useTasks } from '@/composables/tasks'

const router = useRouter()
const session = useSession()
const queries = useQueryClient()
const list = useJobsList()
const { filters, jobs, total, query, more, narrowed, criteria } = list
const { refresh: refreshTasks } = useTasks()
const making = ref(false)
const busy = ref(false)
const problem = ref<ProblemDocument | null>(null)
const importProblem = ref<ProblemDocument | null>(null)
const searchField = ref<{ focus: () => void } | null>(null)
const file = ref<HTMLInputElement | null>(null)
const label = ref<HTMLInputElement | null>(null)

const trouble = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const STATES = [
  { value: undefined, title: 'All' },
  { value: 'open', title: 'Open' },
  { value: 'waiting', title: 'Waiting' },
  { value: 'done', title: 'Done' },
] as const
const narrowing = ref(narrowed.value > 0)
const { catalogue } = useCatalogue()
const purposeOf = (job: JobRow) => job.purposes.map((p) => catalogue.value?.purposes.find((c) => c.name === p)?.label ?? p).join(', ')
const SIGNS = { done: '●', partly: '◐', open: '○', blocked: '·' }

function open(job: { id: number; progress: JobRow['progress'] }): void {
  void router.push({ name: 'job', params: { id: job.id, stage: job.progress.next_stage } })
}

async function create(input: JobInput): Promise<void> {
  busy.value = true
  problem.value = null
  try {
    const made = await data(client.POST('/api/jobs', { body: input }))
    dropDraft('new-job')
    await queries.invalidateQueries({ queryKey: ['jobs'] })
    open(made)
  } catch (error) {
    if (error instanceof ApiError) problem.value = error.problem
  } finally {
    busy.value = false
  }
}

/** A file out of the file dialog goes out as it is, under a key of its own as every write. */
async function send<T>(path: string, chosen: File, type: string): Promise<T> {
  const content = `${path}\n${chosen.name} ${chosen.size} ${chosen.lastModified}`
  const response = fetch(path, {
    method: 'POST',
    body: chosen,
    headers: { ...writeHeaders(), 'Content-Type': type, [KEY_HEADER]: keyFor(content) },
  })
  void response.then(() => forgetKey(content)).catch(() => undefined)
  return data<T>(response.then(async (r) => ({ response: r, ...(r.ok ? { data: (await r.json()) as T } : { error: await r.json() }) })))
}

async function takeIn(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  input.value = ''
  if (!chosen) return
  importProblem.value = null
  try {
    if (chosen.name.toLowerCase().endsWith('.zip')) {
      await send<TaskRecord>(
        `/api/jobs/archive?${new URLSearchParams({ name: chosen.name.slice(-120) }).toString()}`,
        chosen,
        'application/zip',
      )
      await watchIt()
      return
    }
    const made = await send<JobRecord>('/api/jobs/import', chosen, 'application/json')
    await queries.invalidateQueries({ queryKey: ['jobs'] })
    open(made)
  } catch (error) {
    if (error instanceof ApiError) importProblem.value = error.problem
  }
}

/** A photographed label opens the lead that it is of. */
async function byLabel(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  input.value = ''
  if (!chosen) return
  importProblem.value = null
  try {
    await router.push(leadPage(await send<LabelledLead>('/api/leads/photo', chosen, 'application/octet-stream')))
  } catch (error) {
    if (error instanceof ApiError) importProblem.value = error.problem
  }
}

async function watchIt(): Promise<void> {
  await refreshTasks()
  await router.push({ name: 'work' })
}

/** Writes out all jobs of the list as it is narrowed, not only those of the pages that are shown. */
async function writeOut(file: string): Promise<void> {
  importProblem.value = null
  try {
    await data(client.POST('/api/files', { params: { query: criteria.value }, body: { file } }))
    await watchIt()
  } catch (error) {
    if (error instanceof ApiError) importProblem.value = error.problem
  }
}

useKeys([
  { key: '/', label: 'search', run: () => void nextTick(() => searchField.value?.focus()) },
  { key: 'm', label: 'more of the list', run: more },
  { key: 'n', label: 'new job', run: () => (making.value = session.mayWrite) },
])
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="sleeve">Jobs</h1>
      <v-text-field
        ref="searchField"
        v-model="filters.search"
        class="search"
        label="Search number, customer, vehicle, complaint"
        clearable
        name="search"
        @click:clear="filters.search = ''"
      />
      <div class="states" role="group" aria-label="State">
        <button
          v-for="s in STATES"
          :key="s.title"
          type="button"
          :class="{ on: filters.state === s.value }"
          :aria-pressed="filters.state === s.value"
          @click="filters.state = s.value"
        >
          {{ s.title }}
        </button>
      </div>
      <v-btn variant="text" :aria-expanded="narrowing" data-test="narrow" @click="narrowing = !narrowing"
        >Narrow{{ narrowed ? ` (${narrowed})` : '' }} {{ narrowing ? '▴' : '▾' }}</v-btn
      >
      <span class="grow" />
      <v-btn variant="text" title="A photo of the label on a lead opens the lead" @click="label?.click()">By label</v-btn>
      <input
        ref="label"
        type="file"
        accept="image/jpeg,image/png,image/webp"
        capture="environment"
        class="d-none"
        data-test="label-photo"
        @change="byLabel"
      />
      <template v-if="session.mayWrite">
        <v-btn variant="outlined" title="A job bundle, or a ZIP of many" @click="file?.click()">Import job</v-btn>
        <input
          ref="file"
          type="file"
          accept=".json,.zip,application/json,application/zip"
          class="d-none"
          data-test="bundle-file"
          @change="takeIn"
        />
        <v-btn color="primary" data-test="new-job" @click="making = true">New job</v-btn>
      </template>
    </div>
    <JobFilters v-if="narrowing" :filters="filters" :narrowed="narrowed" @clear="list.clear()" />
    <ProblemNotice :problem="importProblem" />
    <ProblemNotice :problem="trouble" :again="() => void query.refetch()" />
    <v-progress-linear v-if="query.isPending.value" indeterminate aria-label="Loading jobs" />
    <p v-else-if="!jobs.length && !trouble" class="panel">
      {{ filters.search || filters.state || narrowed ? 'No job matches.' : 'No jobs yet.' }}
      <template v-if="session.mayWrite && !filters.search && !narrowed && !filters.state"
        >Press <kbd>n</kbd> to open the first one.</template
      >
    </p>
    <ul class="jobs">
      <li v-for="job in jobs" :key="job.id">
        <router-link
          :to="{ name: 'job', params: { id: job.id, stage: job.progress.next_stage } }"
          class="job panel"
          :class="job.state"
          :data-job="job.number"
        >
          <span class="number mono">{{ job.number }}</span>
          <span class="who"
            ><b>{{ job.customer }}</b
            ><span
              >{{ job.vehicle }} <span class="quiet">· {{ job.system_voltage_v }} V</span></span
            ></span
          >
          <span class="what">
            <span class="complaint">{{ job.complaint }}</span>
            <span v-if="job.headline && job.headline.verdict !== 'not_measured'" class="headline" data-test="headline"
              ><VerdictMark :verdict="job.headline.verdict" :size="16" :word="false" /> {{ job.headline.text }}</span
            >
          </span>
          <span class="stand">
            <span class="signs mono" aria-hidden="true"
              ><template v-for="row in job.progress.stages.filter((s) => s.on_path)" :key="row.stage">{{
                SIGNS[row.state]
              }}</template></span
            >
            <span v-if="job.damaged" class="late">{{ job.damaged }}</span>
            <span v-else-if="job.state !== 'done'">missing: {{ job.progress.missing }}</span>
          </span>
          <span class="date">
            <b>{{ job.state }}</b>
            <span class="quiet">{{ purposeOf(job) }}</span>
            <span v-if="job.promised" class="figure" :class="{ late: overdue(job.promised) && job.state !== 'done' }">{{
              day(job.promised)
            }}</span>
          </span>
        </router-link>
      </li>
    </ul>
    <p v-if="jobs.length" class="row foot">
      <span class="quiet" role="status" data-test="count">{{ jobs.length }} of {{ total }} jobs</span>
      <v-btn v-if="query.hasNextPage.value" variant="outlined" :loading="query.isFetchingNextPage.value" data-test="more" @click="more"
        >Show more</v-btn
      >
      <v-menu>
        <template #activator="{ props }"
          ><v-btn v-bind="props" variant="text" data-test="write-list">Write out all {{ total }} ▾</v-btn></template
        >
        <v-list>
          <v-list-item
            v-for="kind in catalogue?.files.filter((f) => !f.needs)"
            :key="kind.name"
            :title="kind.label"
            subtitle="one of each job, together in a ZIP"
            :data-file="kind.name"
            @click="writeOut(kind.name)"
          />
        </v-list>
      </v-menu>
    </p>
    <v-dialog v-model="making" persistent>
      <JobForm :start="null" :problem="problem" :busy="busy" draft-key="new-job" @save="create" @cancel="making = false" />
    </v-dialog>
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px 40px;
  max-width: 1400px;
  margin: 0 auto;
}
.foot {
  justify-content: center;
  gap: 16px;
}
.search {
  flex: 1 1 300px;
  max-width: 440px;
}
.states {
  display: flex;
  border: 2px solid rgb(var(--v-theme-on-surface));
}
.states button {
  min-height: 44px;
  padding: 0 14px;
}
.states .on {
  background: rgb(var(--v-theme-on-surface));
  color: rgb(var(--v-theme-surface));
  font-weight: 700;
}
.jobs {
  list-style: none;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.job {
  display: grid;
  grid-template-columns: 82px minmax(200px, 1fr) minmax(260px, 1.9fr) minmax(140px, 0.7fr) 136px;
  gap: 14px;
  color: inherit;
  text-decoration: none;
  border-left: 8px solid var(--copper);
}
.job.waiting {
  border-left-color: var(--slate);
}
.job.done {
  border-left-color: var(--pass);
  background: transparent;
}
.job:hover {
  border-color: rgb(var(--v-theme-on-surface));
}
.number {
  font-size: 1.05rem;
  font-weight: 700;
}
.who,
.stand,
.date {
  display: flex;
  flex-direction: column;
}
.what {
  display: grid;
  gap: 4px;
  align-content: start;
}
.headline {
  font-weight: 700;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.complaint {
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.signs {
  letter-spacing: 4px;
}
.date {
  text-align: right;
}
.late {
  color: var(--fail);
  font-weight: 700;
}
@media (max-width: 900px) {
  .job {
    grid-template-columns: 80px 1fr;
  }
  .what,
  .stand,
  .date {
    grid-column: 2;
    text-align: left;
  }
}
</style>
