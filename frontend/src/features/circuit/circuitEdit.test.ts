import { describe, expect, it } from 'vitest'
import type { Branch, Circuit } from '@/api/types'
import { controlsOf, patchControl, patchPart, removeElement, renameBranch } from './circuitEdit'

/** Stands in for the catalogue's; the figures are only for these tests. */
const ends = { from_node: 'from', to_node: 'to', note: '' }
const BLANKS = [
  { kind: 'cable', id: 'new_cable', label: 'New cable', ...ends, length_m: 0.5, size: '25 mm2', material: 'copper' },
  { kind: 'ground_strap', id: 'new_strap', label: 'New strap', ...ends, length_m: 0.6, size: '16 mm2', material: 'copper' },
  { kind: 'fuse', id: 'new_fuse', label: 'New fuse', ...ends, family: 'strip_51', rating_a: 150 },
  { kind: 'connector', id: 'new_connector', label: 'New connector', ...ends, resistance_mohm: 0.2, rating_a: null },
  { kind: 'joint', id: 'new_joint', label: 'New joint', ...ends, resistance_mohm: 0.3, rating_a: null },
] as unknown as Branch[]

const LOAD = {
  id: 'load',
  label: 'New load',
  from_node: 'from',
  to_node: 'to',
  current_a: 3,
  law: 'current',
  cut_off_v: 0,
  on: true,
  inrush_a: null,
  inrush_s: 0.2,
  on_s: null,
  cranking: false,
  role: 'general',
} as const

function branch(kind: Branch['kind'], id: string, label: string, from_node: string, to_node: string): Branch {
  return { ...BLANKS.find((b) => b.kind === kind)!, id, label, from_node, to_node }
}

const circuit = {
  schema_version: 1,
  layout: '',
  system_voltage_v: 12,
  nodes: [
    { id: 'stud', role: 'alternator_stud', label: 'Stud' },
    { id: 'mid', role: 'stud', label: 'Fuse stud' },
    { id: 'plus', role: 'battery_positive', label: '+' },
    { id: 'minus', role: 'battery_negative', label: '−' },
    { id: 'case', role: 'alternator_case', label: 'Case' },
  ],
  branches: [
    branch('cable', 'feed', 'Feed', 'stud', 'mid'),
    branch('fuse', 'fuse', 'Fuse', 'mid', 'plus'),
    branch('cable', 'home', 'Home', 'minus', 'case'),
  ],
  alternators: [{ id: 'alt', label: 'A', stud_node: 'stud', case_node: 'case', rated_a: 90, set_point_v: 14.4 }],
  batteries: [
    {
      id: 'bat',
      label: 'B',
      positive_node: 'plus',
      negative_node: 'minus',
      chemistry: 'agm',
      capacity_ah: 70,
      cca_a: null,
      internal_mohm: 6,
    },
  ],
  loads: [],
  converters: [],
  chargers: [],
} as unknown as Circuit

describe('editing a circuit', () => {
  it('sets a value of one branch and leaves all others as they were', () => {
    const long = patchPart(circuit, 'branches', 'home', { length_m: 3 } as never)
    expect(long.branches[2]).toEqual({ ...circuit.branches[2], length_m: 3 })
    expect(long.branches[0]).toBe(circuit.branches[0])
    expect(circuit.branches[2]).not.toHaveProperty('length_m', 3)
  })
  it('takes a load out and nothing else', () => {
    const loaded = { ...circuit, loads: [LOAD, { ...LOAD, id: 'pump' }] }
    expect(removeElement(loaded, 'loads', 'pump')).toEqual({ ...circuit, loads: [LOAD] })
  })
  it('changes nothing for a branch that is not there', () => {
    expect(patchPart(circuit, 'branches', 'none', { label: 'x' })).toEqual(circuit)
  })
})

describe('what works a switch', () => {
  const own = { id: 's', kind: 'switch', label: 'Cut-off', worked_by: [], ...ends } as unknown as Branch
  const relay = { id: 'r', kind: 'relay', label: 'Relay', worked_by: ['Dash', 'Pillar'], ...ends } as unknown as Branch
  const circuit = { branches: [own, relay], controls: [] } as unknown as Circuit

  it('is itself, or what it names', () => {
    expect([controlsOf(own), controlsOf(relay)]).toEqual([['Cut-off'], ['Dash', 'Pillar']])
  })
  it('keeps what was looked at already', () => {
    const once = patchControl(circuit, 'Cut-off', { place: 'driver' })
    const twice = patchControl(once, 'Cut-off', { marked: true })
    expect(twice.controls).toHaveLength(1)
    expect(twice.controls?.[0]).toMatchObject({ label: 'Cut-off', place: 'driver', marked: true, lockable: null })
  })
  it('goes by its new name where the switch is its own control', () => {
    const known = patchControl(patchControl(circuit, 'Cut-off', { place: 'driver' }), 'Dash', { marked: true })
    const renamed = renameBranch(renameBranch(known, own, 'Main switch'), relay, 'Big relay')
    expect(renamed.controls?.map((c) => c.label)).toEqual(['Main switch', 'Dash'])
    expect(renamed.branches.map((b) => b.label)).toEqual(['Main switch', 'Big relay'])
  })
})
