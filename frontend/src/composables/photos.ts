/** Photos of a job: sent as they are, kept small by the server. */
import { data, patientFetch, writeHeaders } from '@/api/client'
import type { PhotoRecord } from '@/api/types'

export const photoUrl = (jobId: number, key: string) => `/api/jobs/${jobId}/photos/${key}`

/** Sends a file of a camera; throws an ApiError for what is no photo. */
export function sendPhoto(jobId: number, file: Blob): Promise<PhotoRecord> {
  const request = new Request(`/api/jobs/${jobId}/photos`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream', ...writeHeaders() },
    body: file,
  })
  return data<PhotoRecord>(
    patientFetch(request).then(async (response) => {
      const answer: unknown = await response.json().catch(() => undefined)
      return response.ok ? { data: answer as PhotoRecord, response } : { error: answer, response }
    }),
  )
}
