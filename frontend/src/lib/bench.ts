/** The bench tests of a job, as the core has them: what there is to test, what was said, which fault explains it. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { BranchVerdict, ProcedureRun, ProcedureView } from '@/api/types'
import { fixed } from './numbers'
import { useWorkbench } from './workbench'

export function useBench() {
  const bench = useWorkbench()
  const queries = useQueryClient()
  const key = ['bench', bench.jobId]
  const query = useQuery({
    queryKey: key,
    queryFn: () => data(client.GET('/api/jobs/{job_id}/bench', { params: { path: { job_id: bench.jobId } } })),
    enabled: computed(() => bench.asFound !== null),
    retry: false,
  })
  async function keep(run: ProcedureRun): Promise<void> {
    const circuit = bench.asFound
    if (!circuit) return
    await data(client.POST('/api/jobs/{job_id}/runs', { params: { path: { job_id: bench.jobId } }, body: { circuit_id: circuit.id, run } }))
    await queries.invalidateQueries({ queryKey: key })
    await bench.reload()
  }
  const problem = computed(() => (query.error.value instanceof ApiError ? query.error.value.problem : null))
  return { view: computed(() => query.data.value ?? null), problem, keep }
}

type Judgement = ProcedureView['judged'][number]
const GRAVITY: BranchVerdict[] = ['fail', 'too_close_to_call', 'pass']

/** The worst that is said of a procedure; null where nothing is. */
export function worst(judged: readonly Judgement[]): BranchVerdict | null {
  return GRAVITY.find((v) => judged.some((j) => j.verdict === v)) ?? null
}

/** A reading with its unit, as many digits as it deserves. */
export function shown(value: number, unit: string): string {
  if (unit === 'yes or no') return value > 0.5 ? 'yes' : 'no'
  const places = unit === 'A' ? (Math.abs(value) < 10 ? 2 : 0) : unit === '°C' ? 0 : 2
  return `${fixed(value, places)} ${unit}`
}
