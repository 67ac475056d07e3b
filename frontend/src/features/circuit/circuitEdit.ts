/** Edits of a circuit document that only set a value; what moves nodes or picks ratings is asked of the server. */
import { client, data } from '@/api/client'
import type { Circuit, Grown } from '@/api/types'

export type BranchEdit = 'insert' | 'beside' | 'kind' | 'family' | 'remove'

type List = 'branches' | 'alternators' | 'batteries' | 'loads' | 'converters' | 'chargers'

/** Sets values of one part. */
export function patchPart(circuit: Circuit, list: List, id: string, patch: object): Circuit {
  return { ...circuit, [list]: circuit[list].map((part) => (part.id === id ? { ...part, ...patch } : part)) }
}

/** Takes a source, load or charger out of its list; leads that it leaves hanging are called out by the server. */
export function removeElement(circuit: Circuit, list: Exclude<List, 'branches'>, id: string): Circuit {
  return { ...circuit, [list]: circuit[list].filter((part) => part.id !== id) }
}

/** A branch in series, beside, of another kind or family, or taken out: the core does it, nothing is saved. */
export function editBranch(circuit: Circuit, branch_id: string, edit: BranchEdit, to = ''): Promise<Grown> {
  return data(client.POST('/api/edit', { body: { circuit, branch_id, edit, to } }))
}
