/** What is typed but not saved, kept on this machine so that nothing is lost when the page or the server goes away. */

const PREFIX = 'mavrik-draft:'

export function keepDraft(key: string, value: unknown): void {
  try {
    localStorage.setItem(PREFIX + key, JSON.stringify(value))
  } catch {
    // A full or forbidden store must not stop the work; the draft is then only on the screen.
  }
}

export function findDraft<T>(key: string): T | null {
  try {
    const text = localStorage.getItem(PREFIX + key)
    return text === null ? null : (JSON.parse(text) as T)
  } catch {
    return null
  }
}

export function dropDraft(key: string): void {
  localStorage.removeItem(PREFIX + key)
}
