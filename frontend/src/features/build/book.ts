/** What a person does to the book of the bench; what it comes to, the core says. */
import type { Bill, BuildBook, BuildView } from '@/api/types'

type Spec = BuildBook['leads'][number]

export function ticked(book: BuildBook, step: string, at: Date = new Date()): BuildBook {
  return book.ticks.some((t) => t.step === step) ? book : { ...book, ticks: [...book.ticks, { step, by: '', at: at.toISOString() }] }
}

/** How far the work is by the ticks of a book, while the server that says so is out of reach: a step is done once what it needs is. */
export function asTicked(view: BuildView, book: BuildBook): BuildView {
  const ticks = new Set(book.ticks.map((t) => t.step))
  const done = new Set<string>()
  for (const s of view.steps) if (ticks.has(s.id) && s.needs.every((n) => done.has(n))) done.add(s.id)
  const needed = new Set(view.steps.filter((s) => done.has(s.id)).flatMap((s) => s.needs))
  const words = new Map(view.steps.map((s) => [s.id, s.text]))
  const photos = new Map((book.photos ?? []).map((p) => [p.step, p.photo]))
  const steps = view.steps.map((s) => {
    const is = done.has(s.id)
    const waits = s.needs.filter((n) => !done.has(n))
    return {
      ...s,
      done: is,
      by: is ? s.by : '',
      at: is ? s.at : null,
      photo: photos.get(s.id) ?? null,
      ready: !is && waits.length === 0,
      loose: is && !needed.has(s.id),
      waits_for: waits.map((n) => words.get(n) ?? n),
    }
  })
  const left = steps.filter((s) => !s.done)
  return {
    ...view,
    headline: left.length ? `${left.length} of ${steps.length} steps to do` : 'All of it is done',
    steps,
    next_step: left.find((s) => s.ready)?.id ?? null,
    done: done.size,
    minutes_left: left.reduce((sum, s) => sum + s.minutes, 0),
  }
}

export function unticked(book: BuildBook, step: string): BuildBook {
  return { ...book, ticks: book.ticks.filter((t) => t.step !== step) }
}

export function withPhoto(book: BuildBook, step: string, photo: string | null): BuildBook {
  const others = (book.photos ?? []).filter((p) => p.step !== step)
  return { ...book, photos: photo === null ? others : [...others, { step, photo }] }
}

/** An end of which nothing is known. */
export const END: Spec['from_end'] = {
  stud: null,
  metal: null,
  palm: 'flat',
  tool: 'hex',
  die_mm: null,
  school: null,
  tube_outer_mm: null,
  tube_wall_mm: null,
}

const BLANK: Omit<Spec, 'branch_id'> = {
  route_mm: null,
  way: null,
  from_tail_mm: 0,
  to_tail_mm: 0,
  slack: 0.03,
  cable_mm: null,
  reclaimed: null,
  from_end: END,
  to_end: END,
}

export function withSpec(book: BuildBook, lead: string, what: Partial<Spec>): BuildBook {
  const before = book.leads.find((l) => l.branch_id === lead) ?? { ...BLANK, branch_id: lead }
  return { ...book, leads: [...book.leads.filter((l) => l.branch_id !== lead), { ...before, ...what }] }
}

export type Plug = NonNullable<BuildBook['plugs']>[number]
const PLUG: Omit<Plug, 'branch_id'> = { housing: '', cavity: null, moved_from: null, series: '', key: '', from_half: null, to_half: null }

export function withPlug(book: BuildBook, pole: string, what: Partial<Plug>): BuildBook {
  const before = (book.plugs ?? []).find((p) => p.branch_id === pole) ?? { ...PLUG, branch_id: pole }
  return { ...book, plugs: [...(book.plugs ?? []).filter((p) => p.branch_id !== pole), { ...before, ...what }] }
}

export function withThread(book: BuildBook, node: string, mm: number | null): BuildBook {
  const others = (book.threads ?? []).filter((t) => t.node_id !== node)
  return { ...book, threads: mm === null ? others : [...others, { node_id: node, thread_mm: mm }] }
}

export type Bulkhead = NonNullable<BuildBook['bulkheads']>[number]

/** What is said of a stud through a panel; null: it goes through none. */
export function withBulkhead(book: BuildBook, node: string, what: Bulkhead | null): BuildBook {
  const others = (book.bulkheads ?? []).filter((b) => b.node_id !== node)
  return { ...book, bulkheads: what === null ? others : [...others, what] }
}

export type Old = NonNullable<BuildBook['old']>[number]
export function withOld(book: BuildBook, part: Old): BuildBook {
  return { ...book, old: [...(book.old ?? []).filter((p) => p.part_id !== part.part_id), part] }
}

export type Way = NonNullable<BuildBook['ways']>[number]
export type Stretch = Way['stretches'][number]

/** A stretch of which only its length is known. */
export const stretch = (length_mm: number): Stretch => ({
  length_mm,
  where: 'engine',
  ends_at: 'clamp',
  what: '',
  moving: false,
  radius_mm: null,
})

/** A book with one way more, to be corrected at the vehicle, and its id. */
export function withNewWay(book: BuildBook): { book: BuildBook; id: string } {
  const ways = book.ways ?? []
  let k = ways.length + 1
  while (ways.some((w) => w.id === `way_${k}`)) k += 1
  const way: Way = { id: `way_${k}`, label: `Way ${k}`, stretches: [stretch(1000)], straight_mm: null }
  return { book: { ...book, ways: [...ways, way] }, id: way.id }
}

export function withWay(book: BuildBook, id: string, what: Partial<Way>): BuildBook {
  return { ...book, ways: (book.ways ?? []).map((w) => (w.id === id ? { ...w, ...what } : w)) }
}

/** Its leads have a way of their own again. */
export function withoutWay(book: BuildBook, id: string): BuildBook {
  return {
    ...book,
    ways: (book.ways ?? []).filter((w) => w.id !== id),
    leads: book.leads.map((l) => (l.way === id ? { ...l, way: null, from_tail_mm: 0, to_tail_mm: 0 } : l)),
  }
}

/** What is said of a lead that is laid along a way, which then says how long it is; null: along one of its own. */
export const along = (way: string | null): Partial<Spec> =>
  way === null ? { way, from_tail_mm: 0, to_tail_mm: 0 } : { way, route_mm: null }

/** Every end that has a bought lug of a size for a stud, made of tube instead. */
export function madeOfTube(
  book: BuildBook,
  cards: BuildView['cards'],
  lug: { size?: string; stud?: string },
  tube: { outer_mm: number; wall_mm: number },
): BuildBook {
  const what = { school: 'tube' as const, tube_outer_mm: tube.outer_mm, tube_wall_mm: tube.wall_mm }
  return withEnds(book, cards, (end) => end.lug === lug.size && end.stud === lug.stud, what)
}

/** Every end that has a lug of a tube, with a bought one again. */
export function boughtAgain(
  book: BuildBook,
  cards: BuildView['cards'],
  tube: { outer_mm?: number | null; wall_mm?: number | null },
): BuildBook {
  const is = (end: End) => !!end.tube_spec && end.tube_spec[0] === tube.outer_mm && end.tube_spec[1] === tube.wall_mm
  return withEnds(book, cards, is, { school: 'crimp', tube_outer_mm: null, tube_wall_mm: null })
}

type End = BuildView['cards'][number]['ends'][number]
function withEnds(book: BuildBook, cards: BuildView['cards'], is: (end: End) => boolean, what: Partial<Spec['from_end']>): BuildBook {
  let made = book
  for (const card of cards) {
    card.ends.forEach((end, k) => {
      const field = k === 0 ? 'from_end' : 'to_end'
      const before = made.leads.find((l) => l.branch_id === card.branch_id)?.[field] ?? END
      if (is(end)) made = withSpec(made, card.branch_id, { [field]: { ...before, ...what } })
    })
  }
  return made
}

/** Whole minutes; from an hour on hours and minutes. */
export function minutesInWords(minutes: number): string {
  const whole = Math.round(minutes)
  if (whole < 60) return `${whole} min`
  const rest = whole % 60
  return rest ? `${Math.floor(whole / 60)} h ${rest} min` : `${Math.floor(whole / 60)} h`
}

type Choice = BuildBook['parts'][number]

export function withPart(book: BuildBook, need: string, what: Partial<Choice>): BuildBook {
  const before = (book.parts ?? []).find((p) => p.need === need) ?? { need, number: '', price: null }
  return { ...book, parts: [...(book.parts ?? []).filter((p) => p.need !== need), { ...before, ...what }] }
}

/** The end of a sentence on what is bought. */
export function waitsInWords(days: number): string {
  if (days <= 0) return ''
  const whole = Math.ceil(days)
  return whole === 1 ? ', there in 1 day' : `, there in ${whole} days`
}

export interface CutGroup {
  /** Mark of a reel; empty: bought first; null: cut already. */
  piece: string | null
  cuts: { key: string; mm: number; label: string; scrap_mm: number }[]
}

/** The cuts of one cable by what they are cut from: reels in their order, then what is bought, then what is done. */
export function cutGroups(cable: BuildView['cables'][number], bill: Bill | null): CutGroup[] {
  const takes = bill?.lines.find((x) => x.id === `cable:${cable.size}`)?.takes ?? null
  const groups = new Map<string | null, CutGroup>()
  const put = (piece: string | null, cut: CutGroup['cuts'][number]) => {
    const group = groups.get(piece) ?? { piece, cuts: [] }
    group.cuts.push(cut)
    groups.set(piece, group)
  }
  for (const cut of cable.cuts) {
    const ownTakes = takes?.filter((t) => t.step === `make:${cut.branch_id}`) ?? []
    for (let k = 0; k < cut.runs; k += 1) {
      const take = ownTakes[k]
      const piece = take ? take.piece : takes ? null : ''
      put(piece, { key: `${cut.branch_id}:${k}`, mm: cut.cut_mm, label: cut.label, scrap_mm: take?.scrap_mm ?? 0 })
    }
  }
  const rank = (g: CutGroup) => (g.piece === null ? 2 : g.piece === '' ? 1 : 0)
  return [...groups.values()].sort((a, b) => rank(a) - rank(b) || Number(a.piece) - Number(b.piece))
}

/** Where a lead's card stands. */
export const leadPage = (lead: { job_id: number; branch_id: string }) => ({
  name: 'job',
  params: { id: lead.job_id, stage: 'build' },
  query: { lead: lead.branch_id },
})
