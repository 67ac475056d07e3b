import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { patientFetch } from './client'

function answer(status: number, type: string, headers: Record<string, string> = {}): Response {
  return new Response(JSON.stringify({ type }), { status, headers })
}

const busy = () => answer(503, 'urn:mavrik:problem:busy', { 'Retry-After': '2' })

describe('a busy server', () => {
  const asked = vi.fn<(request: Request) => Promise<Response>>()
  const request = () => new Request('http://bench.local/api/solve', { method: 'POST', body: '{"a":1}' })

  beforeEach(() => {
    vi.useFakeTimers()
    asked.mockReset()
    vi.stubGlobal('fetch', asked)
  })
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })

  it('is asked again after as long as it says, with the same body', async () => {
    asked.mockResolvedValueOnce(busy()).mockResolvedValueOnce(answer(200, 'fine'))
    const done = patientFetch(request())
    await vi.advanceTimersByTimeAsync(1999)
    expect(asked).toHaveBeenCalledTimes(1)
    await vi.advanceTimersByTimeAsync(1)
    expect((await done).status).toBe(200)
    expect(await asked.mock.calls[1]?.[0].text()).toBe('{"a":1}')
  })

  it('is given up on in the end', async () => {
    asked.mockImplementation(() => Promise.resolve(busy()))
    const done = patientFetch(request())
    await vi.advanceTimersByTimeAsync(60000)
    expect((await done).status).toBe(503)
    expect(asked).toHaveBeenCalledTimes(5)
  })

  it('is not asked again where something may have been begun', async () => {
    asked.mockResolvedValue(answer(503, 'urn:mavrik:problem:database-away', { 'Retry-After': '3' }))
    expect((await patientFetch(request())).status).toBe(503)
    expect(asked).toHaveBeenCalledTimes(1)
  })
})
