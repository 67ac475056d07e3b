/** One list that the workshop keeps for all its jobs: as kept, as typed over it, kept again from the revision it was edited from. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { dropDraft, findDraft, hasFields, keepDraft } from './drafts'

interface Listed<D> {
  revision: number
  document: D
}

export function useWorkshopList<D, R extends Listed<D>>(
  name: string,
  get: () => Promise<R>,
  put: (document: D, revision: number) => Promise<R>,
) {
  const queries = useQueryClient()
  const kept = useQuery({ queryKey: [name], queryFn: get })
  const draft = `list-${name}`
  const typed = ref(findDraft<Listed<D>>(draft, hasFields('document', 'revision'))) as { value: Listed<D> | null }
  watch(
    () => typed.value,
    (now) => (now ? keepDraft(draft, now) : dropDraft(draft)),
    { deep: true },
  )
  const record = computed(() => (kept.data.value as R | undefined) ?? null)
  /** As it stands on the screen; null: not there yet. */
  const document = computed<D | null>(() => typed.value?.document ?? record.value?.document ?? null)
  const changed = computed(() => typed.value !== null)

  /** Before the list is there nothing can be changed in it: what is kept is the whole of it. */
  function change(now: D): void {
    if (record.value) typed.value = { document: now, revision: typed.value?.revision ?? record.value.revision }
  }
  async function keep(): Promise<void> {
    if (!typed.value) return
    const made = await put(typed.value.document, typed.value.revision)
    queries.setQueryData([name], made)
    typed.value = null
  }
  /** What is typed goes over what somebody else has kept meanwhile. */
  async function over(): Promise<void> {
    const now = (await kept.refetch()).data as R | undefined
    if (typed.value && now) typed.value = { ...typed.value, revision: now.revision }
  }
  function drop(): void {
    typed.value = null
  }
  async function theirs(): Promise<void> {
    drop()
    await kept.refetch()
  }
  return { record, document, changed, error: kept.error, refetch: kept.refetch, change, keep, over, drop, theirs }
}
