/** What may be chosen; asked once, it changes only with the program. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, data } from '@/api/client'

export function useCatalogue() {
  const query = useQuery({ queryKey: ['catalogue'], queryFn: () => data(client.GET('/api/catalogue')), staleTime: Infinity })
  const sizes = computed(() => Object.fromEntries((query.data.value?.sizes ?? []).map((s) => [s.label, s.area_mm2])))
  return { catalogue: query.data, sizes, problem: query.error }
}
