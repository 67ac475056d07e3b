import { effectScope } from 'vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { howLong, onTheClock, useStepClock } from './stepClock'

const STEPS = [
  { text: 'Start the engine.', seconds: 0, orders_off: false },
  { text: 'Load it down to 12 V.', seconds: 7, orders_off: true },
  { text: 'Let it idle.', seconds: 1800, orders_off: false },
]

describe('the clock of a step', () => {
  beforeEach(() => void vi.useFakeTimers())
  afterEach(() => void vi.useRealTimers())
  const made = () => effectScope().run(() => useStepClock(() => STEPS))!

  it('starts the first step that takes time where none is named', () => {
    const clock = made()
    clock.start()
    expect(clock.running?.text).toBe('Load it down to 12 V.')
    expect(clock.face).toBe('7.0 s')
  })
  it('runs down, then says that the load has to come off until somebody answers', () => {
    const clock = made()
    clock.start(STEPS[1])
    vi.advanceTimersByTime(5000)
    expect(clock.face).toBe('2.0 s')
    expect(clock.over).toBe(false)
    vi.advanceTimersByTime(60_000)
    expect(clock.face).toBe('LOAD OFF')
    clock.dismiss()
    expect(clock.running).toBeNull()
    expect(clock.passed()).toBeCloseTo(65, 3)
  })
  it('does not order a load off that is not on', () => {
    const clock = made()
    clock.start(STEPS[2])
    vi.advanceTimersByTime(1_800_000)
    expect(clock.face).toBe('Time is up')
  })
  it('tells nothing of a procedure without a clock', () => {
    const clock = effectScope().run(() => useStepClock(() => [STEPS[0]!]))!
    clock.start()
    expect(clock.running).toBeNull()
    expect(clock.passed()).toBeNull()
  })
  it('shows minutes of what is long and tenths of what is short', () => {
    expect(onTheClock(1800, false, false)).toBe('30:00 min')
    expect(onTheClock(119.6, false, false)).toBe('120 s')
    expect(onTheClock(19.94, false, true)).toBe('19.9 s')
    expect([howLong(15), howLong(1800)]).toEqual(['15 s', '30 min'])
  })
})
