/** Small geometry of the loop drawing. */
import type { Branch, BranchFinding } from '@/api/types'

/** Line width by diameter, so that areas compare as on the bench. */
export function strokeWidth(areaMm2: number | undefined): number {
  return areaMm2 === undefined ? 7 : Math.min(1.4 * Math.sqrt(areaMm2), 22)
}

/** Opacity of the heat glow: half at 8 W, so that a warm lug already shows. */
export function heatOpacity(watts: number): number {
  return watts <= 0 ? 0 : Math.min(0.85, watts / (watts + 8))
}

export function isConductor(branch: Branch | undefined): branch is Extract<Branch, { kind: 'cable' | 'ground_strap' }> {
  return branch?.kind === 'cable' || branch?.kind === 'ground_strap'
}

/** Heat to show: what was measured, else what a sound part makes. */
export function shownHeat(finding: BranchFinding): number {
  return finding.heat_w ?? finding.predicted_heat_w
}

/** A polyline with its corners rounded. */
export function roundedPath(points: [number, number][], radius = 26): string {
  const first = points[0]
  if (!first) return ''
  let path = `M${first[0]} ${first[1]}`
  for (let k = 1; k < points.length; k++) {
    const [x, y] = points[k]!
    const next = points[k + 1]
    if (!next) {
      path += `L${x} ${y}`
      continue
    }
    const [px, py] = points[k - 1]!
    const before = Math.hypot(x - px, y - py)
    const after = Math.hypot(next[0] - x, next[1] - y)
    const r = Math.min(radius, before / 2, after / 2)
    const ax = x - ((x - px) / (before || 1)) * r
    const ay = y - ((y - py) / (before || 1)) * r
    const bx = x + ((next[0] - x) / (after || 1)) * r
    const by = y + ((next[1] - y) / (after || 1)) * r
    path += `L${ax} ${ay}Q${x} ${y} ${bx} ${by}`
  }
  return path
}

export interface Limited {
  least: number | null
  most: number | null
  /** Null: nothing read yet. */
  value: number | null
  uncertainty: number
}

const BAR_WIDE = 1000

/** Where the limits and a reading lie on a bar 1000 wide, drawn so wide that a reading beyond them is still on it. */
export function limitBar({ least, most, value, uncertainty }: Limited) {
  if (least === null && most === null) return null
  const edges = [least, most].filter((e) => e !== null)
  const reach = [...edges, ...(value === null ? [] : [value - uncertainty, value + uncertainty])]
  const span = Math.max(Math.max(...reach) - Math.min(...reach), 0.12 * Math.max(...edges.map(Math.abs)), 1e-9)
  const [from, to] = [Math.min(...reach) - 0.3 * span, Math.max(...reach) + 0.3 * span]
  const place = (v: number) => ((v - from) / (to - from)) * BAR_WIDE
  return {
    from: least === null ? 0 : place(least),
    to: most === null ? BAR_WIDE : place(most),
    edges: edges.map((e) => [place(e), e] as const),
    at: value === null ? null : place(value),
    low: value === null ? 0 : place(value - uncertainty),
    high: value === null ? 0 : place(value + uncertainty),
  }
}
