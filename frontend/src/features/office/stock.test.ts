import { describe, expect, it } from 'vitest'
import type { StockItem, StockRecord } from '@/api/types'
import { blankPart, filtered, ofFile, ofKind, readReels, thereOf } from './stock'

const lug = { number: 'L1', label: 'Lug 25 mm², M8', kind: 'lug', size: '25 mm2', stud: 'M8', price: '1.60' } as StockItem
const cable = { number: 'C1', label: 'Cable', kind: 'cable', size: '25 mm2', price: '6' } as StockItem
const record = {
  revision: 1,
  document: { items: [lug, cable] },
  on_hand: { quantity: { L1: -2 }, reels: { C1: [{ piece: '3', mm: 2500 }] } },
} as unknown as StockRecord

describe('the stock as it is typed', () => {
  it('finds a part by every word, however the unit is written', () => {
    expect(filtered([lug, cable], '25 mm2 m8').map((r) => r.item.number)).toEqual(['L1'])
    expect(filtered([lug, cable], '25').map((r) => r.at)).toEqual([0, 1])
    expect(filtered([lug, cable], '')).toHaveLength(2)
  })
  it('drops what another kind does not say, and keeps what it does', () => {
    const now = ofKind(lug, { name: 'cable', says: ['size'], by_length: true })
    expect([now.kind, now.size, now.stud]).toEqual(['cable', '25 mm2', ''])
  })
  it('says what the books say until somebody has counted', () => {
    expect(thereOf(lug, false, record, {})).toBe(-2)
    expect(thereOf(cable, true, record, {})).toBe(2.5)
    const counts = { L1: { number: 'L1', quantity: 4, reels_mm: null }, C1: { number: 'C1', quantity: null, reels_mm: [1000, 250] } }
    expect(thereOf(lug, false, record, counts)).toBe(4)
    expect(thereOf(cable, true, record, counts)).toBe(1.25)
  })
  it('reads lengths in metres and refuses what is none', () => {
    expect(readReels('25 0,84')).toEqual([25000, 840])
    expect(readReels('')).toEqual([])
    expect(readReels('25 some')).toBeNull()
    expect(readReels('0')).toBeNull()
  })
  it('gives a new part a number that nobody has', () => {
    expect(blankPart([{ ...lug, number: 'NEW-1' }]).number).toBe('NEW-2')
  })
  it('takes counts from a file only where it counted', () => {
    const file = { document: { items: [lug, cable] }, counted: { quantity: { L1: 7 }, reels: {} } }
    expect(Object.keys(ofFile(file as never).counts)).toEqual(['L1'])
  })
})
