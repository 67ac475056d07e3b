/**
 * What is typed but not saved, kept on this machine so that nothing is lost when the page or the server goes away.
 * Each person has drafts of their own; a draft of another version of the program, or of another shape, is left aside.
 */

const PREFIX = 'mavrik-draft'
/** Counts up when the shape of any draft changes. */
const VERSION = 2

let owner = ''

/** Whose drafts they are from now on: two people at one machine do not see each other's. */
export function draftsOf(login: string): void {
  owner = login
}

const place = (key: string) => `${PREFIX}:${owner}:${key}`

interface Kept {
  version: number
  value: unknown
}

export function keepDraft(key: string, value: unknown): void {
  try {
    localStorage.setItem(place(key), JSON.stringify({ version: VERSION, value } satisfies Kept))
  } catch {
    // A full or forbidden store must not stop the work; the draft is then only on the screen.
  }
}

/** A draft, if one was kept that has the shape asked for. */
export function findDraft<T>(key: string, isOne: (value: unknown) => boolean): T | null {
  try {
    const text = localStorage.getItem(place(key))
    if (text === null) return null
    const kept = JSON.parse(text) as Partial<Kept>
    return kept.version === VERSION && isOne(kept.value) ? (kept.value as T) : null
  } catch {
    return null
  }
}

export function dropDraft(key: string): void {
  localStorage.removeItem(place(key))
}

/** A draft that has been kept as it stands, wherever that was: it is none any more. */
export function dropKept(key: string, text: string): void {
  const draft = findDraft<unknown>(key, () => true)
  if (draft !== null && JSON.stringify(draft) === text) dropDraft(key)
}

/** A name that stands for something else from now on, in every draft of this person. */
export function renameInDrafts(from: string, to: string): void {
  for (const key of Object.keys(localStorage).filter((k) => k.startsWith(place('')))) {
    const text = localStorage.getItem(key) ?? ''
    if (text.includes(from)) localStorage.setItem(key, text.replaceAll(from, to))
  }
}

/** Whether a value is an object that has certain fields. */
export const hasFields =
  (...fields: string[]) =>
  (value: unknown): boolean =>
    typeof value === 'object' && value !== null && fields.every((f) => f in value)
