/**
 * A document of a job that is filled in: begun as it was kept last, or as a draft has it; looked at while it is typed; kept as the next,
 * unless somebody else was first.
 */
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, onScopeDispose, ref, watch, type Ref } from 'vue'
import { ApiError, reached } from '@/api/client'
import { dropDraft, findDraft, keepDraft } from './drafts'
import { useFollowing } from './following'
import { sendPhotos, waitsForPhoto, whenNamed, withoutRefused, withRefused } from './heldPhotos'
import { letWait, takeBack, waiting, whenSent } from './outbox'
import { useSaving } from './saving'

export interface KeptDocument<D> {
  revision: number
  document: D
}

export interface Asking<D, F> {
  /** Of its queries, and of the draft with the job's number before it. */
  name: string
  jobId: () => number
  /** What the kept one hangs on beside the job; what the preview hangs on beside that. */
  hangsOn?: () => readonly unknown[]
  previewHangsOn?: () => readonly unknown[]
  enabled?: () => boolean
  fetch: () => Promise<KeptDocument<D>>
  preview: (body: D) => Promise<unknown>
  post: (body: D, revision: number | null) => Promise<KeptDocument<D>>
  /** Where it is posted to, of one that waits on this machine where the server does not answer. */
  waitsFor?: (revision: number | null) => string
  /** Whether a draft is one of these. */
  isForm: (value: unknown) => boolean
  toForm: (document: D) => F
  toBody: (form: F) => D
  /** Once it is kept. */
  then?: () => Promise<unknown>
}

export function useDocumentForm<D extends object, F extends object, V extends object>(asking: Asking<D, F>) {
  const cache = useQueryClient()
  const { busy, problem: keepProblem, conflict, save: saving } = useSaving()
  const key = computed(() => [asking.name, asking.jobId(), ...(asking.hangsOn?.() ?? [])])
  const kept = useQuery({ queryKey: key, queryFn: asking.fetch, enabled: computed(() => asking.enabled?.() ?? true) })
  const record = computed(() => (kept.data.value as KeptDocument<D> | undefined) ?? null)

  const form = ref(null) as Ref<F | null>
  const take = (document: D) => (form.value = asking.toForm(document))
  const draft = computed(() => `${asking.jobId()}:${asking.name}`)
  watch(
    record,
    (now) => {
      if (!now || form.value) return
      const typed = findDraft<F>(draft.value, asking.isForm)
      if (typed) form.value = typed
      else take(now.document)
    },
    { immediate: true },
  )
  const body = computed<D | null>(() => (form.value ? asking.toBody(form.value) : null))
  const same = computed(() => (record.value?.revision ?? 0) > 0 && JSON.stringify(record.value?.document) === JSON.stringify(body.value))
  watch(form, (now) => now && (same.value ? dropDraft(draft.value) : keepDraft(draft.value, now)), { deep: true, flush: 'post' })

  const preview = useQuery({
    queryKey: computed(() => [`${asking.name}-preview`, ...key.value, ...(asking.previewHangsOn?.() ?? []), body.value]),
    queryFn: () => asking.preview(body.value!),
    enabled: computed(() => body.value !== null),
    placeholderData: keepPreviousData,
  })
  const problem = computed(() => (preview.error.value instanceof ApiError ? preview.error.value.problem : null))
  const says = (field: string) => problem.value?.problems?.find((p) => p.field === field)?.message ?? ''
  const view = computed<V | null>(() => (problem.value ? null : ((preview.data.value as V | undefined) ?? null)))
  /** While something typed does not add up, what last did stays in sight. */
  const last = ref(null) as Ref<V | null>
  watch(view, (now) => now && (last.value = now), { immediate: true })
  const shown = computed(() => view.value ?? last.value)

  /** What was kept of it while the server did not answer. */
  const held = computed(() => waiting.value.find((w) => w.name === draft.value) ?? null)
  onScopeDispose(
    whenSent((sent) => {
      if (sent.name !== draft.value) return
      const made = sent.made as KeptDocument<D>
      cache.setQueryData(key.value, made)
      const now = body.value
      if (now && JSON.stringify(withoutRefused(now)) === sent.text) take(withRefused(made.document, now))
      void asking.then?.()
    }),
  )
  onScopeDispose(
    whenNamed((held, given) => {
      const text = JSON.stringify(form.value)
      if (text.includes(held)) form.value = JSON.parse(text.replaceAll(held, given)) as F
    }),
  )
  watch(reached, (now) => now && body.value && void preview.refetch())

  const { followTheirs, takeTheirs } = useFollowing<D>(
    { refetch: async () => ({ data: (await kept.refetch()).data as KeptDocument<D> | undefined }) },
    conflict,
    () => keep(),
    take,
  )
  async function keep(): Promise<void> {
    await saving(async () => {
      // What it shows goes first.
      if (asking.waitsFor) await sendPhotos()
      const asIs = body.value!
      const sent = withoutRefused(asIs)
      const revision = record.value?.revision ?? null
      takeBack(draft.value)
      const wait = () => {
        letWait(draft.value, asking.jobId(), asking.waitsFor!(revision), sent)
        return null
      }
      const photos = asking.waitsFor && waitsForPhoto(JSON.stringify(sent))
      const made = photos
        ? wait()
        : await asking.post(sent, revision).catch((error: unknown) => {
            if (!asking.waitsFor || !(error instanceof ApiError) || error.status !== 0) throw error
            return wait()
          })
      if (made === null) return
      cache.setQueryData(key.value, made)
      // What was typed meanwhile stays.
      if (body.value === asIs) take(withRefused(made.document, asIs))
      await asking.then?.()
    })
  }
  /** What the server has made of the kept one in another way than by keeping the form. */
  async function put(made: KeptDocument<D>): Promise<void> {
    cache.setQueryData(key.value, made)
    take(made.document)
    await asking.then?.()
  }
  return { put, form, record, body, same, view, shown, problem, says, busy, keepProblem, conflict, keep, followTheirs, takeTheirs, held }
}
