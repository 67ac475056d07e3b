<script setup lang="ts">
/** One job on the bench: its path above, its loop and staircase beside the stage that is worked on. */
import { computed, defineAsyncComponent, h, ref, type Component } from 'vue'
import { useRouter } from 'vue-router'
import { ApiError, client, data } from '@/api/client'
import type { JobInput, StageName } from '@/api/types'
import { dropDraft } from '@/composables/drafts'
import { useKeys } from '@/composables/keys'
import { useSaving } from '@/composables/saving'
import { provideWorkbench } from '@/composables/workbench'
import CircuitStage from '@/features/circuit/CircuitStage.vue'
import FindingsStage from '@/features/findings/FindingsStage.vue'
import MeasureStage from '@/features/measure/MeasureStage.vue'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import { day } from '@/ui/dates'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import UnopenedPage from '@/ui/UnopenedPage.vue'
import JobForm from './JobForm.vue'
import PathRail from './PathRail.vue'
import PlannedAt from './PlannedAt.vue'
import ShelfMenu from './ShelfMenu.vue'
import ShelfStrip from './ShelfStrip.vue'

const props = defineProps<{ id: string; stage?: string }>()
const router = useRouter()
const bench = provideWorkbench(Number(props.id))
/** One whose files are fetched when it is first looked at. */
const fetched = (loader: () => Promise<Component>) =>
  defineAsyncComponent({
    loader,
    errorComponent: () => h(UnopenedPage, { address: location.pathname }),
    onError: (_error, _retry, fail) => {
      void client.GET('/api/health').catch(() => undefined)
      fail()
    },
  })
/** A stage of the core's registry is shown once it has its folder here. */
const STAGES = {
  circuit: CircuitStage,
  measure: MeasureStage,
  findings: FindingsStage,
  plan: fetched(() => import('@/features/plan/PlanStage.vue')),
  isolate: fetched(() => import('@/features/isolate/IsolateStage.vue')),
  build: fetched(() => import('@/features/build/BuildStage.vue')),
  hand_over: fetched(() => import('@/features/hand_over/HandOverStage.vue')),
} as const
const KNOWN = Object.keys(STAGES)
const current = computed(() => {
  const wished = [props.stage, bench.job?.progress.next_stage].find((s) => s && KNOWN.includes(s))
  return (wished ?? 'circuit') as keyof typeof STAGES
})
const path = computed(() => (bench.job?.progress.stages ?? []).filter((s) => s.on_path && KNOWN.includes(s.stage)))
const trouble = computed(() => (bench.query.error instanceof ApiError ? bench.query.error.problem : null))

function go(stage: StageName): void {
  void router.push({ name: 'job', params: { id: props.id, stage } })
}
useKeys(
  Array.from({ length: 9 }, (_, k) => ({
    key: String(k + 1),
    label: k === 0 ? 'to a stage of the path, by its number' : '',
    run: () => path.value[k] && go(path.value[k].stage),
  })),
)

const editing = ref(false)
const { busy, problem, conflict, save: saving } = useSaving()
const mine = ref<JobInput | null>(null)
/** All that was entered: what the form does not show goes back as it came. */
const start = computed<JobInput | null>(() => {
  const job = bench.job
  return (
    job && {
      customer: job.customer,
      vehicle: job.vehicle,
      complaint: job.complaint,
      purposes: job.purposes,
      added_stages: job.added_stages,
      loads_to_add: job.loads_to_add,
      promised: job.promised,
      state: job.state,
      limit_profile: job.limit_profile,
      maker_limits: job.maker_limits,
    }
  )
})
const lock = ref(0)
function openDetails(): void {
  lock.value = bench.job?.lock ?? 0
  editing.value = true
}
const draftKey = computed(() => `${props.id}:details`)
useKeys([{ key: 'e', label: 'job details', run: () => bench.mayWrite && openDetails() }])

async function put(input: JobInput): Promise<void> {
  await data(client.PUT('/api/jobs/{job_id}', { params: { path: { job_id: Number(props.id) } }, body: { ...input, lock: lock.value } }))
}
async function save(input: JobInput): Promise<void> {
  mine.value = input
  if (!(await saving(() => put(input)))) return
  dropDraft(draftKey.value)
  editing.value = false
  await bench.reload()
}
async function addStage(stage: StageName): Promise<void> {
  if (!start.value || !bench.job) return
  lock.value = bench.job.lock
  await save({ ...start.value, added_stages: [...(start.value.added_stages ?? []), stage] })
  go(stage)
}
interface Theirs {
  lock: number
  complaint: string
  promised: string | null
  customer: { name: string }
  vehicle: { description: string }
}
const theirs = computed(() => conflict.value?.theirs as Theirs | undefined)
async function overTheirs(): Promise<void> {
  // Theirs is kept inside the complaint, so that neither is lost.
  if (!mine.value || !theirs.value) return
  lock.value = theirs.value.lock
  const other = theirs.value.complaint
  const complaint = mine.value.complaint.includes(other) ? mine.value.complaint : `${mine.value.complaint}\n(also noted: ${other})`
  await save({ ...mine.value, complaint })
}
async function takeTheirs(): Promise<void> {
  conflict.value = null
  dropDraft(draftKey.value)
  editing.value = false
  await bench.reload()
}
</script>

<template>
  <div class="job">
    <!-- A refetch that fails says so above; what is worked on below stays as it is. -->
    <ProblemNotice v-if="trouble" class="ma-4" :problem="trouble" :again="() => void bench.query.refetch()" />
    <v-progress-linear v-else-if="!bench.job" indeterminate aria-label="Loading the job" />
    <template v-if="bench.job">
      <div class="head">
        <b class="mono number">{{ bench.job.number }}</b>
        <span
          ><b>{{ bench.job.customer.name }}</b> · {{ bench.job.vehicle.description }} · {{ bench.job.vehicle.system_voltage_v }} V</span
        >
        <span class="complaint quiet">{{ bench.job.complaint }}</span>
        <PlannedAt :planned="bench.job.planned" />
        <v-btn v-if="bench.mayWrite" variant="outlined" size="small" data-test="details" @click="openDetails">Job details</v-btn>
        <ShelfMenu />
      </div>
      <ShelfStrip />
      <PathRail :progress="bench.job.progress" :current="current" :known="KNOWN" :may-add="bench.mayWrite" @go="go" @add="addStage" />
      <p v-if="bench.job.being_judged" class="restored" role="status" data-test="being-judged">
        What these readings add up to is being worked out: so large a circuit takes a moment. All that was read is kept.
      </p>
      <p v-if="bench.restored" class="restored" role="status">
        What you had typed and not saved is back on this screen.
        <v-btn size="small" variant="text" @click="bench.restored = false">Good</v-btn>
      </p>
      <component :is="STAGES[current]" @go="go" />
    </template>
    <v-dialog v-model="editing" persistent>
      <JobForm
        v-if="editing"
        :start="start"
        :problem="problem"
        :busy="busy"
        :voltage-fixed="bench.asFound !== null"
        :draft-key="draftKey"
        @save="save"
        @cancel="editing = false"
      />
    </v-dialog>
    <ConflictDialog
      :problem="conflict"
      both="Save mine, keep their complaint in it"
      theirs="Take theirs"
      @keep-both="overTheirs"
      @take-theirs="takeTheirs"
      @later="conflict = null"
    >
      <p v-if="theirs" class="mt-2 quiet">
        Theirs: {{ theirs.customer.name }}, {{ theirs.vehicle.description }}: “{{ theirs.complaint }}”, promised
        {{ theirs.promised ? day(theirs.promised) : '–' }}
      </p>
    </ConflictDialog>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 0 16px 4px;
  margin-top: -4px;
  flex-wrap: wrap;
}
.number {
  font-size: 1.1rem;
}
.complaint {
  flex: 1 1 0;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  min-width: 0;
}
@media (max-width: 640px) {
  .head {
    gap: 0 10px;
    padding: 0 10px 6px;
  }
  .head > :nth-child(2) {
    order: 1;
    flex: 1 1 100%;
  }
  .complaint {
    flex-basis: 60px;
  }
}
.restored {
  margin: 8px 16px 0;
  padding: 4px 12px;
  border-left: 6px solid var(--close);
  background: rgb(var(--v-theme-surface));
}
</style>
