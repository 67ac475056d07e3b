/** Units as they are typed. */
import type { Unit } from '@/api/types'

type Points = Unit['points']

export const pointsInWords = (points: Points) => (points ?? []).map(([rpm, amps]) => `${rpm}:${amps}`).join(' ')

/** Pairs of speed and output; null where the text is none. The core says what they may be. */
export function readPoints(text: string): [number, number][] | null {
  const pairs = text.trim() ? text.trim().split(/[\s;]+/) : []
  const read = pairs.map((p) => p.split(':').map((x) => Number(x.replace(',', '.'))))
  return read.every((p) => p.length === 2 && p.every(Number.isFinite)) ? (read as [number, number][]) : null
}

export function blankUnit(others: readonly Unit[]): Unit {
  const names = new Set(others.map((u) => u.name))
  let k = 1
  while (names.has(`New unit ${k}`)) k += 1
  return {
    name: `New unit ${k}`,
    system_voltage_v: 12,
    kind: 'wound_field',
    rated_a: 120,
    points: [],
    limit_rpm: 16000,
    pulley_mm: 60,
    price: 0,
    regulator: 'internal',
    frame: '',
    ears: '',
    foot_mm: null,
    bore_mm: null,
    rotation: '',
    plug: '',
  }
}
