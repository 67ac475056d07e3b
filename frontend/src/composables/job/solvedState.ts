/** A state that is tried out instead of the readings, and the circuit solved at it; null for none. */
import { ref, shallowRef } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Circuit, ProblemDocument, SolvedDraft, State } from '@/api/types'
import type { CircuitDraft } from './circuitDraft'
import type { JobOnBench } from './job'

export function useSolvedState(on: JobOnBench, drawn: CircuitDraft) {
  const state = shallowRef<Partial<State> | null>(null)
  const solved = shallowRef<SolvedDraft | null>(null)
  const solvedCircuit = shallowRef<Circuit | null>(null)
  const stateProblem = ref<ProblemDocument | null>(null)
  let solving = false

  /** One request at a time: while one is under way the newest state waits, and those between are skipped. */
  async function solve(): Promise<void> {
    if (solving) return
    solving = true
    while (state.value && drawn.circuit.value) {
      const [asked, now] = [state.value, drawn.circuit.value]
      try {
        const body = { circuit: now, state: asked as State, limit_profile: on.job.value?.limit_profile ?? 'common' }
        const answer = await data(client.POST('/api/solve', { body }))
        if (state.value) {
          solved.value = answer
          solvedCircuit.value = now
        }
        stateProblem.value = null
      } catch (error) {
        if (!(error instanceof ApiError)) throw error
        stateProblem.value = error.problem
      }
      if (asked === state.value) break
    }
    solving = false
  }
  function tryState(next: Partial<State> | null): void {
    state.value = next
    if (next) void solve()
    else {
      solved.value = null
      stateProblem.value = null
    }
  }
  return { solved, solvedCircuit, stateProblem, tryState }
}
