// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from 'vitest'
import { forgetKey, keyFor } from './repeat'

beforeEach(() => sessionStorage.clear())

describe('the key of what is sent', () => {
  it('stays the same until an answer comes, and is another for another content', () => {
    const first = keyFor('/api/jobs\n{"complaint":"hums"}')
    expect(keyFor('/api/jobs\n{"complaint":"hums"}')).toBe(first)
    expect(keyFor('/api/jobs\n{"complaint":"hums "}')).not.toBe(first)
    forgetKey('/api/jobs\n{"complaint":"hums"}')
    expect(keyFor('/api/jobs\n{"complaint":"hums"}')).not.toBe(first)
  })

  it('is 32 digits from the machine, never twice the same', () => {
    const keys = new Set(Array.from({ length: 200 }, (_, k) => keyFor(`/api/jobs\n${k}`)))
    expect(keys.size).toBe(200)
    for (const key of keys) expect(key).toMatch(/^[0-9a-f]{32}$/)
  })

  it('of what may hold a password is not kept beyond the page', () => {
    const first = keyFor('/api/people\n{"password":"secret"}')
    expect(sessionStorage.length).toBe(0)
    expect(keyFor('/api/people\n{"password":"secret"}')).toBe(first)
  })

  it('leaves nothing behind once answered', () => {
    keyFor('/api/jobs\nx')
    expect(sessionStorage.length).toBe(1)
    forgetKey('/api/jobs\nx')
    expect(sessionStorage.length).toBe(0)
  })
})
