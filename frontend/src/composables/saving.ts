/** One way of saving: busy meanwhile, what is wrong at its place, and a conflict that loses nothing. */
import { ref } from 'vue'
import { ApiError } from '@/api/client'
import type { ProblemDocument } from '@/api/types'

export function useSaving() {
  const busy = ref(false)
  const problem = ref<ProblemDocument | null>(null)
  const conflict = ref<ProblemDocument | null>(null)

  /** Runs a save; returns whether it went through. What the server refuses stands in `problem`, a lost race in `conflict`. */
  async function save(work: () => Promise<unknown>): Promise<boolean> {
    if (busy.value) return false
    busy.value = true
    problem.value = null
    try {
      await work()
      conflict.value = null
      return true
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      if (error.status === 409 && error.problem.theirs) conflict.value = error.problem
      else problem.value = error.problem
      return false
    } finally {
      busy.value = false
    }
  }

  /** What the server says of one place. */
  const says = (element: string): string => problem.value?.problems?.find((p) => p.element === element)?.message ?? ''

  return { busy, problem, conflict, save, says }
}
