/** The job as it is kept, with the records that count now. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { client, data } from '@/api/client'
import type { CircuitRecord, JobRecord, StageName } from '@/api/types'

/** So often a job whose readings are judged in the queue is asked for. */
const JUDGED_EVERY_MS = 3000

export function useJob(jobId: number) {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: ['job', jobId],
    queryFn: () => data(client.GET('/api/jobs/{job_id}', { params: { path: { job_id: jobId } } })),
    refetchInterval: (query) => (query.state.data?.being_judged ? JUDGED_EVERY_MS : false),
  })
  const job = computed<JobRecord | null>(() => query.data.value ?? null)
  const latest = (role: CircuitRecord['role']) => computed(() => job.value?.circuits.filter((c) => c.role === role).at(-1) ?? null)
  const asFound = latest('as_found')
  const planned = latest('proposal')
  /** The plan that the planned circuit belongs to. */
  const plan = computed(
    () => job.value?.documents.filter((d) => d.kind === 'plan').findLast((d) => d.circuit_id === planned.value?.id) ?? null,
  )
  /** The branch that is looked at. */
  const selected = ref<string | null>(null)

  /** Whether the job is being asked for anew after a change: what was found before it may be of another circuit. */
  const reloading = ref(false)
  /** Asks anew for all that a change may have moved; `change` is what moves on this screen at the same moment. */
  async function reload(change?: () => void): Promise<void> {
    reloading.value = true
    change?.()
    try {
      for (const key of ['job', 'bench', 'findings']) await queries.invalidateQueries({ queryKey: [key, jobId] })
    } finally {
      reloading.value = false
    }
    await queries.invalidateQueries({ queryKey: ['jobs'] })
  }
  watch(
    () => job.value?.being_judged,
    (now, before) => {
      if (before && !now) void reload()
    },
  )
  const hasDisconnect = computed(() => job.value?.documents.some((d) => d.kind === 'isolation') ?? false)
  /** The stage that the path leads to from another one: what it says is next, or the end. */
  const after = (stage: StageName) => {
    const path = job.value?.progress
    const next = path?.stages.find((s) => s.stage === path.next_stage && s.stage !== stage)
    return next ?? path?.stages.find((s) => s.stage === 'hand_over') ?? null
  }
  return { jobId, query, job, asFound, planned, plan, hasDisconnect, after, selected, reloading, reload }
}

export type JobOnBench = ReturnType<typeof useJob>
