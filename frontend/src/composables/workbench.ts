/** One job on the bench: what is kept, what is typed but not saved, and what the core finds in it. */
import { computed, inject, provide, reactive, type InjectionKey } from 'vue'
import { useSession } from './session'
import { useCircuitDraft } from './job/circuitDraft'
import { useFindings } from './job/findings'
import { useJob } from './job/job'
import { useReadingsDraft } from './job/readingsDraft'
import { useSolvedState } from './job/solvedState'

function makeWorkbench(jobId: number) {
  const job = useJob(jobId)
  const circuit = useCircuitDraft(job)
  const readings = useReadingsDraft(job)
  if (readings.dirty) circuit.restored.value = true
  const findings = useFindings(job, circuit, readings)
  const solved = useSolvedState(job, circuit)
  const session = useSession()
  /** Why nothing of the job can be changed; empty: it can. */
  const closed = computed(() => job.job.value?.closed ?? '')
  const mayWrite = computed(() => session.mayWrite && !closed.value)
  return reactive({ closed, mayWrite, ...job, ...circuit, ...findings, ...solved, readings, restored: circuit.restored })
}

export type Workbench = ReturnType<typeof makeWorkbench>
const KEY: InjectionKey<Workbench> = Symbol('workbench')

export function provideWorkbench(jobId: number): Workbench {
  const bench = makeWorkbench(jobId)
  provide(KEY, bench)
  return bench
}

export function useWorkbench(): Workbench {
  const bench = inject(KEY)
  if (!bench) throw new Error('No job is on the bench here')
  return bench
}
