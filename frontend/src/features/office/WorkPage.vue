<script setup lang="ts">
/** What the server does that takes long: how far it is, stopping it, fetching what it made. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, reactive } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { TaskRecord } from '@/api/types'
import { useSaving } from '@/composables/saving'
import { useSession } from '@/composables/session'
import { unfinished, useTasks, whenEnded } from '@/composables/tasks'
import { moment } from '@/ui/dates'
import ProblemNotice from '@/ui/ProblemNotice.vue'

const FEW = 3
const WORDS: Record<string, string> = {
  waiting: 'Waits for its turn',
  running: 'Runs',
  done: 'Done',
  failed: 'Failed',
  cancelled: 'Cancelled',
}
const SIGNS: Record<string, string> = { waiting: '○', running: '◐', done: '●', failed: '✕', cancelled: '–' }

const session = useSession()
const queries = useQueryClient()
const { tasks, query, refresh } = useTasks()
const { busy, problem, save } = useSaving()
const trouble = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const opened = reactive(new Set<number>())
// Jobs that came in, or captures that are read, are in lists elsewhere.
whenEnded(tasks, () => void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== 'tasks' }))

const percent = (task: TaskRecord) => `${Math.round(task.progress * 100)} %`
async function tell(task: TaskRecord, what: 'cancel' | 'again'): Promise<void> {
  const params = { path: { task_id: task.id } }
  await save(() =>
    data(
      what === 'cancel' ? client.POST('/api/tasks/{task_id}/cancel', { params }) : client.POST('/api/tasks/{task_id}/again', { params }),
    ),
  )
  await refresh()
}
</script>

<template>
  <div class="page stack">
    <h1 class="sleeve">Running work</h1>
    <p class="quiet ma-0">
      What takes long is done beside everything else: you may go on working, close this page or switch the tablet off. If the server stops
      in the middle, it goes on by itself when it is back. Files wait here for a day.
    </p>
    <ProblemNotice :problem="trouble" :again="() => void query.refetch()" />
    <ProblemNotice :problem="problem" />
    <v-progress-linear v-if="query.isPending.value" indeterminate aria-label="Loading what runs" />
    <p v-else-if="!tasks.length && !trouble" class="panel">
      Nothing runs, and nothing ran lately. Sheets of many jobs are written out from the list of jobs; a ZIP of job bundles is taken in
      there too.
    </p>
    <ul class="tasks">
      <li v-for="task in tasks" :key="task.id" :class="task.state" :data-task="task.kind">
        <span class="sign mono" aria-hidden="true">{{ SIGNS[task.state] }}</span>
        <div class="what">
          <b>{{ task.title }}</b>
          <span class="quiet"
            >{{ moment(task.asked_at) }}<template v-if="task.asked_by !== session.me?.name"> · {{ task.asked_by }}</template></span
          >
        </div>
        <div class="how">
          <template v-if="task.state === 'running'">
            <v-progress-linear :model-value="task.progress * 100" height="10" :aria-label="`${task.title}: ${percent(task)}`" />
            <span class="mono"
              >{{ percent(task) }}<template v-if="task.step"> · {{ task.step }}</template></span
            >
          </template>
          <span v-else data-test="task-state">{{ WORDS[task.state] }}</span>
          <span v-if="task.problem" class="bad">{{ task.problem }}</span>
          <span v-if="task.result.made.length">
            <template v-for="(job, k) in task.result.made.slice(0, opened.has(task.id) ? undefined : FEW)" :key="job.job_id"
              >{{ k ? ', ' : 'Taken in: '
              }}<router-link :to="{ name: 'job', params: { id: job.job_id } }" class="mono">{{ job.number }}</router-link></template
            >
          </span>
          <span v-if="task.result.refused.length && task.state === 'done'" class="late">Left out:</span>
          <span v-for="item in task.result.refused.slice(0, opened.has(task.id) ? undefined : FEW)" :key="item.file">
            <span class="mono">{{ item.file }}</span>: {{ item.why }}
          </span>
          <button
            v-if="!opened.has(task.id) && Math.max(task.result.made.length, task.result.refused.length) > FEW"
            type="button"
            class="rest"
            @click="opened.add(task.id)"
          >
            Show all {{ task.result.made.length + task.result.refused.length }}
          </button>
        </div>
        <span class="row does">
          <v-btn v-if="task.file" variant="outlined" :href="`/api/tasks/${task.id}/file`" download data-test="fetch">Fetch the file</v-btn>
          <v-btn v-if="unfinished(task)" variant="text" :disabled="busy" data-test="cancel-task" @click="tell(task, 'cancel')"
            >Cancel</v-btn
          >
          <v-btn v-if="task.may_try_again" variant="text" :disabled="busy" data-test="again-task" @click="tell(task, 'again')"
            >Try again</v-btn
          >
        </span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px 40px;
  max-width: 1100px;
  margin: 0 auto;
}
.tasks {
  list-style: none;
  margin: 0;
  padding: 0;
}
.tasks li {
  display: grid;
  grid-template-columns: 24px minmax(200px, 1fr) minmax(240px, 1.4fr) minmax(150px, auto);
  gap: 12px;
  align-items: start;
  min-height: 60px;
  padding: 10px 4px;
  border-top: 1px solid var(--line);
}
.what,
.how {
  display: grid;
  gap: 4px;
  min-width: 0;
  overflow-wrap: anywhere;
}
.how a {
  color: inherit;
}
.sign {
  font-size: 1.2rem;
}
.late {
  font-weight: 700;
}
.failed .sign,
.bad {
  color: var(--fail);
  font-weight: 700;
}
.done .sign {
  color: var(--pass);
}
.does {
  justify-content: flex-end;
  gap: 4px;
}
.rest {
  min-height: 44px;
  text-align: left;
  text-decoration: underline;
}
@media (max-width: 820px) {
  .tasks li {
    grid-template-columns: 24px 1fr;
  }
  .how,
  .does {
    grid-column: 2;
    justify-content: flex-start;
  }
}
</style>
