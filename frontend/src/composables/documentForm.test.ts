// @vitest-environment happy-dom
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createApp, nextTick } from 'vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { ApiError } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import { useDocumentForm } from './documentForm'
import { draftsOf, hasFields } from './drafts'
import { outboxOf, waiting } from './outbox'

interface Wish {
  amps: number
}
interface Form {
  amps: number
  half: string
}

const refused = (status: number, more: Partial<ProblemDocument> = {}) =>
  new ApiError({ type: '', title: '', status, detail: 'No.', problems: [], request_id: '', theirs: null, ...more })

/** What the server has, and what it was sent. */
const server = { revision: 0, document: { amps: 5 } as Wish, sent: [] as [Wish, number | null][] }
let ends: (() => void)[] = []

/** Whether it waits on this machine while the server is away. */
let away = false
function open(post?: (body: Wish, revision: number | null) => Promise<{ revision: number; document: Wish }>) {
  let found!: ReturnType<typeof useDocumentForm<Wish, Form, Wish>>
  const app = createApp({
    setup() {
      found = useDocumentForm<Wish, Form, Wish>({
        name: 'wish',
        jobId: () => 7,
        fetch: () => Promise.resolve({ revision: server.revision, document: server.document }),
        preview: (body) =>
          body.amps < 0
            ? Promise.reject(refused(422, { problems: [{ element: 'wish', field: 'amps', message: 'Above 0.' }] }))
            : Promise.resolve({ amps: 2 * body.amps }),
        post:
          post ??
          ((document, revision) => {
            server.sent.push([document, revision])
            Object.assign(server, { revision: server.revision + 1, document })
            return Promise.resolve({ revision: server.revision, document })
          }),
        waitsFor: away ? (revision) => `/api/jobs/7/wish?revision=${revision}` : undefined,
        isForm: hasFields('half'),
        toForm: ({ amps }) => ({ amps, half: '' }),
        toBody: ({ amps }) => ({ amps }),
      })
      return () => null
    },
  })
  app.use(VueQueryPlugin, { queryClient: new QueryClient({ defaultOptions: { queries: { retry: false } } }) })
  app.mount(document.createElement('div'))
  ends.push(() => app.unmount())
  return found
}

beforeEach(() => {
  localStorage.clear()
  draftsOf('somebody')
  outboxOf('somebody')
  away = false
  Object.assign(server, { revision: 0, document: { amps: 5 }, sent: [] })
})
afterEach(() => {
  ends.forEach((end) => end())
  ends = []
})

describe('a document of a job that is filled in', () => {
  it('begins as it was kept, is looked at while it is typed, and kept as the next', async () => {
    const wish = open()
    await vi.waitFor(() => expect(wish.view.value).toEqual({ amps: 10 }))
    expect(wish.same.value).toBe(false) // nothing is kept yet
    wish.form.value!.amps = 8
    await vi.waitFor(() => expect(wish.view.value).toEqual({ amps: 16 }))
    await wish.keep()
    expect(server.sent).toEqual([[{ amps: 8 }, 0]])
    expect(wish.same.value).toBe(true)
    wish.form.value!.amps = 9
    await wish.keep()
    expect(server.sent[1]).toEqual([{ amps: 9 }, 1])
  })

  it('is a draft until it is kept, with what is half typed', async () => {
    const first = open()
    await vi.waitFor(() => expect(first.form.value).not.toBeNull())
    Object.assign(first.form.value!, { amps: 8, half: '12' })
    await nextTick()
    const again = open()
    await vi.waitFor(() => expect(again.form.value).toEqual({ amps: 8, half: '12' }))
    await again.keep()
    await nextTick()
    server.document = { amps: 3 }
    const third = open()
    await vi.waitFor(() => expect(third.form.value).toEqual({ amps: 3, half: '' }))
  })

  it('keeps the last view in sight while something does not add up, and says so at its place', async () => {
    const wish = open()
    await vi.waitFor(() => expect(wish.view.value).toEqual({ amps: 10 }))
    wish.form.value!.amps = -1
    await vi.waitFor(() => expect(wish.says('amps')).toBe('Above 0.'))
    expect(wish.view.value).toBeNull()
    expect(wish.shown.value).toEqual({ amps: 10 })
  })

  it('lets what is typed stand while it is on its way', async () => {
    let arrive!: () => void
    const wish = open((document, revision) => new Promise((done) => (arrive = () => done({ revision: (revision ?? 0) + 1, document }))))
    await vi.waitFor(() => expect(wish.form.value).not.toBeNull())
    wish.form.value!.amps = 8
    const kept = wish.keep()
    wish.form.value!.amps = 9
    arrive()
    await kept
    expect(wish.form.value!.amps).toBe(9)
    expect(wish.same.value).toBe(false)
  })

  it('waits on this machine while the server does not answer, and until then is not kept', async () => {
    away = true
    const wish = open(() => Promise.reject(refused(0)))
    await vi.waitFor(() => expect(wish.form.value).not.toBeNull())
    wish.form.value!.amps = 8
    await wish.keep()
    expect(waiting.value).toMatchObject([{ name: '7:wish', jobId: 7, path: '/api/jobs/7/wish?revision=0', text: '{"amps":8}' }])
    expect(wish.held.value?.name).toBe('7:wish')
    expect([wish.same.value, wish.keepProblem.value]).toEqual([false, null])
    wish.form.value!.amps = 9
    await wish.keep()
    expect(waiting.value.map((w) => w.text)).toEqual(['{"amps":9}'])
  })

  it('does not wait where the server has said no', async () => {
    away = true
    const wish = open(() => Promise.reject(refused(422)))
    await vi.waitFor(() => expect(wish.form.value).not.toBeNull())
    await wish.keep()
    expect(waiting.value).toEqual([])
    expect(wish.keepProblem.value?.status).toBe(422)
  })

  it('follows, or makes way for, what somebody else kept first', async () => {
    const post = vi.fn((document: Wish, revision: number | null) =>
      revision === server.revision
        ? Promise.resolve({ revision: (server.revision += 1), document: (server.document = document) })
        : Promise.reject(refused(409, { theirs: { revision: server.revision } })),
    )
    const wish = open(post)
    await vi.waitFor(() => expect(wish.form.value).not.toBeNull())
    Object.assign(server, { revision: 4, document: { amps: 1 } })
    wish.form.value!.amps = 8
    await wish.keep()
    expect(wish.conflict.value).not.toBeNull()
    expect(wish.form.value!.amps).toBe(8)
    await wish.followTheirs()
    expect(server).toMatchObject({ revision: 5, document: { amps: 8 } })
    Object.assign(server, { revision: 6, document: { amps: 2 } })
    wish.form.value!.amps = 9
    await wish.keep()
    await wish.takeTheirs()
    expect(wish.form.value).toEqual({ amps: 2, half: '' })
    expect(wish.conflict.value).toBeNull()
  })
})
