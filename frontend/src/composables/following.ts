/** A document of a job that somebody else kept first: mine follows theirs, or theirs takes its place. */
import type { Ref } from 'vue'
import type { ProblemDocument } from '@/api/types'

interface Kept<D> {
  refetch: () => Promise<{ data: { document: D } | undefined }>
}

export function useFollowing<D>(
  kept: Kept<D>,
  conflict: Ref<ProblemDocument | null>,
  keep: () => Promise<void>,
  take: (document: D) => void,
) {
  async function followTheirs(): Promise<void> {
    await kept.refetch()
    conflict.value = null
    await keep()
  }
  async function takeTheirs(): Promise<void> {
    const theirs = (await kept.refetch()).data
    conflict.value = null
    if (theirs) take(theirs.document)
  }
  return { followTheirs, takeTheirs }
}
