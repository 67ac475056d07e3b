// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { reached } from '@/api/client'
import { draftsOf, findDraft, keepDraft } from './drafts'
import { letWait, outboxOf, sendWaiting, takeBack, waiting, whenSent } from './outbox'

const answers = vi.fn<(path: string, init: RequestInit) => Promise<Response>>()
const body = { ticks: [{ step: 'safe' }] }
const hold = () => letWait('7:build', 7, '/api/jobs/7/build?revision=3', body)
const sent = () => answers.mock.calls.map(([path, init]) => [path, (init.headers as Record<string, string>)['Idempotency-Key'], init.body])

beforeEach(() => {
  localStorage.clear()
  sessionStorage.clear()
  vi.stubGlobal('fetch', answers)
  outboxOf('tobin')
  draftsOf('tobin')
})
afterEach(() => {
  answers.mockReset()
  vi.unstubAllGlobals()
  reached.value = true
})

describe('what waits for the server', () => {
  it('goes on waiting while it is away, is sent once it answers, and is told to whoever shows it', async () => {
    hold()
    keepDraft('7:build', body)
    answers.mockRejectedValueOnce(new TypeError('Failed to fetch'))
    await sendWaiting()
    expect(reached.value).toBe(false)
    expect(waiting.value).toHaveLength(1)
    const arrived = vi.fn()
    const end = whenSent(arrived)
    answers.mockResolvedValueOnce(Response.json({ revision: 4 }))
    await sendWaiting()
    end()
    expect(reached.value).toBe(true)
    expect(findDraft('7:build', () => true)).toBeNull()
    expect(waiting.value).toEqual([])
    expect(arrived).toHaveBeenCalledWith({ name: '7:build', text: JSON.stringify(body), made: { revision: 4 } })
    const [first, second] = sent()
    // The same thing under the same key, so that a try whose answer was lost is not done twice.
    expect(second).toEqual(first)
    expect(second?.[0]).toBe('/api/jobs/7/build?revision=3')
  })

  it('outlives the page, and is each person’s own', () => {
    hold()
    outboxOf('mara')
    expect(waiting.value).toEqual([])
    outboxOf('tobin')
    expect(waiting.value.map((w) => w.jobId)).toEqual([7])
    localStorage.setItem('mavrik-outbox:tobin', '[{"name": 3}]')
    outboxOf('tobin')
    expect(waiting.value).toEqual([])
  })

  it('is the last that was kept of a document', () => {
    hold()
    letWait('7:build', 7, '/api/jobs/7/build?revision=3', { ticks: [] })
    expect(waiting.value.map((w) => w.text)).toEqual(['{"ticks":[]}'])
    takeBack('7:build')
    expect(waiting.value).toEqual([])
  })

  it('is not sent again once it was refused, and says why', async () => {
    hold()
    answers.mockResolvedValueOnce(Response.json({ detail: 'Somebody else was first.' }, { status: 409 }))
    await sendWaiting()
    expect(waiting.value.map((w) => w.refused)).toEqual(['Somebody else was first.'])
    await sendWaiting()
    expect(answers).toHaveBeenCalledTimes(1)
  })

  it('waits while nobody is signed in, or the server is not well', async () => {
    hold()
    for (const status of [401, 500, 503]) {
      answers.mockResolvedValueOnce(Response.json({ detail: 'No.' }, { status }))
      await sendWaiting()
      expect(waiting.value.map((w) => w.refused)).toEqual([''])
    }
  })
})
