/** The ways to put a disconnect into a vehicle. */
import type { IsolationView } from '@/api/types'

/** Names of the ways that have a place in the circuit, what was decided on first. */
export function inTurn(view: Pick<IsolationView, 'ways' | 'kept'> | null): string[] {
  const here = (view?.ways ?? []).filter((w) => !w.why_not).map((w) => w.name)
  const kept = view?.kept?.way
  return kept && here.includes(kept) ? [kept, ...here.filter((n) => n !== kept)] : here
}
