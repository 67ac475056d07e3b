import { expect, test } from 'vitest'
import { limited } from './limited'

/** Work that ends when it is told to. */
function held(): { work: () => Promise<string>; end: () => void; begun: () => boolean } {
  let begun = false
  let end = () => {}
  const over = new Promise<void>((go) => (end = go))
  return {
    begun: () => begun,
    end,
    work: async () => {
      begun = true
      await over
      return 'done'
    },
  }
}

test('no more than the most go on at once, and the next begins when one ends', async () => {
  const run = limited(2)
  const all = [held(), held(), held()]
  const answers = all.map((h) => run(h.work))
  await Promise.resolve()
  expect(all.map((h) => h.begun())).toEqual([true, true, false])
  all[1]!.end()
  await answers[1]
  await Promise.resolve()
  expect(all[2]!.begun()).toBe(true)
  all[0]!.end()
  all[2]!.end()
  expect(await Promise.all(answers)).toEqual(['done', 'done', 'done'])
})

test('what nobody waits for any more is not begun, and what fails makes room', async () => {
  const run = limited(1)
  const first = held()
  const gone = new AbortController()
  const begun = run(first.work)
  let asked = false
  const dropped = run(() => Promise.resolve((asked = true)), gone.signal)
  gone.abort()
  first.end()
  await begun
  await expect(dropped).rejects.toThrow()
  expect(asked).toBe(false)
  await expect(run(() => Promise.reject(new Error('broken')))).rejects.toThrow('broken')
  expect(await run(() => Promise.resolve('goes on'))).toBe('goes on')
})
