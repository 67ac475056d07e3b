/** Edits of a circuit document that only set a value; what moves nodes or picks ratings is asked of the server. */
import { client, data } from '@/api/client'
import type { Branch, Circuit, FittedControl, Grown } from '@/api/types'

export type BranchEdit = 'insert' | 'beside' | 'kind' | 'family' | 'remove'

type List = 'branches' | 'alternators' | 'batteries' | 'loads' | 'converters' | 'chargers'

/** Sets values of one part. */
export function patchPart(circuit: Circuit, list: List, id: string, patch: object): Circuit {
  return { ...circuit, [list]: circuit[list].map((part) => (part.id === id ? { ...part, ...patch } : part)) }
}

/** What works a switch: the controls that it names, or itself. */
export const controlsOf = (branch: Branch): string[] =>
  'worked_by' in branch && branch.worked_by?.length ? [...branch.worked_by] : [branch.label]

/** Names a branch; what is known of a switch that is its own control goes by its new name. */
export function renameBranch(circuit: Circuit, branch: Branch, label: string): Circuit {
  const byHand = 'worked_by' in branch && !branch.worked_by?.length && circuit.branches.filter((b) => b.label === branch.label).length === 1
  const renamed = patchPart(circuit, 'branches', branch.id, { label })
  if (!byHand || !label || (circuit.controls ?? []).some((c) => c.label === label)) return renamed
  return { ...renamed, controls: (circuit.controls ?? []).map((c) => (c.label === branch.label ? { ...c, label } : c)) }
}

/** What somebody has looked at on a control; what is known of it already stays. */
export function patchControl(circuit: Circuit, label: string, patch: Partial<FittedControl>): Circuit {
  const controls = circuit.controls ?? []
  const known = controls.find((c) => c.label === label) ?? {
    label,
    place: null,
    marked: null,
    lockable: null,
    removable: null,
    makes_first: null,
  }
  const changed = { ...known, ...patch }
  return { ...circuit, controls: controls.includes(known) ? controls.map((c) => (c === known ? changed : c)) : [...controls, changed] }
}

/** Takes a source, load or charger out of its list; leads that it leaves hanging are called out by the server. */
export function removeElement(circuit: Circuit, list: Exclude<List, 'branches'>, id: string): Circuit {
  return { ...circuit, [list]: circuit[list].filter((part) => part.id !== id) }
}

/** A branch in series, beside, of another kind or family, or taken out: the core does it, nothing is saved. */
export function editBranch(circuit: Circuit, branch_id: string, edit: BranchEdit, to = ''): Promise<Grown> {
  return data(client.POST('/api/edit', { body: { circuit, branch_id, edit, to } }))
}
