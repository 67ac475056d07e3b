// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { ApiError } from '@/api/client'
import { draftsOf, findDraft, keepDraft } from './drafts'
import {
  dropPhoto,
  heldPhotos,
  keepPhoto,
  photosOf,
  sendPhotos,
  waitsForPhoto,
  withoutRefused,
  withRefused,
  type HeldPhoto,
} from './heldPhotos'
import { letWait, outboxOf, sendWaiting, unsent, waiting } from './outbox'

const disk = vi.hoisted(() => new Map<string, unknown>())
vi.mock('idb-keyval', () => ({
  createStore: () => 'store',
  set: async (key: string, value: unknown) => void disk.set(key, value),
  del: async (key: string) => void disk.delete(key),
  entries: async () => {
    const found = [...disk]
    await opened.wait
    return found
  },
}))
const opened = vi.hoisted(() => ({ wait: Promise.resolve() }))
const sent = vi.hoisted(() => vi.fn<(jobId: number, file: Blob) => Promise<{ key: string }>>())
vi.mock('./photos', () => ({ sendPhoto: sent }))
const answers = vi.fn<(path: string, init: RequestInit) => Promise<Response>>()

const away = (status = 0, detail = 'away') =>
  new ApiError({ type: '', title: '', status, detail, problems: [], request_id: '', theirs: null })
const file = new Blob(['lug'], { type: 'image/jpeg' })
const given = 'a'.repeat(64)
async function hold(): Promise<string> {
  sent.mockRejectedValueOnce(away())
  return keepPhoto(7, '7:build', file)
}

beforeEach(async () => {
  disk.clear()
  localStorage.clear()
  sessionStorage.clear()
  sent.mockReset()
  answers.mockReset()
  vi.stubGlobal('fetch', answers)
  draftsOf('tobin')
  outboxOf('tobin')
  await photosOf('nobody')
  await photosOf('tobin')
})
afterEach(() => vi.unstubAllGlobals())

describe('photos taken out of reach', () => {
  it('go straight to a server that answers', async () => {
    sent.mockResolvedValueOnce({ key: given })
    expect(await keepPhoto(7, '7:build', file)).toBe(given)
    expect(disk.size).toBe(0)
    sent.mockRejectedValueOnce(away(422, 'This is no photo.'))
    await expect(keepPhoto(7, '7:build', file)).rejects.toThrow('This is no photo.')
  })

  it('wait on this machine, each person’s own, and outlive the page', async () => {
    const key = await hold()
    expect(key).toMatch(/^[0-9a-f]{64}$/)
    expect(heldPhotos.value.get(key)?.url).toMatch(/^data:image\/jpeg/)
    await photosOf('mara')
    expect(heldPhotos.value.size).toBe(0)
    await photosOf('tobin')
    expect(heldPhotos.value.get(key)?.jobId).toBe(7)
    await dropPhoto(key)
    expect(disk.size + heldPhotos.value.size).toBe(0)
  })

  it('have the server’s name in the draft and in what waits, which is sent after them', async () => {
    const key = await hold()
    const book = (photo: string) => ({ photos: [{ step: 'safe', photo }] })
    keepDraft('7:build', book(key))
    letWait('7:build', 7, '/api/jobs/7/build', book(key))
    const first = waiting.value[0]!.key
    expect(unsent.value.count).toBe(2)
    sent.mockRejectedValueOnce(away())
    await sendWaiting()
    // Never with a name that the server does not know.
    expect(answers).not.toHaveBeenCalled()
    sent.mockResolvedValueOnce({ key: given })
    answers.mockResolvedValueOnce(Response.json({ revision: 2 }))
    await sendWaiting()
    expect(answers.mock.calls[0]?.[1].body).toBe(JSON.stringify(book(given)))
    expect((answers.mock.calls[0]?.[1].headers as Record<string, string>)['Idempotency-Key']).not.toBe(first)
    expect(findDraft('7:build', () => true)).toBeNull()
    expect(unsent.value).toEqual({ count: 0, first: null })
    expect(disk.size).toBe(0)
  })

  it('are known before anything that speaks of them is sent, however long the disk takes', async () => {
    const key = await hold()
    letWait('7:build', 7, '/api/jobs/7/build', { photo: key })
    await photosOf('nobody')
    let open = () => {}
    opened.wait = new Promise((done) => (open = done))
    void photosOf('tobin')
    sent.mockResolvedValueOnce({ key: given })
    answers.mockResolvedValueOnce(Response.json({ revision: 2 }))
    const sending = sendWaiting()
    await Promise.resolve()
    expect(answers).not.toHaveBeenCalled()
    open()
    await sending
    expect(answers.mock.calls[0]?.[1].body).toBe(JSON.stringify({ photo: given }))
  })

  it('that are refused stay with what was said, and hold nothing else back', async () => {
    const key = await hold()
    keepDraft('7:build', { photo: key })
    sent.mockRejectedValueOnce(away(503, 'busy'))
    await sendPhotos()
    expect(heldPhotos.value.get(key)?.refused).toBe('')
    sent.mockRejectedValueOnce(away(422, 'This is no photo.'))
    await sendPhotos()
    expect((disk.get(key) as HeldPhoto).refused).toBe('This is no photo.')
    expect(unsent.value.first?.refused).toBe('This is no photo.')
    expect(waitsForPhoto(`{"photo": "${key}"}`)).toBe(false)
    const off = { step: 'off', photo: 'other' }
    const book = { ticks: ['safe'], photos: [{ step: 'safe', photo: key }, off] }
    expect(withoutRefused(book)).toEqual({ ticks: ['safe'], photos: [off] })
    expect(withRefused({ ticks: ['safe by tobin'], photos: [off] }, book)).toEqual({
      ticks: ['safe by tobin'],
      photos: [off, { step: 'safe', photo: key }],
    })
    // A draft of before there was a field of that name.
    const made: { ticks?: string[]; photos: unknown[] } = { ticks: [], photos: [off] }
    expect(withRefused(made, { photos: [] })).toEqual(made)
    sent.mockClear()
    await sendPhotos()
    expect(sent).not.toHaveBeenCalled()
  })
})
