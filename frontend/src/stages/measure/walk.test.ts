import { describe, expect, it } from 'vitest'
import type { BranchAssessment, Judged, Step } from '@/api/types'
import { walkOf } from './walk'

const NODES = { stud: 'Stud', mid: 'Fuse stud', plus: 'Battery +', minus: 'Battery −', case: 'Case' }

function step(id: string, from: string, to: string, side: 'feed' | 'return'): Step {
  return {
    branch_id: id, label: id, side, from_node: from, to_node: to, predicted_from_v: 1, predicted_to_v: 0, measured_from_v: 1,
    measured_to_v: 0, read: false, limit_to_v: 0,
  }
}
function branch(id: string, onRing: boolean, basis: string, from: string, to: string): BranchAssessment {
  return { branch_id: id, label: id, on_ring: onRing, current_basis: basis, from_node: from, to_node: to, side: 'return' } as BranchAssessment
}
const judged = {
  loop: { width: 1, height: 1, nodes: Object.entries(NODES).map(([id, label]) => ({ node_id: id, label, role: 'stud', side: 'feed', x: 0, y: 0 })), branches: [], sources: [] },
  staircase: { feed: [step('cable', 'stud', 'mid', 'feed'), step('fuse', 'mid', 'plus', 'feed')], home: [step('ground', 'minus', 'case', 'return')] },
  assessment: {
    branches: [
      branch('cable', true, 'output', 'stud', 'mid'),
      branch('fuse', true, 'output', 'mid', 'plus'),
      branch('ground', true, 'model_split', 'minus', 'case'),
      branch('strap', false, 'model_split', 'minus', 'case'),
    ],
  },
} as unknown as Judged

describe('the walk along the loop', () => {
  const stops = walkOf(judged)
  it('goes round in the order of the ring, each side whole before its parts', () => {
    expect(stops.slice(0, 7).map((s) => s.key)).toEqual([
      'stud_voltage', 'battery_voltage', 'feed_drop', 'branch_drop:cable', 'branch_drop:fuse', 'return_drop', 'branch_drop:ground',
    ])
  })
  it('then reads what lies beside the ring, then the leads that share a current', () => {
    expect(stops.slice(7).map((s) => s.key)).toEqual(['branch_drop:strap', 'branch_current:ground', 'branch_current:strap'])
  })
  it('says where the probes go, red towards the alternator stud', () => {
    expect(stops[3]!.how).toBe('Red on Stud, black on Fuse stud')
    expect(stops[2]!.how).toBe('Red on Stud, black on Battery +')
    expect(stops[5]!.how).toBe('Red on Battery −, black on Case')
    expect(stops[8]!.how).toContain('arrow from Battery − to Case')
  })
  it('knows the unit of each reading', () => {
    expect(stops.map((s) => s.unit)).toEqual(['V', 'V', 'mV', 'mV', 'mV', 'mV', 'mV', 'mV', 'A', 'A'])
  })
})
