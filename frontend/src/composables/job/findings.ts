/** What the core finds in the job: of what is kept, and, while something is typed, of what stands on this screen. */
import { useTimeoutFn } from '@vueuse/core'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, shallowRef, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Circuit, FindingsView, ProblemDocument, ProblemItem } from '@/api/types'
import type { CircuitDraft } from './circuitDraft'
import type { JobOnBench } from './job'
import { inputOf, type ReadingsDraft } from './readingsDraft'

const REDRAW_MS = 30

export function useFindings(on: JobOnBench, drawn: CircuitDraft, readings: ReadingsDraft) {
  const judged = shallowRef<FindingsView | null>(null)
  /** The circuit that `judged` is of: drawn together, or the drawing would mix two states. */
  const judgedCircuit = shallowRef<Circuit | null>(null)
  const problems = ref<ProblemItem[]>([])
  const trouble = ref<ProblemDocument | null>(null)
  const drafting = computed(() => drawn.circuitDirty.value || readings.dirty)

  const kept = useQuery({
    queryKey: ['findings', on.jobId],
    queryFn: () => data(client.GET('/api/jobs/{job_id}/findings', { params: { path: { job_id: on.jobId } } })),
    enabled: computed(() => on.asFound.value !== null),
    retry: false,
  })
  /** What is found of the job as it is kept: with the reading that would tell most next. */
  const keptFindings = computed(() => kept.data.value?.findings ?? null)

  function say(error: unknown): void {
    if (!(error instanceof ApiError)) throw error
    if (error.status === 422 && error.problem.problems?.length) {
      problems.value = error.problem.problems ?? []
      trouble.value = null
    } else trouble.value = error.problem
  }

  const soon = useTimeoutFn(() => void ask(), REDRAW_MS, { immediate: false })
  let latest = 0
  async function ask(): Promise<void> {
    const circuit = drawn.circuit.value
    if (!circuit) {
      judged.value = null
      return
    }
    const number = ++latest
    try {
      const run = readings.dirty ? inputOf('charging_drops', readings.draft) : null
      const answer = await data(
        client.POST('/api/jobs/{job_id}/findings/draft', { params: { path: { job_id: on.jobId } }, body: { circuit, run, details: null } }),
      )
      if (number !== latest) return
      judged.value = answer as FindingsView
      judgedCircuit.value = circuit
      problems.value = []
      trouble.value = null
    } catch (error) {
      if (number === latest) say(error)
    }
  }

  watch(
    [drawn.circuit, () => JSON.stringify(readings.draft), drafting, kept.data, kept.error, kept.isFetching, on.reloading],
    () => {
      soon.stop()
      if (drafting.value || !on.asFound.value) {
        soon.start()
        return
      }
      latest++
      // Drawn on a circuit that has just been saved, what was judged before would be of another one for a moment.
      if (on.reloading.value || kept.isFetching.value) return
      if (kept.error.value) {
        say(kept.error.value)
        // What has no operating point can still be drawn once the screen asks with what it has.
        if (!judged.value) soon.start()
      } else if (kept.data.value) {
        judged.value = kept.data.value as FindingsView
        judgedCircuit.value = drawn.circuit.value
        problems.value = []
        trouble.value = null
      }
    },
    { immediate: true },
  )
  return { judged, judgedCircuit, keptFindings, problems, trouble, drafting, ask }
}
