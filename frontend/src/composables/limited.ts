/** Work that goes on a few at a time, in the order it came. */
export function limited(most: number): <T>(work: () => Promise<T>, signal?: AbortSignal) => Promise<T> {
  let busy = 0
  const waiting: (() => void)[] = []
  return async (work, signal) => {
    if (busy < most) busy += 1
    else await new Promise<void>((go) => waiting.push(go))
    try {
      // Nobody waits for it any more.
      signal?.throwIfAborted()
      return await work()
    } finally {
      const next = waiting.shift()
      if (next) next()
      else busy -= 1
    }
  }
}
