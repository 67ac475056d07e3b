<script setup lang="ts">
/** One job on the bench: its path above, its loop and staircase beside the stage that is worked on. */
import { computed, defineAsyncComponent, ref } from 'vue'
import { onBeforeRouteLeave, useRouter } from 'vue-router'
import { ApiError, client, data } from '@/api/client'
import type { JobInput, ProblemDocument, StageName } from '@/api/types'
import JobForm from '@/components/JobForm.vue'
import ConflictDialog from '@/components/ConflictDialog.vue'
import PathRail from '@/components/PathRail.vue'
import ProblemNotice from '@/components/ProblemNotice.vue'
import { dropDraft } from '@/lib/drafts'
import { useKeys } from '@/lib/keys'
import { useSession } from '@/lib/session'
import { provideWorkbench } from '@/lib/workbench'
import CircuitStage from '@/stages/circuit/CircuitStage.vue'
import MeasureStage from '@/stages/measure/MeasureStage.vue'
import ReadStage from '@/stages/read/ReadStage.vue'

const props = defineProps<{ id: string; stage?: string }>()
const router = useRouter()
const session = useSession()
const bench = provideWorkbench(Number(props.id))
const STAGES = {
  circuit: CircuitStage,
  measure: MeasureStage,
  read: ReadStage,
  propose: defineAsyncComponent(() => import('@/stages/propose/ProposeStage.vue')),
  sheet: defineAsyncComponent(() => import('@/stages/sheet/SheetStage.vue')),
}
const ORDER: StageName[] = ['circuit', 'measure', 'read', 'propose', 'sheet']
const current = computed<StageName>(() => (ORDER.includes(props.stage as StageName) ? (props.stage as StageName) : (bench.job?.progress.next_stage ?? 'circuit')))
const trouble = computed(() => (bench.query.error instanceof ApiError ? bench.query.error.problem : null))

function go(stage: StageName): void {
  void router.push({ name: 'job', params: { id: props.id, stage } })
}
useKeys(ORDER.map((stage, k) => ({ key: String(k + 1), label: `stage ${stage}`, run: () => go(stage) })))

onBeforeRouteLeave(() => true) // drafts are kept on this machine, so leaving loses nothing

const editing = ref(false)
const busy = ref(false)
const problem = ref<ProblemDocument | null>(null)
const conflict = ref<ProblemDocument | null>(null)
const mine = ref<JobInput | null>(null)
const start = computed<JobInput | null>(() => {
  const job = bench.job
  return job && { customer: job.customer, vehicle: job.vehicle, complaint: job.complaint, loads_to_add: job.loads_to_add, promised: job.promised, state: job.state, limit_profile: job.limit_profile }
})
const lock = ref(0)
function openParticulars(): void {
  lock.value = bench.job?.lock ?? 0
  editing.value = true
}
const draftKey = computed(() => `${props.id}:particulars`)
useKeys([{ key: 'e', label: "the job's particulars", run: () => session.mayWrite && openParticulars() }])

async function save(input: JobInput): Promise<void> {
  busy.value = true
  problem.value = null
  mine.value = input
  try {
    await data(client.PUT('/api/jobs/{job_id}', { params: { path: { job_id: Number(props.id) } }, body: { ...input, lock: lock.value } }))
    dropDraft(draftKey.value)
    editing.value = false
    conflict.value = null
    await bench.reload()
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    if (error.status === 409) conflict.value = error.problem
    else problem.value = error.problem
  } finally {
    busy.value = false
  }
}
interface Theirs { lock: number; complaint: string; promised: string | null; customer: { name: string }; vehicle: { description: string } }
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
    <ProblemNotice v-if="trouble" class="ma-4" :problem="trouble" :again="() => void bench.query.refetch()" />
    <v-progress-linear v-else-if="!bench.job" indeterminate aria-label="Loading the job" />
    <template v-else>
      <div class="head">
        <b class="mono number">{{ bench.job.number }}</b>
        <span><b>{{ bench.job.customer.name }}</b> · {{ bench.job.vehicle.description }} · {{ bench.job.vehicle.system_voltage_v }} V</span>
        <span class="complaint quiet">{{ bench.job.complaint }}</span>
        <v-btn v-if="session.mayWrite" variant="outlined" size="small" @click="openParticulars">Particulars</v-btn>
      </div>
      <PathRail :progress="bench.job.progress" :current="current" @go="go" />
      <p v-if="bench.restored" class="restored" role="status">
        What you had typed and not saved is back on this screen.
        <v-btn size="small" variant="text" @click="bench.restored = false">Good</v-btn>
      </p>
      <component :is="STAGES[current]" @go="go" />
    </template>
    <v-dialog v-model="editing" persistent>
      <JobForm v-if="editing" :start="start" :problem="problem" :busy="busy" :voltage-fixed="bench.asFound !== null" :draft-key="draftKey" @save="save" @cancel="editing = false" />
    </v-dialog>
    <ConflictDialog
      :problem="conflict" both="Save mine, keep their complaint in it" theirs="Take theirs" mine-hint="" @keep-both="overTheirs" @take-theirs="takeTheirs" @later="conflict = null"
    >
      <p v-if="theirs" class="mt-2 quiet">Theirs: {{ theirs.customer.name }}, {{ theirs.vehicle.description }}: “{{ theirs.complaint }}”, promised {{ theirs.promised ?? '–' }}</p>
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
  flex: 1 1 200px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  min-width: 0;
}
.restored {
  margin: 8px 16px 0;
  padding: 4px 12px;
  border-left: 6px solid var(--close);
  background: rgb(var(--v-theme-surface));
}
</style>
