/** A request whose answer was lost is sent again under the same key, so that the server makes one thing of both; also after the page was loaded anew. */

export const KEY_HEADER = 'Idempotency-Key'
const PLACE = 'mavrik:sent:'

/** Names a content among the few that wait for an answer (FNV-1a over its letters, twice with different beginnings). */
function nameOf(content: string): string {
  let [a, b] = [0x811c9dc5, 0x01000193]
  for (let k = 0; k < content.length; k += 1) {
    const letter = content.charCodeAt(k)
    a = Math.imul(a ^ letter, 0x01000193)
    b = Math.imul(b ^ letter, 0x85ebca6b)
  }
  return [a, b, content.length].map((n) => (n >>> 0).toString(16)).join('-')
}

function fresh(): string {
  // `randomUUID` is there on secure pages only; a bench tablet may come by plain HTTP.
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, '0')).join('')
}

const waiting = new Map<string, string>()
/** Jobs and what is made on them wait also over a reload; what may hold a password stays in this page's memory. */
const outlastsPage = (content: string) => new URL(content.split('\n', 1)[0]!, location.origin).pathname.startsWith('/api/jobs')

/** The key of a content: the one it was sent with before, as long as no answer came. Its first line is the address. */
export function keyFor(content: string): string {
  const name = nameOf(content)
  const before = waiting.get(name) ?? sessionStorage.getItem(PLACE + name)
  if (before) return before
  const made = fresh()
  waiting.set(name, made)
  try {
    if (outlastsPage(content)) sessionStorage.setItem(PLACE + name, made)
  } catch {
    // Storage is full or forbidden: a second try after a reload is a thing of its own.
  }
  return made
}

export function forgetKey(content: string): void {
  waiting.delete(nameOf(content))
  sessionStorage.removeItem(PLACE + nameOf(content))
}
