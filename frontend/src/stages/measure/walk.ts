/** The order in which a charging voltage-drop test is read: along the loop, focus walking by itself. */
import type { Judged } from '@/api/types'

export interface Stop {
  key: string
  label: string
  /** What to do with the probes, in words. */
  how: string
  unit: 'V' | 'mV' | 'A'
  branchId: string | null
  side: 'feed' | 'return' | null
}

export function walkOf(judged: Judged): Stop[] {
  const words = new Map(judged.loop.nodes.map((n) => [n.node_id, n.label]))
  const drop = (step: Judged['staircase']['feed'][number], side: 'feed' | 'return'): Stop => ({
    key: `branch_drop:${step.branch_id}`,
    label: step.label,
    how: `Red on ${words.get(step.from_node)}, black on ${words.get(step.to_node)}`,
    unit: 'mV',
    branchId: step.branch_id,
    side,
  })
  const { feed, home } = judged.staircase
  const first = words.get(feed[0]?.from_node ?? '') ?? 'stud'
  const plus = words.get(feed.at(-1)?.to_node ?? '') ?? 'battery +'
  const minus = words.get(home[0]?.from_node ?? '') ?? 'battery −'
  const last = words.get(home.at(-1)?.to_node ?? '') ?? 'case'
  const plain = { branchId: null, side: null } as const
  const shared = judged.assessment.branches.filter((b) => !b.on_ring || b.current_basis !== 'output')
  return [
    { key: 'stud_voltage', label: 'Stud voltage', how: `Red on ${first}, black on ${last}`, unit: 'V', ...plain },
    { key: 'battery_voltage', label: 'Battery voltage', how: `Red on ${plus}, black on ${minus}`, unit: 'V', ...plain },
    { key: 'feed_drop', label: 'Feed side, whole', how: `Red on ${first}, black on ${plus}`, unit: 'mV', branchId: null, side: 'feed' },
    ...feed.map((step) => drop(step, 'feed')),
    { key: 'return_drop', label: 'Return side, whole', how: `Red on ${minus}, black on ${last}`, unit: 'mV', branchId: null, side: 'return' },
    ...home.map((step) => drop(step, 'return')),
    ...judged.assessment.branches
      .filter((b) => !b.on_ring)
      .map<Stop>((b) => ({
        key: `branch_drop:${b.branch_id}`,
        label: b.label,
        how: `Red on ${words.get(b.from_node)}, black on ${words.get(b.to_node)} (beside the ring)`,
        unit: 'mV',
        branchId: b.branch_id,
        side: b.side,
      })),
    ...shared.map<Stop>((b) => ({
      key: `branch_current:${b.branch_id}`,
      label: `${b.label}: current`,
      how: `Clamp round ${b.label}, arrow from ${words.get(b.from_node)} to ${words.get(b.to_node)}: it shares the current with another path`,
      unit: 'A',
      branchId: b.branch_id,
      side: b.side,
    })),
  ]
}
