/** Long work that the server does beside answering: what runs, how far it is, what came of it. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, toValue, watch, type MaybeRefOrGetter } from 'vue'
import { client, data } from '@/api/client'
import type { TaskRecord } from '@/api/types'

const KEY = ['tasks']
const LOOK_MS = 700

export const unfinished = (task: TaskRecord) => task.state === 'waiting' || task.state === 'running'

/** The list, looked at again while something runs. */
export function useTasks(enabled: MaybeRefOrGetter<boolean> = true) {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: KEY,
    queryFn: () => data(client.GET('/api/tasks')),
    enabled: () => toValue(enabled),
    refetchInterval: (q) => (q.state.data?.tasks.some(unfinished) ? LOOK_MS : false),
  })
  const tasks = computed<TaskRecord[]>(() => query.data.value?.tasks ?? [])
  const running = computed(() => tasks.value.filter(unfinished).length)
  return { tasks, running, query, refresh: () => queries.invalidateQueries({ queryKey: KEY }) }
}

/** Does something when a task that was seen unfinished has ended. */
export function whenEnded(tasks: MaybeRefOrGetter<TaskRecord[]>, then: (ended: TaskRecord[]) => void): void {
  watch(
    () => toValue(tasks),
    (now, before) => {
      const open = new Set(before.filter(unfinished).map((t) => t.id))
      const ended = now.filter((t) => open.has(t.id) && !unfinished(t))
      if (ended.length) then(ended)
    },
  )
}
