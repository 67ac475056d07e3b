/** Keys of the screen that is shown; `?` lists them. */
import { useEventListener } from '@vueuse/core'
import { onBeforeUnmount, onMounted, reactive } from 'vue'

export interface Key {
  key: string
  label: string
  run: () => void
  /** Also while typing in a field (with Ctrl or Alt in the key's name). */
  always?: boolean
}

export const activeKeys = reactive<Key[]>([])

function nameOf(event: KeyboardEvent): string {
  const parts = []
  if (event.ctrlKey || event.metaKey) parts.push('Ctrl')
  if (event.altKey) parts.push('Alt')
  parts.push(event.key.length === 1 ? event.key.toLowerCase() : event.key)
  return parts.join('+')
}

function typing(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false
  return target.matches('input, textarea, select, [contenteditable]') || target.closest('[role="listbox"]') !== null
}

export function listenForKeys(): void {
  useEventListener(window, 'keydown', (event: KeyboardEvent) => {
    const name = nameOf(event)
    // The newest wins, so a dialog's keys come before the page's.
    const pressed = activeKeys.findLast((k) => k.key === name && (k.always || !typing(event.target)))
    if (!pressed) return
    event.preventDefault()
    pressed.run()
  })
}

/** Registers keys for as long as a component is mounted. */
export function useKeys(keys: Key[]): void {
  onMounted(() => activeKeys.push(...keys))
  onBeforeUnmount(() => {
    for (const key of keys) {
      const at = activeKeys.findIndex((k) => k.run === key.run && k.key === key.key)
      if (at >= 0) activeKeys.splice(at, 1)
    }
  })
}
