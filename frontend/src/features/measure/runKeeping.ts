/** Keeping a run: what the draft holds goes to the server, and a lost race leaves both in hand. */
import { draftOf, inputOf, keepRun, type RunDraft } from '@/composables/job/readingsDraft'
import type { RunRecord } from '@/api/types'
import { useSaving } from '@/composables/saving'
import { useWorkbench } from '@/composables/workbench'

interface Readings {
  draft: RunDraft
  take: (from: RunDraft) => void
}

/** `circuitId`: of the version that it is made on; left out, the one as found. */
export function useRunKeeping(procedure: string, readings: Readings, circuitId?: number) {
  const bench = useWorkbench()
  const { busy, problem, conflict, save, says } = useSaving()

  /**
   * Keeps what was read, or that the test was skipped and why; null where it did not go through.
   * `asNew`: as a run of its own, which corrects none.
   */
  async function keep({ skipped = '', asNew = false } = {}): Promise<RunRecord | null> {
    const run = inputOf(procedure, asNew ? { ...readings.draft, supersedes: null } : readings.draft, skipped)
    let kept: RunRecord | null = null
    await save(async () => {
      kept = await keepRun(bench, run, circuitId ?? bench.asFound?.id)
    })
    return kept
  }
  async function takeTheirs(): Promise<void> {
    const record = conflict.value?.theirs as unknown as RunRecord
    conflict.value = null
    await bench.reload(() => readings.take(draftOf(record)))
  }
  return { busy, problem, conflict, says, keep, takeTheirs }
}
