<script setup lang="ts">
/** A disconnect: what for, which way, and what it does on this vehicle with the engine running. */
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { IsolationVerdict, IsolationView, RowView, StageName, WayOffered, WayShown } from '@/api/types'
import LiveLoop from '@/charts/LiveLoop.vue'
import { useCatalogue } from '@/composables/catalogue'
import { useEach } from '@/composables/each'
import { useKeys } from '@/composables/keys'
import { useSaving } from '@/composables/saving'
import { useWorkbench } from '@/composables/workbench'
import CautionStrip from '@/ui/CautionStrip.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'
import { doesWords, inOrder, rowOf, situationsOf } from './rows'
import LiveProof from './LiveProof.vue'
import TruthTable from './TruthTable.vue'
import { inTurn } from './ways'

const emit = defineEmits<{ go: [stage: StageName] }>()
type Purpose = IsolationView['purpose']
const FITS: Record<string, { sign: string; word: string; kind: string }> = {
  true: { sign: '✓', word: 'Fit', kind: 'met' },
  false: { sign: '✕', word: 'Not fit', kind: 'broken' },
  null: { sign: '?', word: 'Not yet proven', kind: 'unknown' },
}
const UNTRIED = { sign: '…', word: 'Being tried', kind: '' }
const FAILED = { sign: '!', word: 'Could not be tried', kind: 'unknown' }
const SIGNS = { met: '✓', broken: '✕', unknown: '?' } as const
const KINDS = { requires: 'required', forbids: 'forbidden', advises: 'advised' } as const

const bench = useWorkbench()
const queries = useQueryClient()
const { sizes } = useCatalogue()
const { busy, problem: keepProblem, conflict, save } = useSaving()

/** Null: what the core begins with. */
const chosenPurpose = ref<Purpose | null>(null)
const at = computed(() => [bench.jobId, bench.asFound?.id, bench.asFound?.lock] as const)
const key = computed(() => ['isolation', ...at.value])
const query = useQuery({
  queryKey: key,
  queryFn: () => data(client.GET('/api/jobs/{job_id}/isolation', { params: { path: { job_id: bench.jobId } } })),
  enabled: computed(() => bench.asFound !== null),
  placeholderData: keepPreviousData,
})
const problem = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
const view = computed(() => (problem.value ? null : ((query.data.value as IsolationView | undefined) ?? null)))
const purpose = computed<Purpose>(() => chosenPurpose.value ?? view.value?.purpose ?? 'storage')
const chosen = computed(() => view.value?.purposes.find((p) => p.name === purpose.value) ?? null)
const noWays = computed(() => view.value?.ways.filter((w) => w.why_not) ?? [])

const {
  results: tried,
  waiting: trying,
  problem: wayProblem,
  again,
} = useEach<WayShown>(
  computed(() => inTurn(view.value)),
  computed(() => ['isolation-way', ...at.value]),
  (name) => {
    const path = { job_id: bench.jobId, name }
    return async (signal) => (await data(client.GET('/api/jobs/{job_id}/isolation/ways/{name}', { params: { path }, signal }))) as WayShown
  },
)
/** What a way comes to for the purpose; each way is held against all of them at once. */
const verdictOf = (name: string): IsolationVerdict | null =>
  tried.value[name]?.way.verdicts.find((v) => v.purpose === purpose.value) ?? null
const fitOf = (name: string) => {
  const verdict = verdictOf(name)
  return verdict ? FITS[String(verdict.does)]! : trying.value ? UNTRIED : FAILED
}

const picked = ref('')
const shown = computed(() => tried.value[picked.value] ?? null)
const verdict = computed(() => verdictOf(picked.value))
/** What is fitted stays first, then what does it, then what is not proven; as the core has them until all were tried. */
const RANKS: Record<string, number> = { true: 0, null: 1, false: 2 }
const rank = (w: WayOffered) => (w.changes ? RANKS[String(verdictOf(w.name)?.does)]! : -1)
const listed = computed(() => {
  const here = view.value?.ways.filter((w) => !w.why_not) ?? []
  return trying.value ? here : [...here].sort((a, b) => rank(a) - rank(b))
})
/** What was decided on is shown first; where nothing was, the first that does it, once all were tried. */
watch(
  [view, trying],
  ([now, left]) => {
    if (!now || now.ways.some((w) => !w.why_not && w.name === picked.value)) return
    const kept = now.ways.find((w) => !w.why_not && w.name === now.kept?.way)
    if (kept || !left) picked.value = (kept ?? listed.value.find((w) => verdictOf(w.name)?.does) ?? listed.value[0])?.name ?? ''
  },
  { immediate: true },
)
const worst = (answers: Parameters<typeof inOrder>[0]) =>
  inOrder(answers.filter((a) => a.kind !== 'advises')).find((a) => a.outcome !== 'met')
const lineOf = (w: WayOffered) => worst(verdictOf(w.name)?.answers ?? [])?.words ?? w.does

const situation = ref('idle')
const off = ref<string[]>([])
const tab = ref<'rules' | 'table' | 'moves' | 'owner' | 'proof'>('rules')
watch(picked, () => (off.value = []))
const controls = computed(() => shown.value?.way.switching.controls ?? [])
const situations = computed(() => situationsOf(shown.value?.way.rows ?? []))
const row = computed(() => (shown.value ? rowOf(shown.value.way.rows, situation.value, off.value) : undefined))
const contacts = computed(() => shown.value?.way.switching.contacts?.map((c) => c.branch_id) ?? [])
function flip(label: string): void {
  off.value = off.value.includes(label) ? off.value.filter((x) => x !== label) : [...off.value, label]
}
/** A contact that several controls open: the first of them that is on goes off; where none is on, all come back. */
function flipContact(branchId: string): void {
  const branch = shown.value?.way.circuit.branches.find((b) => b.id === branchId)
  const by = branch && 'worked_by' in branch && branch.worked_by?.length ? branch.worked_by : branch ? [branch.label] : []
  if (!by.length) return
  const gone = by.filter((label) => off.value.includes(label))
  off.value = gone.length ? off.value.filter((label) => !gone.includes(label)) : [...off.value, by[0]!]
}
function show(row: RowView): void {
  situation.value = row.situation
  off.value = [...row.off]
}
/** What is known of a switch is typed where it is drawn. */
function toSwitch(): void {
  bench.selected = contacts.value[0] ?? null
  emit('go', 'circuit')
}
useKeys([
  {
    key: 'o',
    label: 'first switch off and on',
    run: () => controls.value[0] && flip(controls.value[0].label),
  },
])

const same = computed(() => !!view.value?.kept_holds && view.value.kept?.way === picked.value && view.value.kept?.purpose === purpose.value)
async function keep(): Promise<void> {
  const now = shown.value
  if (!now) return
  await save(async () => {
    const kept = await data(
      client.POST('/api/jobs/{job_id}/isolation', {
        params: { path: { job_id: bench.jobId } },
        body: { purpose: purpose.value, way: picked.value, seen: now.seen },
      }),
    )
    queries.setQueryData(key.value, kept)
    await bench.reload()
  })
  // Somebody changed the circuit under it: what is shown is made anew before it can be kept.
  if (conflict.value) await Promise.all([bench.reload(), query.refetch(), again()])
}
const keepWords = computed(() => {
  const way = shown.value?.way
  if (same.value) return 'Kept'
  if (!way) return 'Keep'
  const fit = verdict.value?.does
  if (!way.changes) return fit ? 'Keep: nothing is to be moved' : 'Keep it as it is all the same'
  return fit === false ? 'Make it the plan all the same' : 'Make it the plan'
})
</script>

<template>
  <p v-if="!bench.asFound" class="panel ma-4">
    Describe and save the circuit first. <v-btn color="primary" @click="emit('go', 'circuit')">To the circuit</v-btn>
  </p>
  <div v-else class="isolate">
    <ProblemNotice :problem="problem" :again="() => void query.refetch()" />
    <ProblemNotice :problem="wayProblem" :again="() => void again()" />
    <v-progress-linear v-if="query.isFetching.value && !view" indeterminate aria-label="Looking at the circuit" />
    <div v-if="view" class="frame">
      <section class="panel stack ways" aria-label="What for, and ways to put it in">
        <v-select
          :model-value="purpose"
          :items="view.purposes.map((p) => ({ value: p.name, title: p.label }))"
          label="What is the disconnect for?"
          data-test="purpose"
          @update:model-value="chosenPurpose = $event"
        />
        <p class="quiet mb-1" data-test="why">
          {{ chosen?.why }} <template v-if="chosen?.rulebook">By {{ chosen.rulebook }}. </template>The rulebook in force wins.
        </p>
        <v-progress-linear
          v-if="trying"
          :model-value="(100 * (listed.length - trying)) / listed.length"
          height="6"
          :aria-label="`${trying} of ${listed.length} ways are still being tried`"
          data-test="trying"
        />
        <button
          v-for="w in listed"
          :key="w.name"
          type="button"
          class="way"
          :class="{ on: w.name === picked }"
          :aria-pressed="w.name === picked"
          :data-way="w.name"
          :data-does="verdictOf(w.name) ? String(verdictOf(w.name)?.does) : 'untried'"
          @click="picked = w.name"
        >
          <span class="sign" :class="fitOf(w.name).kind" aria-hidden="true">{{ fitOf(w.name).sign }}</span>
          <span>
            <b>{{ w.label }}</b>
            <span class="line"
              ><b>{{ fitOf(w.name).word }}.</b> {{ lineOf(w) }}</span
            >
          </span>
        </button>
        <details v-if="noWays.length">
          <summary>Not on this vehicle</summary>
          <p v-for="n in noWays" :key="n.name" class="quiet mb-1">
            <b>{{ n.label }}:</b> {{ n.why_not }}
          </p>
        </details>
      </section>
      <div v-if="shown && verdict" class="stack grow seen">
        <section class="panel">
          <div class="row head">
            <p class="verdict" data-test="verdict">
              <span class="sign" :class="fitOf(picked).kind" aria-hidden="true">{{ fitOf(picked).sign }}</span>
              <b>{{ verdict.headline }}.</b> {{ shown.way.does }}
            </p>
            <v-btn
              color="primary"
              :variant="verdict.does ? 'flat' : 'outlined'"
              :disabled="!bench.mayWrite || same"
              :loading="busy"
              data-test="keep-isolation"
              @click="keep"
              >{{ keepWords }}</v-btn
            >
          </div>
          <ProblemNotice :problem="keepProblem ?? conflict" />
          <div class="row bar">
            <v-btn-toggle
              v-model="situation"
              mandatory
              color="primary"
              variant="outlined"
              density="comfortable"
              aria-label="Engine and key"
            >
              <v-btn v-for="s in situations" :key="s.value" :value="s.value" size="small" :data-situation="s.value">{{ s.title }}</v-btn>
            </v-btn-toggle>
            <v-btn
              v-for="c in controls"
              :key="c.id"
              variant="outlined"
              class="control"
              :class="{ off: off.includes(c.label) }"
              :aria-pressed="!off.includes(c.label)"
              :data-control="c.id"
              @click="flip(c.label)"
              >{{ c.label }}: {{ off.includes(c.label) ? 'off' : 'on' }}</v-btn
            >
          </div>
          <template v-if="row">
            <p class="state" role="status" aria-live="polite" data-test="state">
              <b :class="{ runs: row.runs && row.off.length }">{{ doesWords(row) }}.</b>
              {{ row.lit.length }} of {{ shown.way.circuit.branches.length }} leads and joints live<template v-if="row.runs"
                >, {{ fixed(row.stud_v, 1) }} V at the alternator</template
              ><template v-else-if="row.situation !== 'cranking'">, the battery gives {{ fixed(row.drain_a, 2) }} A</template>.
            </p>
            <LiveLoop
              :circuit="shown.way.circuit"
              :layout="shown.loop"
              :row="row"
              :contacts="contacts"
              :sizes="sizes"
              @flip="flipContact"
            />
            <p class="quiet mb-0">Lit: more than 1 V against the alternator’s case. Tap a switch to flip it.</p>
          </template>
        </section>
        <section class="panel">
          <div class="row bar">
            <v-btn-toggle v-model="tab" mandatory color="primary" variant="outlined" density="comfortable" aria-label="What is shown">
              <v-btn value="rules" data-test="tab-rules">Why</v-btn>
              <v-btn value="table" data-test="tab-table">Every position</v-btn>
              <v-btn value="moves" data-test="tab-moves">What moves</v-btn>
              <v-btn value="owner" data-test="tab-owner">For the owner</v-btn>
              <v-btn value="proof" data-test="tab-proof">Live proof</v-btn>
            </v-btn-toggle>
          </div>
          <template v-if="tab === 'rules'">
            <ul class="rules">
              <li v-for="a in inOrder(verdict.answers)" :key="a.rule" :data-rule="a.rule" :data-outcome="a.outcome">
                <span class="sign" :class="a.outcome" :aria-label="a.outcome">{{ SIGNS[a.outcome] }}</span>
                <span class="grow">
                  <b>{{ a.label }}</b> <span class="quiet">{{ KINDS[a.kind] }}</span><br />{{ a.words }}
                  <i v-if="a.change">{{ a.change }}</i>
                </span>
                <v-btn v-if="a.row" size="small" variant="outlined" @click="show(a.row)">Show</v-btn>
              </li>
            </ul>
            <p class="quiet mb-0">{{ verdict.source }}</p>
            <p v-if="!shown.way.changes" class="mb-0">
              Where a switch is reached and what is on it is typed at the switch.
              <v-btn variant="outlined" data-test="to-switch" @click="toSwitch">To the switch</v-btn>
            </p>
          </template>
          <TruthTable v-else-if="tab === 'table'" :rows="shown.way.rows" :circuit="shown.way.circuit" :now="row" @show="show" />
          <template v-else-if="tab === 'moves'">
            <p v-if="!shown.way.moves.length" class="mb-1">Nothing moves: these are the switches as they are fitted.</p>
            <ul class="plain">
              <li v-for="m in shown.way.moves" :key="m">{{ m }}</li>
            </ul>
            <template v-if="shown.way.assumed.length">
              <h2 class="sleeve">Taken to be so</h2>
              <ul class="plain">
                <li v-for="a in shown.way.assumed" :key="a">{{ a }}</li>
              </ul>
            </template>
            <p v-if="same && bench.plan" class="mb-0">
              Leads and fuses are sized in the plan. <v-btn variant="outlined" @click="emit('go', 'plan')">To the plan</v-btn>
            </p>
          </template>
          <template v-else-if="tab === 'proof'">
            <LiveProof v-if="same" />
            <p v-else class="quiet mt-2 mb-0">Keep this way first: what it promises can then be tried on the vehicle.</p>
          </template>
          <template v-else>
            <ul class="plain" data-test="owner">
              <li v-for="o in verdict.owner" :key="o">{{ o }}</li>
            </ul>
            <v-btn v-if="same" variant="outlined" :href="`/api/jobs/${bench.jobId}/files/label.pdf`" target="_blank" data-test="print-label"
              >Print the label for the dash</v-btn
            >
            <p v-else class="quiet mb-0">Keep this way first: its label can then be printed.</p>
          </template>
        </section>
        <CautionStrip step="isolate" :job-id="bench.jobId" />
      </div>
      <section v-else-if="trying" class="panel grow waits" role="status" data-test="waits">
        <h2 class="sleeve">Every way is tried on this vehicle</h2>
        <p class="mb-1">
          Built into its circuit, each switch opened with the engine running, and held against what each purpose asks.
          {{ listed.length - trying }} of {{ listed.length }} are done; tap one to see it.
        </p>
        <CautionStrip step="isolate" :job-id="bench.jobId" />
      </section>
    </div>
  </div>
</template>

<style scoped>
.isolate {
  padding: 10px 16px 40px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
}
.head {
  align-items: flex-start;
  gap: 14px;
  margin-bottom: 8px;
}
.frame {
  display: flex;
  gap: 12px;
  align-items: flex-start;
}
.ways {
  flex: 0 0 292px;
  gap: 4px;
}
.seen {
  min-width: 0;
}
.way {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr);
  gap: 6px;
  text-align: left;
  padding: 7px 8px;
  min-height: 44px;
  border-left: 4px solid transparent;
}
.way.on {
  background: rgb(var(--v-theme-surface-variant));
  border-left-color: var(--copper);
}
.line {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
  font-size: 0.86rem;
}
.verdict .sign {
  margin-right: 8px;
}
.sign {
  font-weight: 700;
  font-size: 1.15rem;
  flex: 0 0 24px;
}
.met {
  color: var(--pass);
}
.broken {
  color: var(--fail);
}
.unknown {
  color: var(--close);
}
.bar {
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.bar :deep(.v-btn-toggle) {
  max-width: 100%;
  overflow-x: auto;
}
.control.off {
  border-style: dashed;
  border-width: 2px;
  border-color: var(--fail);
}
.state {
  margin: 8px 0 2px;
  font-size: 1.02rem;
}
.state .runs {
  color: var(--fail);
}
.verdict {
  margin: 0;
  flex: 1 1 320px;
}
.rules {
  margin-top: 8px;
  list-style: none;
  padding: 0;
  margin: 0;
}
.rules li {
  display: flex;
  gap: 8px;
  padding: 6px 0;
  border-top: 1px solid var(--line);
}
.plain {
  padding-left: 20px;
  margin: 8px 0;
}
@media (max-width: 1023px) {
  .frame {
    flex-direction: column;
    align-items: stretch;
  }
  .ways {
    flex-basis: auto;
  }
}
@media (max-width: 640px) {
  .head {
    flex-wrap: wrap;
  }
  .isolate {
    padding: 8px;
  }
  .panel {
    overflow-x: auto;
  }
}
</style>
