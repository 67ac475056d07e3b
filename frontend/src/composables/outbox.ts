/**
 * What was kept while the server did not answer. It waits on this machine, each person's own, and is sent once the server answers again,
 * under the key of the first try, so that the server makes one thing of both.
 */
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { client, reached, writeHeaders } from '@/api/client'
import { forgetKey, KEY_HEADER, keyFor } from '@/api/repeat'
import type { ProblemDocument } from '@/api/types'
import { dropKept } from './drafts'
import { heldPhotos, sendPhotos, waitsForPhoto, whenNamed, withoutRefused } from './heldPhotos'

export interface Waiting {
  /** Of the job and the document, as its draft: one waits at most, the last that was kept. */
  name: string
  jobId: number
  path: string
  text: string
  key: string
  /** What the server said against it; it is not sent again by itself. */
  refused: string
}

const PLACE = 'mavrik-outbox'
let owner = ''
export const waiting = ref<Waiting[]>([])
const place = () => `${PLACE}:${owner}`

const isOne = (x: unknown): x is Waiting =>
  typeof x === 'object' && x !== null && ['name', 'path', 'text', 'key', 'refused'].every((f) => typeof (x as never)[f] === 'string')

/** Whose it is from now on. */
export function outboxOf(login: string): void {
  owner = login
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(place()) ?? '[]')
    waiting.value = Array.isArray(kept) ? kept.filter(isOne) : []
  } catch {
    waiting.value = []
  }
}

function write(now: Waiting[]): void {
  waiting.value = now
  try {
    localStorage.setItem(place(), JSON.stringify(now))
  } catch {
    // A full or forbidden store: it then waits only as long as this page is open.
  }
}

/** Lets something wait; what waited of the same document before goes. */
export function letWait(name: string, jobId: number, path: string, body: unknown): void {
  const text = JSON.stringify(body)
  const key = keyFor(contentOf(path, text))
  write([...waiting.value.filter((w) => w.name !== name), { name, jobId, path, text, key, refused: '' }])
}
const contentOf = (path: string, text: string) => `${new URL(path, location.origin).href}\n${text}`

/** Whoever has the document before them sees to it themselves: as its draft it is there all the same. */
export function takeBack(name: string): void {
  write(waiting.value.filter((w) => w.name !== name))
}

export interface Sent {
  name: string
  /** As it was sent, and as the server has it now. */
  text: string
  made: unknown
}
const listeners = new Set<(sent: Sent) => void>()

/** Told of everything that has arrived; returns how to end that. */
export function whenSent(then: (sent: Sent) => void): () => void {
  listeners.add(then)
  return () => listeners.delete(then)
}

let sending = false
/** Sends what waits: photos, then what speaks of them, in its order. Where the server is still away, or nobody is signed in, it goes on waiting. */
export async function sendWaiting(): Promise<void> {
  if (sending) return
  sending = true
  try {
    await sendPhotos()
    changeTexts((text) => JSON.stringify(withoutRefused(JSON.parse(text))))
    for (const one of waiting.value.filter((w) => !w.refused)) if (waitsForPhoto(one.text) || !(await send(one))) return
  } finally {
    sending = false
  }
}

async function send(one: Waiting): Promise<boolean> {
  let answer: Response
  try {
    answer = await fetch(one.path, {
      method: 'POST',
      headers: { ...writeHeaders(), 'Content-Type': 'application/json', [KEY_HEADER]: one.key },
      body: one.text,
    })
  } catch {
    reached.value = false
    return false
  }
  reached.value = true
  if (answer.status >= 500 || answer.status === 401 || answer.status === 429) return false
  forgetKey(contentOf(one.path, one.text))
  if (answer.ok) {
    const made: unknown = await answer.json()
    write(waiting.value.filter((w) => w.key !== one.key))
    dropKept(one.name, one.text)
    listeners.forEach((then) => then({ name: one.name, text: one.text, made }))
  } else {
    const problem = (await answer.json().catch(() => ({}))) as Partial<ProblemDocument>
    write(waiting.value.map((w) => (w.key === one.key ? { ...w, refused: problem.detail ?? `The server answered ${answer.status}.` } : w)))
  }
  return true
}

/** What waits, in other words; each that changes under a key of its own, since the server knows a key by its text. */
function changeTexts(change: (text: string) => string): void {
  const changed = waiting.value.map((w) => {
    const text = w.refused ? w.text : change(w.text)
    return text === w.text ? w : { ...w, text, key: keyFor(contentOf(w.path, text)) }
  })
  if (changed.some((w, k) => w !== waiting.value[k])) write(changed)
}

whenNamed((held, given) => changeTexts((text) => text.replaceAll(held, given)))

/** How many things are to be sent; and the one that wants somebody first, which is what was refused. */
export const unsent = computed(() => {
  const all = [...waiting.value, ...heldPhotos.value.values()]
  return { count: all.length, first: all.find((w) => w.refused) ?? all[0] ?? null }
})

const LOOK_MS = 5000

/** Looks whether the server answers again while something waits, or it was out of reach; once for the whole page. */
export function useOutbox(signedIn: () => boolean): void {
  const look = () => {
    if (!signedIn()) return
    if ([...waiting.value, ...heldPhotos.value.values()].some((w) => !w.refused)) void sendWaiting()
    else if (!reached.value || !navigator.onLine) void client.GET('/api/health').catch(() => undefined)
  }
  useIntervalFn(look, LOOK_MS)
  useEventListener('online', look)
  useEventListener('offline', look)
  watch(signedIn, look, { immediate: true })
}
