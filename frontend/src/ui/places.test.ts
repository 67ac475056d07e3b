import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { ApiError, data } from '@/api/client'
import { MARKS } from '@/charts/marks'
import { draftsOf, dropDraft, findDraft, hasFields, keepDraft } from '@/composables/drafts'

function store(): Storage {
  const kept = new Map<string, string>()
  return {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => void kept.set(key, value),
    removeItem: (key: string) => void kept.delete(key),
    clear: () => kept.clear(),
    key: () => null,
    length: 0,
  }
}

describe('drafts', () => {
  const isOne = hasFields('lock', 'circuit')
  beforeEach(() => {
    vi.stubGlobal('localStorage', store())
    draftsOf('one')
  })
  afterEach(() => vi.unstubAllGlobals())
  it('come back as they were kept, until they are dropped', () => {
    keepDraft('7:circuit', { lock: 2, circuit: { nodes: [] } })
    expect(findDraft('7:circuit', isOne)).toEqual({ lock: 2, circuit: { nodes: [] } })
    expect(findDraft('8:circuit', isOne)).toBeNull()
    dropDraft('7:circuit')
    expect(findDraft('7:circuit', isOne)).toBeNull()
  })
  it('belong to one person', () => {
    keepDraft('7:circuit', { lock: 2, circuit: {} })
    draftsOf('other')
    expect(findDraft('7:circuit', isOne)).toBeNull()
  })
  it('of another shape or another version are left aside', () => {
    keepDraft('7:circuit', { lock: 2 })
    expect(findDraft('7:circuit', isOne)).toBeNull()
    localStorage.setItem('mavrik-draft:one:7:circuit', JSON.stringify({ version: 1, value: { lock: 2, circuit: {} } }))
    expect(findDraft('7:circuit', isOne)).toBeNull()
  })
  it('do not stop the work when the store is full or broken', () => {
    vi.stubGlobal('localStorage', {
      getItem: () => '{broken',
      setItem: () => {
        throw new Error('full')
      },
    })
    expect(() => keepDraft('x', 1)).not.toThrow()
    expect(findDraft('x', () => true)).toBeNull()
  })
})

describe('answers of the server', () => {
  const answer = (status: number, body?: unknown) =>
    Promise.resolve(
      status < 400 ? { data: body, response: new Response(null, { status }) } : { error: body, response: new Response(null, { status }) },
    )
  it('give their data', async () => {
    await expect(data(answer(200, { a: 1 }))).resolves.toEqual({ a: 1 })
  })
  it('give their problem document as an error', async () => {
    const problem = { type: 't', title: 'Conflict', status: 409, detail: 'Somebody saved first', problems: [], theirs: { lock: 3 } }
    const error = await data(answer(409, problem)).catch((e: unknown) => e)
    expect(error).toBeInstanceOf(ApiError)
    expect((error as ApiError).status).toBe(409)
    expect((error as ApiError).problem.theirs).toEqual({ lock: 3 })
  })
  it('say in words when nobody answers, or not in words of ours', async () => {
    const away = (await data(Promise.reject(new TypeError('failed'))).catch((e: unknown) => e)) as ApiError
    expect(away.status).toBe(0)
    expect(away.problem.title).toContain('does not answer')
    const odd = (await data(answer(502, '<html>')).catch((e: unknown) => e)) as ApiError
    expect(odd.status).toBe(502)
    expect(odd.problem.title).toBe('Something went wrong')
  })
})

describe('what a verdict looks like', () => {
  it('has a word, a shape and a colour of its own for each', () => {
    const marks = Object.values(MARKS)
    for (const what of ['word', 'path', 'colour'] as const) expect(new Set(marks.map((m) => m[what])).size).toBe(marks.length)
  })
})
