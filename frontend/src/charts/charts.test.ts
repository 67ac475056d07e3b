// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import { mounted } from '@/testing'
import LayoutSketch from './LayoutSketch.vue'
import LimitBar from './LimitBar.vue'
import LoopView from './LoopView.vue'

afterEach(() => document.body.replaceChildren())

/** A ring of two leads, drawn by hand; the figures are only for these tests. */
const node = (node_id: string, side: string, x: number, y: number) => ({ node_id, label: node_id, role: 'stud', side, x, y })
const lead = (branch_id: string, side: string, y: number, closed = true) => ({
  branch_id,
  side,
  on_ring: true,
  closed,
  points: [
    [110, y],
    [470, y],
  ],
  label_at: [290, y],
  label_room: 300,
  named: true,
})
const layout = {
  width: 600,
  height: 400,
  words: 1,
  nodes: [
    node('stud', 'feed', 110, 86),
    node('plus', 'feed', 470, 86),
    node('minus', 'return', 470, 258),
    node('case', 'return', 110, 258),
  ],
  branches: [lead('feed', 'feed', 86), lead('home', 'return', 258)],
  sources: [
    { id: 'alt', kind: 'alternator', label: 'Alternator', lines: ['Alternator'], start: [110, 86], end: [110, 258], leads: [] },
    { id: 'bat', kind: 'battery', label: 'Battery', lines: ['Battery'], start: [470, 86], end: [470, 258], leads: [] },
  ],
}
const cable = (id: string, label: string) => ({ kind: 'cable', id, label, size: '25 mm2', length_m: 1, parallel: 1 })
const circuit = {
  branches: [cable('feed', 'Charge cable'), cable('home', 'Ground lead')],
  alternators: [{ id: 'alt', rated_a: 90 }],
  batteries: [{ id: 'bat', capacity_ah: 70, chemistry: 'agm' }],
  loads: [],
}
const branch = (branch_id: string, measured_drop_v: number | null, verdict: string) => ({
  branch_id,
  measured_drop_v,
  predicted_drop_v: 0.04,
  verdict,
  part: '25 mm², 1 m',
  excess_heat_w: 0,
  heat_w: 1,
  rated_heat_w: 1,
})
const findings = { branches: [branch('feed', 0.181, 'fail'), branch('home', null, 'not_measured')] }

describe('the loop', () => {
  const loop = (more = {}) => mounted(LoopView, { circuit, findings, layout, ...more })
  it('shows what was read with its verdict, and in brackets what a sound part would lose', () => {
    expect(loop().get('[data-branch=feed]').text()).toContain('181 mV')
    expect(loop().get('[data-branch=home]').text()).toContain('(40)')
    expect(loop().get('[data-branch=feed]').attributes('aria-label')).toMatch(/^Charge cable 181 mV .*, FAIL$/)
  })
  it('marks a part that nobody read where the others say what is wrong with it, and not where they say that it is sound', () => {
    const marked = (verdict: string) => {
      const made = loop({ findings: { branches: [branch('feed', null, verdict), branch('home', 0.04, 'pass')] } })
      const feed = made.get('[data-branch=feed]')
      return [feed.find('.mark').exists(), feed.attributes('aria-label')!.split(', ').at(-1), feed.text().includes('(40)')]
    }
    expect(marked('fail')).toEqual([true, 'FAIL', true])
    expect(marked('undecided')).toEqual([true, 'undecided', true])
    expect(marked('pass')).toEqual([false, 'not read', true])
  })
  it('is worked by pointer and by key alike', async () => {
    const made = loop()
    await made.get('[data-branch=home]').trigger('click')
    await made.get('[data-branch=feed]').trigger('keydown.enter')
    expect(made.emitted('select')).toEqual([['home'], ['feed']])
  })
  it('says open of a lead that current cannot pass', () => {
    const open = { ...layout, branches: [lead('feed', 'feed', 86, false), lead('home', 'return', 258)] }
    expect(loop({ layout: open }).get('[data-branch=feed]').text()).toContain('open')
  })
  it('puts the probes where they go, with a letter beside the colour', () => {
    const made = loop({ red: 'plus', black: 'minus' })
    expect(made.findAll('.probe-word').map((t) => t.text())).toEqual(['R', 'B'])
  })
})

describe('a layout in small', () => {
  it('has every lead and every machine, and its frame holds them', () => {
    const sketch = mounted(LayoutSketch, { layout })
    expect(sketch.findAll('path.wire')).toHaveLength(2)
    expect(sketch.findAll('circle')).toHaveLength(1)
    const [left, top, width, height] = sketch.attributes('viewBox')!.split(' ').map(Number) as [number, number, number, number]
    for (const { x, y } of layout.nodes) {
      expect(x > left && x < left + width).toBe(true)
      expect(y > top && y < top + height).toBe(true)
    }
  })
})

describe('the bar of a reading', () => {
  it('says in words what it shows', () => {
    const bar = mounted(LimitBar, { least: 13.9, most: 14.8, value: 14.42, uncertainty: 0.1, unit: 'V', digits: 2 })
    expect(bar.attributes('aria-label')).toBe('at least 13.90 V, at most 14.80 V; reads 14.42 V')
    expect(bar.findAll('text').map((t) => t.text())).toEqual(['13.90 V', '14.80 V'])
  })
  it('is not there where nothing limits the reading', () => {
    expect(mounted(LimitBar, { least: null, most: null, value: 3, uncertainty: 0, unit: 'A', digits: 1 }).find('svg').exists()).toBe(false)
  })
})
