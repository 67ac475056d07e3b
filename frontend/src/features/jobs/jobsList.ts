/** Which jobs are listed: search, filters and order stand in the address, so that going back finds the list as it was left. */
import { keepPreviousData, useInfiniteQuery } from '@tanstack/vue-query'
import { useDebounceFn } from '@vueuse/core'
import { computed, reactive, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { client, data } from '@/api/client'
import type { JobsQuery } from '@/api/types'

const TYPED_MS = 150
export type Filters = Partial<Pick<JobsQuery, 'state' | 'purpose' | 'due' | 'vehicle_kind' | 'who' | 'shelf' | 'order'>> & {
  search: string
}
const NARROWING = ['purpose', 'due', 'vehicle_kind', 'who', 'shelf', 'order'] as const

/** Filters as an address has them; what the server does not know it refuses itself. */
function fromAddress(query: Record<string, unknown>): Filters {
  const text = (name: string) => (typeof query[name] === 'string' ? query[name] : undefined)
  return {
    search: text('search') ?? '',
    ...Object.fromEntries(['state', ...NARROWING].flatMap((n) => (text(n) ? [[n, n === 'who' ? Number(text(n)) : text(n)]] : []))),
  }
}

export function useJobsList() {
  const router = useRouter()
  const filters = reactive<Filters>(fromAddress(useRoute().query))
  const criteria = reactive<{ now: Filters }>({ now: { ...filters } })
  const settle = useDebounceFn(() => {
    criteria.now = Object.fromEntries(Object.entries(filters).filter(([, v]) => v !== null && v !== undefined)) as Filters
    const address = Object.fromEntries(Object.entries(criteria.now).flatMap(([n, v]) => (v === '' ? [] : [[n, String(v)]])))
    void router.replace({ query: address })
  }, TYPED_MS)
  watch(filters, settle)

  const query = useInfiniteQuery({
    queryKey: ['jobs', computed(() => criteria.now)],
    queryFn: ({ pageParam }) => data(client.GET('/api/jobs', { params: { query: { ...criteria.now, after: pageParam } } })),
    initialPageParam: '',
    getNextPageParam: (last) => last.next || undefined,
    placeholderData: keepPreviousData,
  })
  const pages = computed(() => query.data.value?.pages ?? [])
  return {
    filters,
    /** What the list on the screen was asked with. */
    criteria: computed(() => criteria.now),
    query,
    jobs: computed(() => pages.value.flatMap((page) => page.jobs)),
    total: computed(() => pages.value.at(-1)?.total ?? 0),
    narrowed: computed(() => NARROWING.filter((n) => filters[n] !== undefined && filters[n] !== null).length),
    more: () => {
      if (query.hasNextPage.value && !query.isFetchingNextPage.value) void query.fetchNextPage()
    },
    clear: () => {
      for (const name of NARROWING) filters[name] = undefined
    },
  }
}
