/** Edits of a circuit document. Each returns a new document; whether it works is asked of the server. */
import type { Branch, Circuit } from '@/api/types'

export type BranchKind = Branch['kind']

function freeId(circuit: Circuit, wanted: string): string {
  const used = new Set(
    [circuit.nodes, circuit.branches, circuit.alternators, circuit.batteries, circuit.loads, circuit.converters, circuit.chargers].flatMap(
      (group) => group.map((element) => element.id),
    ),
  )
  if (!used.has(wanted)) return wanted
  for (let k = 2; ; k++) if (!used.has(`${wanted}_${k}`)) return `${wanted}_${k}`
}

export function patchBranch(circuit: Circuit, id: string, patch: Partial<Branch>): Circuit {
  return { ...circuit, branches: circuit.branches.map((b) => (b.id === id ? ({ ...b, ...patch } as Branch) : b)) }
}

/** The core's starting values of a kind; the catalogue has them. */
export type Blanks = readonly Branch[]

function blankOf(blanks: Blanks, kind: BranchKind): Branch {
  const found = blanks.find((b) => b.kind === kind)
  if (!found) throw new Error(`The catalogue has no starting values for a ${kind}`)
  return found
}

export function changeKind(circuit: Circuit, id: string, kind: BranchKind, blanks: Blanks): Circuit {
  return {
    ...circuit,
    branches: circuit.branches.map((b) => {
      if (b.id !== id || b.kind === kind) return b
      const fresh = blankOf(blanks, kind)
      // What both kinds have is kept: ends and name, length and size between cable and strap, resistance between contacts.
      const shared = Object.fromEntries(Object.entries(b).filter(([key]) => key in fresh && key !== 'kind'))
      return { ...fresh, ...shared } as Branch
    }),
  }
}

/** A new branch in series behind one: a stud is put in between. */
export function insertAfter(circuit: Circuit, id: string, kind: BranchKind, blanks: Blanks): { circuit: Circuit; added: string } {
  const at = circuit.branches.findIndex((b) => b.id === id)
  const before = circuit.branches[at]
  if (!before) return { circuit, added: id }
  const stud = freeId(circuit, 'stud')
  const added = freeId(circuit, kind)
  const branches = [...circuit.branches]
  branches[at] = { ...before, to_node: stud }
  branches.splice(at + 1, 0, { ...blankOf(blanks, kind), id: added, from_node: stud, to_node: before.to_node })
  return { circuit: { ...circuit, nodes: [...circuit.nodes, { id: stud, role: 'stud', label: 'New stud' }], branches }, added }
}

/** Takes a source, load or charger out of its list; leads that it leaves hanging are called out by the server. */
export function removeElement(
  circuit: Circuit,
  list: 'alternators' | 'batteries' | 'loads' | 'converters' | 'chargers',
  id: string,
): Circuit {
  return { ...circuit, [list]: circuit[list].filter((e) => e.id !== id) }
}

/** A second branch between the same two nodes, as a copy to be changed. */
export function addParallel(circuit: Circuit, id: string): { circuit: Circuit; added: string } {
  const one = circuit.branches.find((b) => b.id === id)
  if (!one) return { circuit, added: id }
  const added = freeId(circuit, id)
  return { circuit: { ...circuit, branches: [...circuit.branches, { ...one, id: added, label: `${one.label} 2` }] }, added }
}

function tied(circuit: Circuit): Set<string> {
  return new Set([
    ...circuit.alternators.flatMap((a) => [a.stud_node, a.case_node]),
    ...circuit.batteries.flatMap((b) => [b.positive_node, b.negative_node]),
    ...circuit.loads.flatMap((l) => [l.from_node, l.to_node]),
    ...circuit.converters.flatMap((c) => [c.in_node, c.out_node, c.ground_node]),
    ...circuit.chargers.flatMap((c) => [c.positive_node, c.negative_node]),
  ])
}

/** Takes a branch out. In a chain the gap is closed; a parallel branch just goes. */
export function removeBranch(circuit: Circuit, id: string): Circuit {
  const gone = circuit.branches.find((b) => b.id === id)
  if (!gone) return circuit
  let branches = circuit.branches.filter((b) => b.id !== id)
  const fixed = tied(circuit)
  const degree = (node: string) => branches.filter((b) => b.from_node === node || b.to_node === node).length
  const merge = [gone.to_node, gone.from_node].find((node) => !fixed.has(node) && degree(node) === 1)
  if (merge !== undefined) {
    const stays = merge === gone.to_node ? gone.from_node : gone.to_node
    branches = branches.map((b) => ({
      ...b,
      from_node: b.from_node === merge ? stays : b.from_node,
      to_node: b.to_node === merge ? stays : b.to_node,
    }))
  }
  const used = new Set([...fixed, ...branches.flatMap((b) => [b.from_node, b.to_node])])
  return { ...circuit, branches, nodes: circuit.nodes.filter((n) => used.has(n.id)) }
}
