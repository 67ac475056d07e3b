/** The ways to put a disconnect in, each asked for by itself: each is solved in every position, and the first can be read before the last is done. */
import { useQueries, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { IsolationView, ProblemDocument, WayShown } from '@/api/types'
import { limited } from '@/composables/limited'

/** As many as the server works on at once: more would wait there, and with them what somebody else asks. */
const oneByOne = limited(2)

/** Names of the ways that have a place in the circuit, what was decided on first. */
export function inTurn(view: Pick<IsolationView, 'ways' | 'kept'> | null): string[] {
  const here = (view?.ways ?? []).filter((w) => !w.why_not).map((w) => w.name)
  const kept = view?.kept?.way
  return kept && here.includes(kept) ? [kept, ...here.filter((n) => n !== kept)] : here
}

export function useWays(
  at: Readonly<Ref<readonly [number, number | undefined, number | undefined]>>,
  view: Readonly<Ref<IsolationView | null>>,
): {
  tried: Readonly<Ref<Record<string, WayShown>>>
  trying: Readonly<Ref<number>>
  problem: Readonly<Ref<ProblemDocument | null>>
  again: () => Promise<void>
} {
  const queries = useQueryClient()
  const asked = useQueries({
    queries: computed(() =>
      inTurn(view.value).map((name) => ({
        queryKey: ['isolation-way', ...at.value, name],
        queryFn: ({ signal }: { signal: AbortSignal }) =>
          oneByOne(async () => {
            const path = { job_id: at.value[0], name }
            return (await data(client.GET('/api/jobs/{job_id}/isolation/ways/{name}', { params: { path }, signal }))) as WayShown
          }, signal),
      })),
    ),
  })
  return {
    tried: computed(() => Object.fromEntries(asked.value.flatMap((q) => (q.data ? [[q.data.way.topology, q.data]] : [])))),
    trying: computed(() => asked.value.filter((q) => !q.data && !q.isError).length),
    problem: computed(() => {
      const error = asked.value.find((q) => q.isError)?.error
      return error instanceof ApiError ? error.problem : null
    }),
    again: () => queries.invalidateQueries({ queryKey: ['isolation-way', at.value[0]] }),
  }
}
