<script setup lang="ts">
/** The work at the bench: the next step on top, beside it the lead that is being made, the steps, or the cable to cut. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { client, data, reached } from '@/api/client'
import type { Bill, BuildBook, BuildView, PointsView, StageName } from '@/api/types'
import { useDocumentForm } from '@/composables/documentForm'
import { hasFields } from '@/composables/drafts'
import { useKeys } from '@/composables/keys'
import { useSaving } from '@/composables/saving'
import { useWorkbench } from '@/composables/workbench'
import FollowDialog from '@/features/plan/FollowDialog.vue'
import CautionStrip from '@/ui/CautionStrip.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import BillPane from './BillPane.vue'
import CutPane from './CutPane.vue'
import LeadCard from './LeadCard.vue'
import NextStep from './NextStep.vue'
import OldPane from './OldPane.vue'
import PointsPane from './PointsPane.vue'
import WaysPane from './WaysPane.vue'
import QuotationPane from './QuotationPane.vue'
import SignOff from './SignOff.vue'
import StepList from './StepList.vue'
import {
  asTicked,
  boughtAgain,
  madeOfTube,
  minutesInWords,
  ticked,
  unticked,
  withOld,
  withBulkhead,
  withPart,
  withPhoto,
  withPlug,
  withSpec,
  withThread,
} from './book'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const onward = computed(() => bench.after('build'))
const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
const {
  form: book,
  record,
  same,
  shown,
  problem: saving,
  busy,
  keepProblem,
  conflict,
  keep,
  followTheirs,
  takeTheirs,
  held,
  put,
} = useDocumentForm<BuildBook, BuildBook, BuildView>({
  name: 'build',
  jobId: () => bench.jobId,
  hangsOn: () => [bench.plan?.id, bench.asFound?.id],
  enabled: () => !!bench.asFound,
  fetch: () => data(client.GET('/api/jobs/{job_id}/build', path.value)),
  preview: (body) => data(client.POST('/api/jobs/{job_id}/build/preview', { ...path.value, body })),
  post: (body, revision) => data(client.POST('/api/jobs/{job_id}/build', { params: { ...path.value.params, query: { revision } }, body })),
  waitsFor: (revision) => `/api/jobs/${bench.jobId}/build${revision === null ? '' : `?revision=${revision}`}`,
  isForm: hasFields('leads', 'anew', 'ticks'),
  toForm: (document) => document,
  toBody: (form) => form,
  then: () => bench.query.refetch(),
})

/** Out of reach the steps go on by what is ticked here; that the server is away is said once, and is no fault of the book. */
const view = computed(() => (reached.value || !shown.value || !book.value ? shown.value : asTicked(shown.value, book.value)))
const problem = computed(() => (saving.value?.status === 0 ? null : saving.value))
const next = computed(() => view.value?.steps.find((s) => s.id === view.value?.next_step) ?? null)
const pane = ref<'lead' | 'steps' | 'ways' | 'cable' | 'points' | 'parts' | 'old'>('lead')
/** A label brings a lead with it. */
const route = useRoute()
const chosen = ref<string | null>(null)
/** The lead of the next step, until another is looked at; the first that is there to see leaves what a label has brought. */
watch(
  () => next.value?.branch_id,
  (_, before) => before !== undefined && (chosen.value = null),
)
watch(
  () => route.query.lead,
  (now) => {
    if (typeof now === 'string' && now) [chosen.value, pane.value] = [now, 'lead']
  },
  { immediate: true },
)
const card = computed(() => {
  const cards = view.value?.cards ?? []
  const picked = chosen.value ?? next.value?.branch_id
  return cards.find((c) => c.branch_id === picked) ?? cards[0] ?? null
})
const place = computed(() => view.value?.cards.findIndex((c) => c.branch_id === card.value?.branch_id) ?? -1)
function turn(by: number): void {
  const cards = view.value?.cards ?? []
  const to = cards[(place.value + by + cards.length) % cards.length]
  if (to) chosen.value = to.branch_id
  pane.value = 'lead'
}
/** With nothing to make the leads that stay are what there is to see; from then on they stand as they are left. */
const staysShown = ref(false)
watch(
  () => view.value?.cards.length,
  (now, before) => before === undefined && (staysShown.value = now === 0),
  { immediate: true },
)
/** Where the danger is real its cautions want a tap before the step is ticked. */
const cleared = ref('')
function tick(id: string): void {
  if (book.value && bench.mayWrite) book.value = ticked(book.value, id)
}
function untick(id: string): void {
  if (book.value && bench.mayWrite) book.value = unticked(book.value, id)
}
function anew(id: string, made: boolean): void {
  if (!book.value) return
  const others = book.value.anew.filter((i) => i !== id)
  book.value = { ...book.value, anew: made ? [...others, id] : others }
}
/** What the stock says changes with every tick that is kept, on whichever job. */
const billed = useQuery({
  queryKey: computed(() => ['bill', bench.jobId, bench.plan?.id, bench.asFound?.id, record.value?.revision, book.value]),
  queryFn: () => data(client.POST('/api/jobs/{job_id}/build/bill', { ...path.value, body: book.value! })),
  enabled: computed(() => !!book.value && !problem.value && (pane.value === 'parts' || pane.value === 'cable')),
  placeholderData: keepPreviousData,
  staleTime: 0,
})
const bill = computed(() => billed.data.value ?? null)
const landed = useQuery({
  queryKey: computed(() => ['points', bench.jobId, bench.plan?.id, bench.asFound?.id, book.value]),
  queryFn: () => data(client.POST('/api/jobs/{job_id}/build/points', { ...path.value, body: book.value! })),
  enabled: computed(() => !!book.value && !problem.value && pane.value === 'points'),
  placeholderData: keepPreviousData,
})
const points = computed(() => (landed.data.value as PointsView | undefined) ?? null)
type Line = Bill['lines'][number]
function makeLugs(line: Line, tube: { outer_mm: number; wall_mm: number }): void {
  if (book.value && view.value && line.spec) book.value = madeOfTube(book.value, view.value.cards, line.spec, tube)
}
function buyLugs(line: Line): void {
  if (book.value && view.value && line.spec) book.value = boughtAgain(book.value, view.value.cards, line.spec)
}
const receiving = ref<string | null>(null)
const { problem: stockProblem, save: taking } = useSaving()
async function received(line: Line): Promise<void> {
  receiving.value = line.id
  const quantity = line.by_length ? line.buy * 1000 : line.buy
  await taking(async () => {
    await data(client.POST('/api/stock/received', { body: { number: line.number, quantity } }))
    await billed.refetch()
  })
  receiving.value = null
}
/** Ways and ends that somebody has measured elsewhere; they count once they are kept. */
const messages = ref<readonly string[]>([])
const { problem: harnessProblem, save: reading } = useSaving()
async function readHarness(files: File | File[] | null): Promise<void> {
  const file = Array.isArray(files) ? files[0] : files
  if (!file || !book.value) return
  messages.value = []
  const text = await file.text()
  await reading(async () => {
    const read = await data(client.POST('/api/jobs/{job_id}/build/harness', { ...path.value, body: { text, document: book.value! } }))
    book.value = read.document
    messages.value = [`${file.name} is read; it counts once it is kept.`, ...read.messages]
  })
}
useKeys([
  { key: 'x', label: 'tick the next step', run: () => next.value && cleared.value === next.value.caution_step && tick(next.value.id) },
  { key: 'j', label: 'next lead', run: () => turn(1) },
  { key: 'k', label: 'lead before', run: () => turn(-1) },
  { key: 'y', label: 'ways of the leads', run: () => (pane.value = 'ways') },
  { key: 's', label: 'all steps', run: () => (pane.value = 'steps') },
  { key: 'c', label: 'cable to cut', run: () => (pane.value = 'cable') },
  { key: 't', label: 'points and studs', run: () => (pane.value = 'points') },
  { key: 'r', label: 'what is taken out', run: () => (pane.value = 'old') },
  { key: 'p', label: 'parts and prices', run: () => (pane.value = 'parts') },
])
</script>

<template>
  <FollowDialog :problem="conflict" @follow="followTheirs" @take="takeTheirs" @later="conflict = null" />
  <div class="frame">
    <p v-if="!bench.asFound" class="panel">Nothing can be made before the circuit is described.</p>
    <v-progress-linear v-else-if="!book || !view" indeterminate aria-label="Laying out the work" />
    <template v-else>
      <section class="panel stack side">
        <p class="mb-0" data-test="build-headline">
          <b>{{ view.headline }}.</b>
          <template v-if="view.minutes_left > 0">
            <span class="quiet"> About {{ minutesInWords(view.minutes_left) }} left of {{ minutesInWords(view.minutes) }}.</span>
          </template>
        </p>
        <NextStep v-if="next" v-model:cleared="cleared" :step="next" :job-id="bench.jobId" :disabled="!bench.mayWrite" @done="tick" />
        <p v-if="!reached || held" class="away" role="status" data-test="away">
          <template v-if="held?.refused"><b>✕ Not taken:</b> {{ held.refused }} What you did is still here: keep it anew.</template>
          <template v-else-if="held"
            ><b>Kept on this machine.</b> It is sent once the server answers; leave this page open, or come back to it.</template
          >
          <template v-else>The server does not answer. Go on: what is ticked stays on this machine.</template>
        </p>
        <ProblemNotice :problem="problem" />
        <ProblemNotice :problem="keepProblem" />
        <v-btn
          v-if="view.steps.length > 0 || !same"
          variant="outlined"
          :disabled="!bench.mayWrite || same"
          :loading="busy"
          data-test="keep-build"
          @click="keep"
          >{{ same ? 'Kept' : 'Keep' }}</v-btn
        >
        <v-btn v-if="!next && view.done > 0 && same && onward" color="primary" data-test="onward" @click="emit('go', onward.stage)"
          >{{ onward.title }} →</v-btn
        >
        <SignOff :view="view" :job-id="bench.jobId" :revision="record?.revision ?? 0" :kept="same" @signed="put" />
        <v-btn
          v-if="view.steps.length > 0"
          variant="text"
          :href="`/api/jobs/${bench.jobId}/files/bench.pdf`"
          :disabled="!same"
          :title="same ? '' : 'It prints what is kept'"
          data-test="bench-pdf"
          >Print the sheet for the bench</v-btn
        >
        <CautionStrip v-if="!next" step="build" :job-id="bench.jobId" />
      </section>
      <section class="panel grow">
        <v-btn-toggle v-model="pane" mandatory class="mb-3 panes" aria-label="What is shown">
          <v-btn value="lead" data-test="pane-lead">Leads {{ view.cards.length }}</v-btn>
          <v-btn value="ways" data-test="pane-ways">Ways {{ book.ways?.length || '' }}</v-btn>
          <v-btn value="steps" data-test="pane-steps">Steps {{ view.done }} of {{ view.steps.length }}</v-btn>
          <v-btn value="cable" data-test="pane-cable">Cable</v-btn>
          <v-btn value="points" data-test="pane-points">Points</v-btn>
          <v-btn value="parts" data-test="pane-parts">Parts</v-btn>
          <v-btn value="old" data-test="pane-old">Old {{ view.old.parts.length || '' }}</v-btn>
        </v-btn-toggle>
        <template v-if="pane === 'lead'">
          <nav v-if="view.cards.length > 1" class="leads" aria-label="Leads to make">
            <button
              v-for="c in view.cards"
              :key="c.branch_id"
              type="button"
              class="pick"
              :class="{ on: c.branch_id === card?.branch_id, bad: c.problem }"
              :aria-pressed="c.branch_id === card?.branch_id"
              :data-lead="c.branch_id"
              @click="chosen = c.branch_id"
            >
              {{ c.problem ? '✕ ' : '' }}{{ c.label }}
            </button>
          </nav>
          <LeadCard
            v-if="card"
            :key="card.branch_id"
            :card="card"
            :spec="book.leads.find((l) => l.branch_id === card?.branch_id) ?? null"
            :ways="book.ways ?? []"
            :disabled="!bench.mayWrite"
            @change="book = withSpec(book, card.branch_id, $event)"
          />
          <div v-if="card && !card.problem" class="row mt-2">
            <v-btn variant="text" :href="`/api/jobs/${bench.jobId}/files/lead-labels.pdf`" data-test="labels-pdf"
              >Labels of all leads</v-btn
            >
            <v-btn variant="text" :href="`/api/jobs/${bench.jobId}/files/plates.pdf`" :disabled="!same" data-test="plates-pdf"
              >Plates for switches and fuses</v-btn
            >
            <v-btn
              variant="text"
              :href="`/api/jobs/${bench.jobId}/leads/${card.branch_id}/label.svg`"
              :download="`${card.branch_id}.svg`"
              data-test="label-svg"
              >Label of this one</v-btn
            >
            <v-btn
              variant="text"
              :href="`/api/jobs/${bench.jobId}/files/harness.yaml`"
              :disabled="!same"
              :title="same ? '' : 'It writes what is kept'"
              data-test="harness-yaml"
              >Leads as YAML</v-btn
            >
            <v-file-input
              v-if="bench.mayWrite"
              label="Read YAML"
              accept=".yaml,.yml,application/yaml"
              density="compact"
              hide-details
              class="file"
              data-test="read-harness"
              @update:model-value="readHarness"
            />
          </div>
          <p v-else class="quiet">No lead is to be made.</p>
          <ProblemNotice :problem="harnessProblem" />
          <p v-for="line in messages" :key="line" class="ma-0" role="status" data-test="harness-told">{{ line }}</p>
          <details
            v-if="view.stays.length > 0"
            class="mt-3"
            :open="staysShown"
            @toggle="staysShown = ($event.target as HTMLDetailsElement).open"
          >
            <summary>Leads that stay as they are, to be made anew all the same</summary>
            <div class="stays">
              <v-checkbox
                v-for="s in view.stays"
                :key="s.branch_id"
                :model-value="false"
                :label="`${s.label}, ${s.size.replace('mm2', 'mm²')}`"
                :disabled="!bench.mayWrite"
                density="compact"
                hide-details
                :data-anew="s.branch_id"
                @update:model-value="anew(s.branch_id, true)"
              />
            </div>
          </details>
          <v-btn
            v-if="card && book.anew.includes(card.branch_id)"
            variant="text"
            :disabled="!bench.mayWrite"
            data-test="not-anew"
            @click="anew(card.branch_id, false)"
            >Leave {{ card.label }} as it is</v-btn
          >
        </template>
        <template v-else-if="pane === 'steps'">
          <v-checkbox
            v-if="view.cards.length > 0"
            :model-value="book.samples ?? false"
            label="Pull a sample of each crimp before the first lead"
            :disabled="!bench.mayWrite"
            density="compact"
            hide-details
            data-test="samples"
            @update:model-value="book = { ...book, samples: !!$event }"
          />
          <StepList
            :steps="view.steps"
            :disabled="!bench.mayWrite"
            :job-id="bench.jobId"
            :waits-with="`${bench.jobId}:build`"
            @tick="tick"
            @untick="untick"
            @photo="(id, key) => book && (book = withPhoto(book, id, key))"
          />
        </template>
        <WaysPane
          v-else-if="pane === 'ways'"
          :book="book"
          :views="view.ways"
          :leads="[...view.cards, ...view.stays]"
          :disabled="!bench.mayWrite"
          @change="book = $event"
        />
        <CutPane v-else-if="pane === 'cable'" :cables="view.cables" :bill="bill" />
        <template v-else-if="pane === 'points'">
          <v-progress-linear v-if="!points" indeterminate aria-label="Working out what each lead carries" />
          <PointsPane
            v-else
            :points="points.points"
            :threads="book.threads"
            :bulkheads="book.bulkheads ?? []"
            :job-id="bench.jobId"
            :disabled="!bench.mayWrite"
            :plugs="points.plugs"
            :specs="book.plugs"
            @plug="(pole, what) => book && (book = withPlug(book, pole, what))"
            @bulkhead="(node, what) => book && (book = withBulkhead(book, node, what))"
            @thread="(node, mm) => book && (book = withThread(book, node, mm))"
          />
        </template>
        <OldPane
          v-else-if="pane === 'old'"
          :old="view.old"
          :book="book.old"
          :disabled="!bench.mayWrite"
          @old="book = book && withOld(book, $event)"
        />
        <template v-else>
          <v-progress-linear v-if="!bill" indeterminate aria-label="Looking through the stock" />
          <BillPane
            v-else
            :bill="bill"
            :choices="book.parts"
            :disabled="!bench.mayWrite"
            :busy="receiving"
            @choose="(need, what) => book && (book = withPart(book, need, what))"
            @received="received"
            @make="makeLugs"
            @buy="buyLugs"
          />
          <ProblemNotice :problem="stockProblem" />
          <QuotationPane :kept="same" :disabled="!bench.mayWrite" :revision="record?.revision ?? 0" />
        </template>
      </section>
    </template>
  </div>
</template>

<style scoped>
.frame {
  display: flex;
  gap: 12px;
  padding: 12px 16px 40px;
  align-items: flex-start;
}
.side {
  flex: 0 0 340px;
  position: sticky;
  top: 8px;
}
.grow {
  min-width: 0;
}
.panes {
  height: auto;
  flex-wrap: wrap;
}
.away {
  border: 2px dashed var(--copper);
  padding: 8px 12px;
  margin: 0;
}
.leads {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-bottom: 12px;
}
.pick {
  min-height: 44px;
  border: 1px solid var(--line);
  padding: 0 12px;
  font-weight: 600;
}
.pick.on {
  background: var(--line);
}
.pick.bad {
  color: var(--fail);
}
.stays {
  columns: 2;
}
.file {
  max-width: 220px;
}
@media (max-width: 900px) {
  .frame {
    flex-direction: column;
    align-items: stretch;
  }
  .side {
    flex-basis: auto;
    position: static;
  }
  .stays {
    columns: 1;
  }
}
</style>
