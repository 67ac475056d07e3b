<script setup lang="ts">
/** Who does what, where and when: a week of bays, what waits for a place, and laying it all out anew. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { useMediaQuery } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Block, Proposed, Schedule, ScheduleRecord, TaskRecord } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import { useKeys } from '@/composables/keys'
import { useSaving } from '@/composables/saving'
import { useSession } from '@/composables/session'
import { unfinished } from '@/composables/tasks'
import { useWorkshopList } from '@/composables/workshopList'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import { day as dayWritten } from '@/ui/dates'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import BlockPane from './BlockPane.vue'
import CalendarDialog from './CalendarDialog.vue'
import WeekBoard from './WeekBoard.vue'
import WorkAgenda from './WorkAgenda.vue'
import { dayName, firstMonday, keyOf, later, minutesOf, mondayOf, moved, quarterAt, rowsOf, wallOf, weekOf, wished } from './week'

const LOOK_MS = 300
const DAY_MIN = 24 * 60
const session = useSession()
const may = computed(() => session.may('work'))
const { catalogue } = useCatalogue()
const titles = computed(() => Object.fromEntries((catalogue.value?.task_kinds ?? []).map((k) => [k.name, k.label])))

const list = useWorkshopList<Schedule, ScheduleRecord>(
  'schedule',
  () => data(client.GET('/api/schedule')),
  (document, revision) => data(client.PUT('/api/schedule', { body: { document, revision } })),
)
const record = list.record
const form = list.document
/** What is typed over what is kept is looked at by the core. */
const preview = useQuery({
  queryKey: computed(() => ['schedule-preview', form.value]),
  queryFn: () => data(client.POST('/api/schedule/preview', { body: form.value! })),
  enabled: computed(() => list.changed.value && form.value !== null),
  placeholderData: keepPreviousData,
})
const view = computed(() => (list.changed.value ? (preview.data.value ?? record.value?.view) : record.value?.view) ?? null)
const trouble = computed(() => {
  const error = list.error.value ?? preview.error.value
  return error instanceof ApiError ? error.problem : null
})

/** A layout is looked at on the board before it is taken. */
const proposal = ref<Proposed | null>(null)
const shown = computed(() => proposal.value?.view ?? view.value)
const weeks = ref(0)
const monday = computed(() => (shown.value ? firstMonday(shown.value) + 7 * DAY_MIN * weeks.value : 0))
const week = computed(() => (shown.value ? weekOf(shown.value, monday.value) : null))
const rows = computed(() => (shown.value && week.value && record.value ? rowsOf(shown.value, record.value.workshop, week.value) : []))
const weekTitle = computed(() => (shown.value ? `${dayName(wallOf(monday.value))} – ${dayName(wallOf(monday.value + 6 * DAY_MIN))}` : ''))
const narrow = useMediaQuery('(max-width: 760px)')
const mine = computed(() => shown.value?.blocks.filter((b) => b.stretches.some((s) => mondayOf(s.begins) === monday.value)) ?? [])

const chosen = ref<string | null>(null)
const block = computed(() => view.value?.blocks.find((b) => keyOf(b) === chosen.value) ?? null)
function change(to: Schedule): void {
  notice.value = ''
  list.change(to)
}
function put(to: Parameters<typeof moved>[2]): void {
  if (form.value && block.value && may.value && !proposal.value) change(moved(form.value, block.value, to))
}
function dropped(of: Block, bay: string | null, onDay: number, share: number): void {
  if (!view.value || !week.value || !form.value) return
  // Leads are made on the bench, and nothing else is.
  const where = of.kind === 'make' ? null : (bay ?? of.bay)
  change(moved(form.value, of, { begins: quarterAt(view.value, week.value, onDay, share), bay: where }))
}
function nudge(quarters: number): void {
  if (view.value && block.value) put({ begins: later(view.value, block.value.begins, quarters) })
}
function other(by: number): void {
  const bays = record.value?.workshop.bays ?? []
  if (!block.value || block.value.kind === 'make' || bays.length === 0) return
  const at = bays.findIndex((b) => b.id === block.value!.bay)
  put({ bay: bays[(at + by + bays.length) % bays.length]!.id })
}
function turn(by: number): void {
  const all = view.value?.blocks ?? []
  const at = all.findIndex((b) => keyOf(b) === chosen.value)
  const to = all[(at + by + all.length) % all.length]
  if (to) show(to)
}
function show(of: Block): void {
  chosen.value = keyOf(of)
  if (view.value && !mine.value.some((b) => keyOf(b) === chosen.value))
    weeks.value = Math.round((mondayOf(of.stretches[0]?.begins ?? of.begins) - firstMonday(view.value)) / (7 * DAY_MIN))
}

/** The board goes where the work goes. */
watch(
  () => block.value && [chosen.value, block.value.begins].join(),
  (now, before) => now && before && now.split(',')[0] === before.split(',')[0] && block.value && show(block.value),
)

const { busy, problem, conflict, save } = useSaving()
const notice = ref('')
async function keep(): Promise<void> {
  if (!may.value || !list.changed.value) return
  if (await save(() => list.keep())) notice.value = 'Kept.'
}
async function over(): Promise<void> {
  await list.over()
  conflict.value = null
  await keep()
}
async function theirs(): Promise<void> {
  conflict.value = null
  await list.theirs()
}
async function place(jobId: number): Promise<void> {
  await save(async () => {
    const laidOut = await data(client.POST('/api/schedule/place', { body: { document: form.value!, job_id: jobId } }))
    change(laidOut)
    chosen.value = laidOut.placed?.filter((p) => p.job_id === jobId).map(keyOf)[0] ?? null
  })
}

/** What was moved on a telephone, in words; it counts once it is kept. */
const messages = ref<readonly string[]>([])
async function readCalendar(text: string): Promise<void> {
  messages.value = []
  await save(async () => {
    const read = await data(client.POST('/api/schedule/moves/read', { body: { text, document: form.value! } }))
    change(read.document)
    messages.value = read.messages
  })
}

/** The search runs beside the server; what it finds is looked at before it is taken. */
const task = ref<TaskRecord | null>(null)
const request = ref<Schedule | null>(null)
/** Why there is no layout, in words. */
const failed = ref('')
async function layOut(): Promise<void> {
  if (!form.value || task.value || !may.value) return
  proposal.value = null
  failed.value = ''
  request.value = form.value
  await save(async () => {
    task.value = await data(client.POST('/api/schedule/layouts', { body: form.value! }))
  })
}
const watched = useQuery({
  queryKey: computed(() => ['lay-out', task.value?.id]),
  queryFn: () => data(client.GET('/api/tasks/{task_id}', { params: { path: { task_id: task.value!.id } } })),
  enabled: computed(() => task.value !== null),
  refetchInterval: LOOK_MS,
})
watch(
  () => watched.data.value,
  async (now) => {
    if (!now || !task.value || now.id !== task.value.id || unfinished(now)) return
    const id = now.id
    task.value = null
    if (now.state === 'done')
      await save(async () => {
        proposal.value = await data(client.GET('/api/schedule/layouts/{task_id}', { params: { path: { task_id: id } } }))
      })
    else if (now.state === 'failed') failed.value = now.problem
  },
)
async function stop(): Promise<void> {
  const id = task.value?.id
  if (id === undefined) return
  await save(() => data(client.POST('/api/tasks/{task_id}/cancel', { params: { path: { task_id: id } } })))
  task.value = null
}
/** What was put elsewhere while the search ran would be lost: then it is not taken. */
const stale = computed(() => proposal.value !== null && JSON.stringify(request.value) !== JSON.stringify(form.value))
function take(): void {
  if (!proposal.value || stale.value) return
  change(proposal.value.schedule)
  proposal.value = null
}

const calendars = ref(false)
useKeys([
  { key: 'Ctrl+s', label: 'keep the schedule', run: () => void keep(), always: true },
  { key: 'l', label: 'lay the work out', run: () => void layOut() },
  { key: 'j', label: 'next piece of work', run: () => turn(1) },
  { key: 'k', label: 'the one before', run: () => turn(-1) },
  { key: 'ArrowRight', label: 'a quarter of an hour later', run: () => nudge(1) },
  { key: 'ArrowLeft', label: 'a quarter of an hour earlier', run: () => nudge(-1) },
  { key: 'ArrowDown', label: 'into the next bay', run: () => other(1) },
  { key: 'ArrowUp', label: 'into the bay before', run: () => other(-1) },
  { key: 'p', label: 'pin it where it is', run: () => block.value && put({ pinned: !block.value.pinned }) },
  { key: '>', label: 'a week on', run: () => (weeks.value += 1) },
  { key: '<', label: 'a week back', run: () => (weeks.value -= 1) },
])
const minutes = (of: number) => (of < 60 ? `${of} min` : `${Math.round((of / 60) * 4) / 4} h`)
</script>

<template>
  <div class="page stack">
    <div class="row">
      <h1 class="title">The workshop’s week</h1>
      <v-btn variant="text" aria-label="A week back" @click="weeks -= 1">‹</v-btn>
      <span class="figure">{{ weekTitle }}</span>
      <v-btn variant="text" aria-label="A week on" data-test="week-on" @click="weeks += 1">›</v-btn>
      <v-btn v-if="weeks !== 0" variant="text" @click="weeks = 0">This week</v-btn>
      <span class="grow" />
      <v-btn variant="text" :to="{ name: 'lists', query: { list: 'means' } }">Bays and hours</v-btn>
      <v-btn variant="text" data-test="calendars" @click="calendars = true">Calendars</v-btn>
      <v-btn v-if="list.changed.value" variant="text" data-test="drop-schedule" @click="list.drop()">Drop changes</v-btn>
      <v-btn variant="outlined" :disabled="!may || !form || !!task" data-test="lay-out" @click="layOut">Lay the work out</v-btn>
      <v-btn color="primary" :loading="busy" :disabled="!may || !list.changed.value" data-test="keep-schedule" @click="keep">Keep</v-btn>
    </div>
    <p v-if="view" class="ma-0">
      <b data-test="schedule-headline">{{ view.headline }}.</b>
      <span v-if="notice" role="status" data-test="schedule-said">{{ notice }}</span>
    </p>
    <ProblemNotice :problem="trouble" :again="() => void list.refetch()" />
    <ProblemNotice :problem="problem" />
    <ConflictDialog
      :problem="conflict"
      both="Keep mine in its place"
      theirs="Take theirs"
      mine-hint="Keeping yours writes over what they moved."
      @keep-both="over"
      @take-theirs="theirs"
      @later="conflict = null"
    />
    <v-progress-linear v-if="!view && !trouble" indeterminate aria-label="Looking at every open job" />
    <section v-if="messages.length" class="panel stack" role="status" data-test="moves-told">
      <p v-for="line in messages" :key="line" class="ma-0">{{ line }}</p>
      <div class="row">
        <span class="quiet grow">It counts once it is kept.</span><v-btn variant="text" @click="messages = []">Close</v-btn>
      </div>
    </section>
    <div v-if="task" class="panel row" data-test="laying-out">
      <v-progress-linear
        :model-value="(watched.data.value?.progress ?? 0) * 100"
        :indeterminate="!watched.data.value?.progress"
        aria-label="Looking for the best layout"
        class="grow"
      />
      <span class="quiet">{{ watched.data.value?.step || 'Waits for its turn' }}</span>
      <v-btn variant="text" @click="stop">Stop</v-btn>
    </div>
    <p v-if="failed" class="panel bad ma-0" role="alert" data-test="layout-failed">{{ failed }}</p>
    <section v-if="proposal" class="panel stack proposal" data-test="proposal">
      <div class="row">
        <h2 class="sleeve ma-0">A layout to look at</h2>
        <span
          >{{ proposal.view.headline }}.
          <span class="quiet">{{ proposal.proven ? 'None is better.' : 'The best found in the time it had.' }}</span></span
        >
        <span class="grow" />
        <v-btn variant="text" @click="proposal = null">Leave it</v-btn>
        <v-btn color="primary" :disabled="stale" data-test="take-layout" @click="take">Take it</v-btn>
      </div>
      <p v-if="stale" class="bad ma-0">Something was moved since it was asked for: lay the work out again.</p>
      <p v-if="proposal.moved.length === 0" class="ma-0">Nothing that had a place is moved.</p>
      <ul v-else class="said">
        <li v-for="m in proposal.moved" :key="m.text">
          <b v-if="m.slips" class="bad">▲ later: </b><template v-else>moved: </template>{{ m.text }}
        </li>
      </ul>
    </section>
    <template v-if="view && week && record">
      <section class="panel">
        <p v-if="week.days.length === 0" class="ma-0">Nobody works in this week.</p>
        <WorkAgenda
          v-else-if="narrow"
          :week="week"
          :blocks="mine"
          :workshop="record.workshop"
          :chosen="chosen"
          :titles="titles"
          @choose="show"
        />
        <WeekBoard
          v-else
          :week="week"
          :rows="rows"
          :chosen="chosen"
          :may="may && !proposal"
          :now="minutesOf(view.now)"
          :titles="titles"
          :people="Object.fromEntries(record.workshop.people.map((w) => [w.id, w.label]))"
          @choose="show"
          @drop="dropped"
        />
      </section>
      <section v-if="block && form && !proposal" class="panel">
        <BlockPane :block="block" :view="view" :schedule="form" :workshop="record.workshop" :titles="titles" :may="may" @change="change" />
      </section>
      <div class="below">
        <section v-if="view.conflicts.length" class="panel stack" data-test="conflicts">
          <h2 class="sleeve ma-0">What cannot be</h2>
          <ul class="said">
            <li v-for="c in view.conflicts" :key="c.text">✕ {{ c.text }}</li>
          </ul>
        </section>
        <section v-if="view.waiting.length" class="panel stack" data-test="waiting">
          <h2 class="sleeve ma-0">Without a place</h2>
          <ul class="said">
            <li v-for="w in view.waiting" :key="w.job_id" class="row waits" :data-waits="w.job_id">
              <span class="grow"
                ><b>{{ w.number }} {{ w.label }}</b
                ><br /><span class="quiet"
                  >{{ w.kinds.map((k) => titles[k]).join(', ') }}, {{ minutes(w.minutes)
                  }}<template v-if="w.promised">, promised for {{ dayWritten(w.promised) }}</template
                  ><template v-if="w.parts_on">, parts on {{ dayWritten(w.parts_on) }}</template
                  ><template v-if="w.left_out">, left out for now</template></span
                ></span
              >
              <v-btn
                v-if="!w.left_out"
                variant="text"
                :disabled="!may"
                data-test="leave-out"
                @click="form && change(wished(form, w.job_id, { left_out: true }))"
                >Leave out</v-btn
              >
              <v-btn variant="outlined" :disabled="!may || busy" data-test="find-place" @click="place(w.job_id)">Find a place</v-btn>
            </li>
          </ul>
        </section>
      </div>
      <CalendarDialog v-model="calendars" :workshop="record.workshop" :may="may" @read="readCalendar" />
    </template>
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px 40px;
}
.title {
  font-size: 1.3rem;
}
.proposal {
  border-left: 6px solid var(--copper);
}
.said {
  margin: 0;
  padding: 0;
  list-style: none;
}
.said li {
  padding: 3px 0;
}
.waits {
  border-bottom: 1px solid var(--line);
}
.bad {
  color: var(--fail);
}
.below {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(420px, 100%), 1fr));
  gap: 12px;
  align-items: start;
}
</style>
