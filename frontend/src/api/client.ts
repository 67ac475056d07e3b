/** The one way to the server: typed calls, the write token, problem documents as errors. */
import createClient from 'openapi-fetch'
import { ref } from 'vue'
import type { paths } from './schema'
import { forgetKey, keyFor, KEY_HEADER } from './repeat'
import type { ProblemDocument } from './types'

let token = ''

/** Keeps the token that every write must carry. */
export function setToken(value: string): void {
  token = value
}

export function writeHeaders(): Record<string, string> {
  return { 'X-CSRFToken': token }
}

/** Whether the server answered when it was last asked. */
export const reached = ref(true)

const TRIES = 5

/** Asks again while the server is busy: it then has begun nothing of what was asked. */
export async function patientFetch(request: Request): Promise<Response> {
  for (let tries = 1; ; tries += 1) {
    const answer = await noted(fetch(request.clone()))
    const wait = Number(answer.headers.get('Retry-After'))
    if (answer.status !== 503 || !wait || tries === TRIES) return answer
    const problem = (await answer
      .clone()
      .json()
      .catch(() => ({}))) as Partial<ProblemDocument>
    if (problem.type !== 'urn:mavrik:problem:busy') return answer
    await new Promise((done) => setTimeout(done, wait * 1000))
  }
}

async function noted(answer: Promise<Response>): Promise<Response> {
  try {
    const came = await answer
    reached.value = true
    return came
  } catch (error) {
    // What the page itself gave up says nothing of the server.
    if (!(error instanceof DOMException && error.name === 'AbortError')) reached.value = false
    throw error
  }
}

export const client = createClient<paths>({ baseUrl: '/', fetch: patientFetch })
client.use({
  async onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', token)
    if (request.method === 'POST') request.headers.set(KEY_HEADER, keyFor(await contentOf(request)))
    return request
  },
  async onResponse({ request }) {
    // An answer came: the same content sent once more is meant once more.
    if (request.method === 'POST') forgetKey(await contentOf(request))
  },
})
const contentOf = async (request: Request) => `${request.url}\n${await request.clone().text()}`

/** What went wrong, as the server says it, or that it could not be reached. */
export class ApiError extends Error {
  readonly problem: ProblemDocument

  constructor(problem: ProblemDocument) {
    super(problem.detail)
    this.problem = problem
  }

  get status(): number {
    return this.problem.status
  }
}

const UNREACHED: ProblemDocument = {
  type: 'urn:mavrik:problem:unreached',
  title: 'The server does not answer',
  status: 0,
  detail: 'What you typed stays on this screen. Check that the server runs, then try again.',
  problems: [],
  request_id: '',
  theirs: null,
}

/** The data of a call, or an ApiError. */
export async function data<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let done
  try {
    done = await call
  } catch {
    throw new ApiError(UNREACHED)
  }
  if (done.response.ok) return done.data as T
  const problem = done.error as Partial<ProblemDocument> | undefined
  if (problem && typeof problem === 'object' && typeof problem.detail === 'string') {
    throw new ApiError({ ...UNREACHED, ...problem } as ProblemDocument)
  }
  throw new ApiError({ ...UNREACHED, status: done.response.status, title: 'Something went wrong' })
}
