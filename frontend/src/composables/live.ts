/** What a connected meter shows, by server-sent events; says so where the link is lost, and tries again by itself. */
import { tryOnScopeDispose, useTimeoutFn } from '@vueuse/core'
import { reactive, watch } from 'vue'

export interface LiveReading {
  value: number | null
  unit: string
  overload: boolean
  stable: boolean
  /** The value with no more digits than the meter earns, and how many those are behind the point. */
  earned: number | null
  digits: number | null
  /** Standard deviation of what it showed while it was stable. */
  spread: number | null
  /** Its last digit has not moved for long. */
  held: boolean
  lost: string
}
export interface Place {
  instrument: string
  state: string
  red: string
  black: string
  element: string
  quantity: string
}
const AGAIN_MS = 3000

export function useLive(place: () => Place | null) {
  const live = reactive<{ on: boolean; reading: LiveReading | null }>({ on: false, reading: null })
  let source: EventSource | null = null
  const again = useTimeoutFn((at: Place) => start(at), AGAIN_MS, { immediate: false })
  function stop(): void {
    source?.close()
    source = null
    again.stop()
  }
  function start(at: Place): void {
    stop()
    const { instrument, ...query } = at
    source = new EventSource(`/api/instruments/${instrument}/live?${new URLSearchParams(query)}`)
    source.onmessage = (event) => {
      live.reading = JSON.parse(String(event.data)) as LiveReading
      if (live.reading.lost) retry(at)
    }
    source.onerror = () => {
      live.reading = {
        value: null,
        unit: '',
        overload: false,
        stable: false,
        held: false,
        earned: null,
        digits: null,
        spread: null,
        lost: 'The server does not answer. Type what the meter shows; nothing typed is lost.',
      }
      retry(at)
    }
  }
  function retry(at: Place): void {
    stop()
    again.start(at)
  }
  watch(
    () => JSON.stringify(place()),
    (text) => {
      const at = JSON.parse(text) as Place | null
      live.on = at !== null
      live.reading = null
      if (at) start(at)
      else stop()
    },
    { immediate: true },
  )
  tryOnScopeDispose(stop)
  return live
}
