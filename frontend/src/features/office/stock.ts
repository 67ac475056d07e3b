/** The stock as it is typed. */
import type { StockCount, StockFile, StockItem, StockRecord } from '@/api/types'

export type Counts = Record<string, StockCount>
export interface StockForm {
  items: StockItem[]
  /** What was counted since, by part number. */
  counts: Counts
}

/** What a file says in place of what was there; what it did not count stays as it is. */
export function ofFile(file: StockFile): StockForm {
  const counts: Counts = {}
  for (const [number, quantity] of Object.entries(file.counted.quantity ?? {})) counts[number] = { number, quantity, reels_mm: null }
  for (const [number, reels] of Object.entries(file.counted.reels ?? {}))
    counts[number] = { number, quantity: null, reels_mm: reels.map((r) => r.mm) }
  return { items: [...(file.document.items ?? [])], counts }
}

type Kind = { name: string; says: readonly string[]; may_say?: readonly string[]; by_length: boolean }
export const toForm = (record: StockRecord): StockForm => ({ items: [...(record.document.items ?? [])], counts: {} })

/** Another kind says other things of a part: what the new one does not say goes. */
export function ofKind(item: StockItem, kind: Kind): StockItem {
  const bare = {
    size: '',
    stud: '',
    palm: null,
    sleeve: '',
    contact: '',
    series: '',
    half: null,
    key: '',
    family: null,
    rating_a: null,
    chemistry: null,
    capacity_ah: null,
    outer_mm: null,
    wall_mm: null,
    inner_mm: null,
  }
  const kept = Object.fromEntries(kind.says.map((field) => [field, item[field as keyof StockItem] ?? null]))
  return { ...item, ...bare, ...kept, kind: kind.name } as StockItem
}

export function blankPart(others: readonly StockItem[]): StockItem {
  const numbers = new Set(others.map((x) => x.number))
  let k = 1
  while (numbers.has(`NEW-${k}`)) k += 1
  return { number: `NEW-${k}`, label: 'New part', kind: 'other', price: '0', pack: 1, least: 1, days: 1 } as StockItem
}

/** Rows that hold every word that is typed. */
export function filtered(items: readonly StockItem[], text: string): { item: StockItem; at: number }[] {
  const words = text.toLowerCase().replaceAll('²', '2').split(/\s+/).filter(Boolean)
  const all = items.map((item, at) => ({ item, at }))
  return all.filter(({ item }) => {
    const text = `${item.number} ${item.label} ${item.size ?? ''} ${item.stud ?? ''}`.toLowerCase().replaceAll('²', '2')
    return words.every((w) => text.includes(w))
  })
}

/** What is there, as counted on the screen or by the books: pieces, or metres. */
export function thereOf(item: StockItem, byLength: boolean, record: StockRecord, counts: Counts): number {
  const counted = counts[item.number]
  if (counted?.reels_mm) return counted.reels_mm.reduce((a, b) => a + b, 0) / 1000
  if (counted && counted.quantity !== null && counted.quantity !== undefined) return counted.quantity / (byLength ? 1000 : 1)
  if (item.kind === 'cable') return reelsOf(item.number, record, counts).reduce((a, b) => a + b, 0) / 1000
  return (record.on_hand.quantity?.[item.number] ?? 0) / (byLength ? 1000 : 1)
}

export function reelsOf(number: string, record: StockRecord, counts: Counts): number[] {
  return [...(counts[number]?.reels_mm ?? record.on_hand.reels?.[number]?.map((r) => r.mm) ?? [])]
}

/** Lengths in metres, as `25 0.84`; null where the text is none. */
export function readReels(text: string): number[] | null {
  const words = text.trim() ? text.trim().split(/[\s;]+/) : []
  const read = words.map((w) => Number(w.replace(',', '.')) * 1000)
  return read.every((mm) => Number.isFinite(mm) && mm > 0) ? read.map((mm) => Math.round(mm)) : null
}
export const reelsInWords = (reels: readonly number[]): string => reels.map((mm) => String(mm / 1000)).join(' ')
