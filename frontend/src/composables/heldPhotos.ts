/**
 * Photos that were taken while the server did not answer. They wait on this machine, each person's own, under a name of their own making;
 * once the server has one, its name stands in everything that has been typed or kept meanwhile.
 */
import { createStore, del, entries, set, type UseStore } from 'idb-keyval'
import { ref } from 'vue'
import { ApiError } from '@/api/client'
import { renameInDrafts } from './drafts'
import { sendPhoto } from './photos'

export interface HeldPhoto {
  owner: string
  jobId: number
  /** Of the document that shows it, as its draft. */
  name: string
  file: Blob
  /** What the server said against it; it is not sent again by itself. */
  refused: string
}
export type Shown = HeldPhoto & { url: string }

let owner = ''
let store: UseStore | null = null
const kept = (): UseStore => (store ??= createStore('mavrik-photos', 'held'))
/** By their name here. */
export const heldPhotos = ref<ReadonlyMap<string, Shown>>(new Map())

const put = (key: string, photo: Shown) => (heldPhotos.value = new Map([...heldPhotos.value, [key, photo]]))
function take(key: string): void {
  heldPhotos.value = new Map([...heldPhotos.value].filter(([k]) => k !== key))
}

/** Pages load no picture but from the server and as data. */
const shownOf = (file: Blob): Promise<string> =>
  new Promise((done, fail) => {
    const reader = new FileReader()
    reader.onload = () => done(reader.result as string)
    reader.onerror = () => fail(reader.error ?? new Error('This file cannot be read.'))
    reader.readAsDataURL(file)
  })

/** As it is stored: what is shown is made of the file. */
const bare = (p: Shown): HeldPhoto => ({ owner: p.owner, jobId: p.jobId, name: p.name, file: p.file, refused: p.refused })

/** A name as the server gives them, which no photo has. */
const freshName = () => Array.from(crypto.getRandomValues(new Uint8Array(32)), (byte) => byte.toString(16).padStart(2, '0')).join('')

/** Until then it is not known what waits. */
let loaded: Promise<void> = Promise.resolve()

/** Whose they are from now on. */
export function photosOf(login: string): Promise<void> {
  if (login !== owner) {
    owner = login
    heldPhotos.value = new Map()
    loaded = load()
  }
  return loaded
}

async function load(): Promise<void> {
  const login = owner
  const all = await entries<string, HeldPhoto>(kept()).catch(() => [])
  for (const [key, photo] of all) if (photo.owner === login && owner === login) put(key, { ...photo, url: await shownOf(photo.file) })
}

/** Sends a photo, or lets it wait where the server does not answer; returns its name. Throws an ApiError for what the server refuses. */
export async function keepPhoto(jobId: number, name: string, file: Blob): Promise<string> {
  try {
    return (await sendPhoto(jobId, file)).key
  } catch (error) {
    if (!(error instanceof ApiError) || error.status !== 0) throw error
  }
  const key = freshName()
  const photo = { owner, jobId, name, file, refused: '', url: await shownOf(file) }
  put(key, photo)
  // A full or forbidden store: it then waits only as long as this page is open.
  await set(key, bare(photo), kept()).catch(() => undefined)
  return key
}

/** One that nobody wants any more. */
export async function dropPhoto(key: string): Promise<void> {
  take(key)
  await del(key, kept()).catch(() => undefined)
}

const listeners = new Set<(held: string, given: string) => void>()
/** Told of every photo that has arrived by the name it had here and the server's; returns how to end that. */
export function whenNamed(then: (held: string, given: string) => void): () => void {
  listeners.add(then)
  return () => listeners.delete(then)
}

/** Whether a text speaks of a photo that still is to be sent. */
export const waitsForPhoto = (text: string): boolean => [...heldPhotos.value].some(([key, p]) => !p.refused && text.includes(key))

const isRefused = (entry: unknown): boolean => !!heldPhotos.value.get((entry as { photo?: string } | null)?.photo ?? '')?.refused

/** A document without the entries of photos that the server will not have: they hold nothing else back. */
export const withoutRefused = <D>(document: D): D =>
  JSON.parse(JSON.stringify(document), (_, value: unknown) => (Array.isArray(value) ? value.filter((x) => !isRefused(x)) : value)) as D

/** One that the server has made of a document, with the entries that it was sent without: there they are seen, and why.
 *  A draft of an earlier version may lack a field that the server fills in. */
export function withRefused<D extends object>(made: D, before: D): D {
  const entries = Object.entries(made) as [keyof D, unknown][]
  const whole = ([field, value]: [keyof D, unknown]) => [
    field,
    Array.isArray(value) ? [...(value as unknown[]), ...((before[field] as unknown[] | undefined) ?? []).filter(isRefused)] : value,
  ]
  return Object.fromEntries(entries.map(whole)) as D
}

/** Sends what waits, until one finds the server away or busy. */
export async function sendPhotos(): Promise<void> {
  await loaded
  for (const [key, photo] of heldPhotos.value) {
    if (photo.refused) continue
    try {
      const given = (await sendPhoto(photo.jobId, photo.file)).key
      // Everything speaks of it by its new name before it goes from here: a page that closes between sends it once more, and it is kept once.
      renameInDrafts(key, given)
      listeners.forEach((then) => then(key, given))
      await dropPhoto(key)
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      if (error.status === 0 || error.status >= 500 || error.status === 401 || error.status === 429) return
      const refused = error.problem.detail
      put(key, { ...photo, refused })
      await set(key, bare({ ...photo, refused }), kept()).catch(() => undefined)
    }
  }
}
