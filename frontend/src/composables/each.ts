/** Several answers of one kind, each asked for by itself and a few at a time: the first can be read before the last is worked out. */
import { useQueries, useQueryClient, type QueryKey } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { ApiError } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import { limited } from './limited'

/** As many as the server works on at once: more would wait there, and with them what somebody else asks. */
const oneByOne = limited(2)

export function useEach<T>(
  names: Readonly<Ref<readonly string[]>>,
  /** What each answer hangs on beside its name, the kind of question first. */
  on: Readonly<Ref<QueryKey>>,
  /** What is asked is settled at once, whenever its turn comes. */
  ask: (name: string) => (signal: AbortSignal) => Promise<T>,
): {
  /** By name. */
  results: Readonly<Ref<Readonly<Record<string, T>>>>
  /** How many are still being worked out. */
  waiting: Readonly<Ref<number>>
  problem: Readonly<Ref<ProblemDocument | null>>
  again: () => Promise<void>
} {
  const queries = useQueryClient()
  const sent = useQueries({
    queries: computed(() =>
      names.value.map((name) => {
        const asking = ask(name)
        return {
          queryKey: [...on.value, name],
          queryFn: ({ signal }: { signal: AbortSignal }) => oneByOne(() => asking(signal), signal),
        }
      }),
    ),
  })
  return {
    results: computed(() =>
      Object.fromEntries(names.value.flatMap((name, k) => (sent.value[k]?.data === undefined ? [] : [[name, sent.value[k].data as T]]))),
    ),
    waiting: computed(() => sent.value.filter((q) => q.data === undefined && !q.isError).length),
    problem: computed(() => {
      const error = sent.value.find((q) => q.isError)?.error
      return error instanceof ApiError ? error.problem : null
    }),
    again: () => queries.invalidateQueries({ queryKey: on.value }),
  }
}
