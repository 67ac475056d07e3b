/** Captured waveforms of a job: loading with progress, and what they say. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive } from 'vue'
import { ApiError, client, data, writeHeaders } from '@/api/client'
import type { Fetch, ProblemDocument } from '@/api/types'

/** What a file may not say itself. */
export interface CaptureOptions {
  channel: string
  interval_s: number | null
  full_scale_v: number | null
  factor: number
}

export function useCaptures(jobId: number) {
  const queries = useQueryClient()
  const key = ['captures', jobId]
  const query = useQuery({
    queryKey: key,
    queryFn: () => data(client.GET('/api/jobs/{job_id}/captures', { params: { path: { job_id: jobId } } })),
    refetchInterval: (q) => (q.state.data?.captures.some((c) => c.state === 'reading') ? 300 : false),
  })
  const sending = reactive({ share: null as number | null, problem: null as ProblemDocument | null })
  let request: XMLHttpRequest | null = null
  /** Asks for the list anew. A first answer still on its way is not waited for: it may have left before what is new was there. */
  async function refresh(): Promise<void> {
    await queries.cancelQueries({ queryKey: key })
    await queries.invalidateQueries({ queryKey: key })
  }

  /** Sends a file; its id once the server has it, or null where it was stopped or refused. */
  function load(file: File, options: CaptureOptions): Promise<number | null> {
    const query = new URLSearchParams({ name: file.name, factor: String(options.factor) })
    if (options.channel) query.set('channel', options.channel)
    if (options.interval_s !== null) query.set('interval_s', String(options.interval_s))
    if (options.full_scale_v !== null) query.set('full_scale_v', String(options.full_scale_v))
    Object.assign(sending, { share: 0, problem: null })
    return new Promise((resolve) => {
      // fetch does not say how much of a body has gone out.
      const now = (request = new XMLHttpRequest())
      const end = (id: number | null, problem: ProblemDocument | null) => {
        Object.assign(sending, { share: null, problem })
        request = null
        void refresh()
        resolve(id)
      }
      now.open('POST', `/api/jobs/${jobId}/captures?${query.toString()}`)
      now.setRequestHeader('Content-Type', 'application/octet-stream')
      for (const [name, value] of Object.entries(writeHeaders())) now.setRequestHeader(name, value)
      now.upload.onprogress = (event) => (sending.share = event.total ? event.loaded / event.total : 0)
      now.onabort = () => end(null, null)
      now.onerror = () =>
        end(null, {
          type: '',
          title: 'The server does not answer',
          status: 0,
          detail: 'The file stays where it is: try again.',
          problems: [],
          request_id: '',
          theirs: null,
        })
      now.onload = () => {
        const answer: unknown = JSON.parse(now.responseText || '{}')
        if (now.status === 202) end((answer as { id: number }).id, null)
        else end(null, answer as ProblemDocument)
      }
      now.send(file)
    })
  }
  /** Lets a connected oscilloscope capture now; the capture's id, or null where it was refused. */
  async function fetch(request: Fetch): Promise<number | null> {
    sending.problem = null
    try {
      const begun = await data(client.POST('/api/jobs/{job_id}/captures/fetched', { params: { path: { job_id: jobId } }, body: request }))
      await refresh()
      return begun.id
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      sending.problem = error.problem
      return null
    }
  }
  async function remove(id: number): Promise<void> {
    try {
      await data(client.DELETE('/api/jobs/{job_id}/captures/{capture_id}', { params: { path: { job_id: jobId, capture_id: id } } }))
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      sending.problem = error.problem
    }
    await refresh()
  }
  return { captures: computed(() => query.data.value?.captures ?? []), sending, load, fetch, stop: () => request?.abort(), remove }
}
