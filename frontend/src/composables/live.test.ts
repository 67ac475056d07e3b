import { effectScope, nextTick, ref } from 'vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useLive, type Place } from './live'

class FakeSource {
  static made: FakeSource[] = []
  onmessage: ((event: { data: string }) => void) | null = null
  onerror: (() => void) | null = null
  closed = false
  constructor(readonly url: string) {
    FakeSource.made.push(this)
  }
  close(): void {
    this.closed = true
  }
  send(reading: object): void {
    this.onmessage?.({ data: JSON.stringify({ value: null, unit: 'V', overload: false, stable: false, lost: '', ...reading }) })
  }
}

const PLACE: Place = { instrument: 'dmm', state: 'fast', red: 'alt_stud', black: 'alt_case', element: '', quantity: 'voltage' }

beforeEach(() => {
  FakeSource.made = []
  vi.stubGlobal('EventSource', FakeSource)
  vi.useFakeTimers()
})
afterEach(() => {
  vi.unstubAllGlobals()
  vi.useRealTimers()
})

function open(first: Place | null) {
  const place = ref(first)
  const scope = effectScope()
  const live = scope.run(() => useLive(() => place.value))!
  return { place, live, scope }
}

describe('a connected meter on the screen', () => {
  it('asks for nothing while no reading is in focus', () => {
    const { live } = open(null)
    expect(live.on).toBe(false)
    expect(FakeSource.made).toHaveLength(0)
  })
  it('shows what it sends, at the place that is in focus', () => {
    const { live } = open(PLACE)
    const source = FakeSource.made[0]!
    expect(source.url).toContain('/api/instruments/dmm/live?')
    expect(source.url).toContain('red=alt_stud')
    source.send({ value: 14.2, stable: true })
    expect([live.on, live.reading?.value, live.reading?.stable]).toEqual([true, 14.2, true])
  })
  it('follows the focus to the next place and lets go of the one before', async () => {
    const { place, live } = open(PLACE)
    FakeSource.made[0]!.send({ value: 14.2 })
    place.value = { ...PLACE, red: 'bat_pos' }
    await nextTick()
    expect(FakeSource.made[0]!.closed).toBe(true)
    expect(live.reading).toBeNull()
    expect(FakeSource.made[1]!.url).toContain('red=bat_pos')
    place.value = null
    await nextTick()
    expect(FakeSource.made[1]!.closed).toBe(true)
    expect(live.on).toBe(false)
  })
  it('says that the link is lost and tries again by itself', () => {
    const { live } = open(PLACE)
    FakeSource.made[0]!.send({ lost: 'The link is lost.' })
    expect(live.reading?.lost).toBe('The link is lost.')
    expect(FakeSource.made).toHaveLength(1)
    vi.advanceTimersByTime(3100)
    expect(FakeSource.made).toHaveLength(2)
    FakeSource.made[1]!.send({ value: 12.6 })
    expect(live.reading?.lost).toBe('')
  })
  it('says so where the server itself is away', () => {
    const { live } = open(PLACE)
    FakeSource.made[0]!.onerror?.()
    expect(live.reading?.lost).toContain('nothing typed is lost')
  })
})
