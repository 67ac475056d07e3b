import { describe, expect, it } from 'vitest'
import type { Bill, BuildBook, BuildView } from '@/api/types'
import {
  END,
  along,
  asTicked,
  boughtAgain,
  cutGroups,
  madeOfTube,
  minutesInWords,
  ticked,
  unticked,
  waitsInWords,
  withNewWay,
  withPart,
  withPhoto,
  withPlug,
  withSpec,
  withThread,
  withWay,
  withoutWay,
} from './book'

const empty: BuildBook = {
  leads: [],
  anew: [],
  ticks: [],
  parts: [],
  photos: [],
  threads: [],
  bulkheads: [],
  ways: [],
  plugs: [],
  old: [],
  samples: false,
  signed: null,
}

describe('the book of the bench', () => {
  it('has a step ticked once, however often it is tapped', () => {
    const once = ticked(empty, 'safe', new Date('2026-03-02T09:30:00Z'))
    expect(once.ticks).toEqual([{ step: 'safe', by: '', at: '2026-03-02T09:30:00.000Z' }])
    expect(ticked(once, 'safe')).toBe(once)
    expect(unticked(once, 'safe')).toEqual(empty)
  })

  it('says by itself how far the work is, while the server is away', () => {
    const step = (id: string, needs: string[]) => ({
      id,
      needs,
      text: `${id}.`,
      minutes: 5,
      done: false,
      ready: false,
      loose: false,
      by: '',
      at: null,
      waits_for: [],
    })
    const view = {
      steps: [step('safe', []), step('off', ['safe']), step('fit', ['off']), step('on', ['fit'])],
      next_step: 'safe',
      done: 0,
      minutes_left: 20,
    }
    const seen = (...ids: string[]) =>
      asTicked(
        view as unknown as BuildView,
        ids.reduce((book, id) => ticked(book, id), empty),
      )
    expect(seen()).toMatchObject({ next_step: 'safe', done: 0, minutes_left: 20 })
    const two = seen('safe', 'off')
    expect(two).toMatchObject({ next_step: 'fit', done: 2, minutes_left: 10 })
    // The last of those that are done may be taken back; what waits says for what.
    expect(two.steps.map((s) => [s.done, s.ready, s.loose, s.waits_for])).toEqual([
      [true, false, false, []],
      [true, false, true, []],
      [false, true, false, []],
      [false, false, false, ['fit.']],
    ])
    // A tick before what its step needs counts for nothing, as with the server.
    expect(seen('fit')).toMatchObject({ next_step: 'safe', done: 0 })
    expect(seen('safe', 'off', 'fit', 'on')).toMatchObject({ next_step: null, minutes_left: 0 })
    // A photo shows from the book, which the server has not seen yet.
    const shot = asTicked(view as unknown as BuildView, withPhoto(empty, 'off', 'here'))
    expect(shot.steps.map((s) => s.photo)).toEqual([null, 'here', null, null])
  })

  it('keeps what was said of a pole before', () => {
    const shared = withPlug(withPlug(empty, 'feed', { housing: 'Trailer' }), 'feed', { key: 'red' })
    expect(shared.plugs).toEqual([
      { branch_id: 'feed', housing: 'Trailer', cavity: null, moved_from: null, series: '', key: 'red', from_half: null, to_half: null },
    ])
  })

  it('has every lug of a size made of tube, and bought again', () => {
    const end = (lug: string, stud: string, tube: [number, number] | null = null) => ({ lug, stud, tube_spec: tube })
    const cards = (made: boolean) =>
      [
        { branch_id: 'feed', ends: [end(made ? '' : '25 mm2', 'M8', made ? [12, 1.5] : null), end('25 mm2', 'M10')] },
        { branch_id: 'strap', ends: [end('16 mm2', 'M8'), end(made ? '' : '25 mm2', 'M8', made ? [12, 1.5] : null)] },
      ] as unknown as BuildView['cards']
    const looked = withSpec(empty, 'feed', { from_end: { ...END, stud: 'M8' } })
    const made = madeOfTube(looked, cards(false), { size: '25 mm2', stud: 'M8' }, { outer_mm: 12, wall_mm: 1.5 })
    const of = (book: BuildBook, id: string) => book.leads.find((l) => l.branch_id === id)
    expect(of(made, 'feed')).toMatchObject({ from_end: { school: 'tube', tube_outer_mm: 12, stud: 'M8' }, to_end: END })
    expect(of(made, 'strap')?.to_end).toMatchObject({ school: 'tube', tube_wall_mm: 1.5 })
    const again = boughtAgain(made, cards(true), { outer_mm: 12, wall_mm: 1.5 })
    expect(of(again, 'feed')?.from_end).toMatchObject({ school: 'crimp', tube_outer_mm: null, stud: 'M8' })
    expect(of(again, 'strap')?.to_end.school).toBe('crimp')
  })

  it('has one length of a stud, the last that was typed', () => {
    const twice = withThread(withThread(withThread(empty, 'block', 20), 'case', 25), 'block', 22)
    expect(twice.threads).toEqual([
      { node_id: 'case', thread_mm: 25 },
      { node_id: 'block', thread_mm: 22 },
    ])
    expect(withThread(twice, 'case', null).threads).toHaveLength(1)
  })

  it('has ways with names of their own, and a lead that is on none has its own again', () => {
    const one = withNewWay(empty)
    const two = withNewWay(withoutWay(withNewWay(one.book).book, one.id))
    expect(two.book.ways.map((w) => w.id)).toEqual(['way_2', 'way_3'])
    const laid = withSpec(withSpec(two.book, 'cable', { route_mm: 900 }), 'cable', along('way_2'))
    expect(laid.leads[0]).toMatchObject({ way: 'way_2', route_mm: null })
    const renamed = withWay(withSpec(laid, 'cable', { to_tail_mm: 120 }), 'way_2', { label: 'Sill' })
    expect(renamed.ways[0]?.label).toBe('Sill')
    expect(withoutWay(renamed, 'way_2').leads[0]).toMatchObject({ way: null, to_tail_mm: 0 })
  })

  it('keeps what else was measured of a lead', () => {
    const long = withSpec(empty, 'cable', { route_mm: 1250 })
    const both = withSpec(long, 'cable', { to_end: { ...END, stud: 'M10' } })
    expect(both.leads).toHaveLength(1)
    expect(both.leads[0]).toMatchObject({ branch_id: 'cable', route_mm: 1250, slack: 0.03, to_end: { stud: 'M10' } })
  })

  it('keeps the number that was chosen when a price is typed beside it', () => {
    const both = withPart(withPart(empty, 'lug', { number: 'L1' }), 'lug', { price: '2' })
    expect(both.parts).toEqual([{ need: 'lug', number: 'L1', price: '2' }])
  })

  it('has what is cut from reels before what is bought, and what is cut already last', () => {
    const cuts = ['a', 'b', 'c'].map((branch_id) => ({ branch_id, label: branch_id, runs: 1, cut_mm: 500 }))
    const takes = [
      { step: 'make:a', quantity: 500, piece: '', scrap_mm: 0 },
      { step: 'make:b', quantity: 500, piece: '2', scrap_mm: 90 },
    ]
    const bill = { lines: [{ id: 'cable:25 mm2', takes }] } as unknown as Bill
    const groups = cutGroups({ size: '25 mm2', total_mm: 1500, cuts }, bill)
    expect(groups.map((g) => [g.piece, g.cuts[0]?.label, g.cuts[0]?.scrap_mm])).toEqual([
      ['2', 'b', 90],
      ['', 'a', 0],
      [null, 'c', 0],
    ])
    expect(cutGroups({ size: '25 mm2', total_mm: 1500, cuts }, null).map((g) => g.piece)).toEqual([''])
  })

  it('has one photo a step, and none when it was taken out', () => {
    const twice = withPhoto(withPhoto(empty, 'safe', 'a'), 'safe', 'b')
    expect(twice.photos).toEqual([{ step: 'safe', photo: 'b' }])
    expect(withPhoto(twice, 'safe', null).photos).toEqual([])
  })

  it('says when what is bought is there', () => {
    expect([waitsInWords(0), waitsInWords(1), waitsInWords(1.5)]).toEqual(['', ', there in 1 day', ', there in 2 days'])
  })

  it('says hours from an hour on', () => {
    expect([minutesInWords(0), minutesInWords(59.4), minutesInWords(60), minutesInWords(95)]).toEqual([
      '0 min',
      '59 min',
      '1 h',
      '1 h 35 min',
    ])
  })
})
