/** The tests of a job, as the core has them: what there is to test, and what was said of what was read. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { BranchVerdict, Judgement } from '@/api/types'
import { useWorkbench } from '@/composables/workbench'

export function useBench() {
  const bench = useWorkbench()
  const query = useQuery({
    queryKey: ['bench', bench.jobId],
    queryFn: () => data(client.GET('/api/jobs/{job_id}/bench', { params: { path: { job_id: bench.jobId } } })),
    enabled: computed(() => bench.asFound !== null),
    retry: false,
  })
  const problem = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
  /** What was found of a procedure. */
  const madeOf = (name: string) => bench.keptFindings?.tests.find((t) => t.procedure === name)
  return { view: computed(() => query.data.value ?? null), problem, madeOf }
}

const GRAVITY: BranchVerdict[] = ['fail', 'too_close_to_call', 'pass']

/** The worst that is said of a procedure; null where nothing is. */
export function worst(judged: readonly Judgement[]): BranchVerdict | null {
  return GRAVITY.find((v) => judged.some((j) => j.verdict === v)) ?? null
}
