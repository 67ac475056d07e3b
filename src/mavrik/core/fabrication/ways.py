"""The ways that leads are laid along: how long, how thick the bundle, where it is clamped, sleeved and goes through."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from pydantic import Field

from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.document import Document
from mavrik.core.fabrication.documents import BuildBook, LeadSpec, Passage, Surroundings, Way, WayStretch
from mavrik.core.fabrication.stranded import usual_over_mm

CLAMPED_MM = 450.0
"""Clamps are no farther apart. ABYC E-11 (18 in) and ISO 10133, from memory."""
BESIDE_MOVING_MM = 200.0
"""Beside what moves. Common practice, no source."""
BEND_TIMES = 5.0
"""Of a cable's diameter: its bend, laid for good, at the middle. Makers of flexible battery cable say four to six; from memory."""
FILL = 0.64
"""Of a bundle's circle that its cables fill: three equal ones fill 0.646 of theirs at best, any other number more; looked at from memory."""
SLEEVE_WALL_MM = 1.0
SLEEVE_ROOM = 1.1
"""Wider than its bundle, so that it can be drawn on."""

WHERE_WORDS = {
    Surroundings.CABIN: "cabin",
    Surroundings.ENGINE: "engine bay",
    Surroundings.OUTSIDE: "under floor",
    Surroundings.HOT: "by exhaust",
}
PASSAGE_WORDS = {
    Passage.CLAMP: "clamp",
    Passage.GROMMET: "grommet",
    Passage.SEAL: "sealed gland",
    Passage.STUD: "bulkhead stud",
    Passage.NOTHING: "nothing",
}
SLEEVES = {Surroundings.ENGINE: "sleeve", Surroundings.OUTSIDE: "sleeve", Surroundings.HOT: "heat_sleeve"}
"""What is drawn over a bundle there. Common practice: sleeve outside the cabin, heat sleeve over the engine."""
AT_PANEL = frozenset({Passage.GROMMET, Passage.SEAL, Passage.STUD})
SLEEVE_WORDS = {"sleeve": "ribbed sleeve", "heat_sleeve": "heat sleeve"}


class WayMark(Document):
    """A place on a way."""

    at_mm: float = Field(description="From its beginning")
    kind: Passage
    what: str


class SleeveRun(Document):
    """A piece of sleeve."""

    kind: str
    from_mm: float
    to_mm: float
    inner_mm: float = Field(description="At least")


class LaidLead(Document):
    """A lead on a way."""

    branch_id: str
    label: str
    over_mm: float
    runs: int


class WayView(Document):
    """A way with what it takes."""

    id: str
    label: str
    length_mm: float
    leads: tuple[LaidLead, ...]
    bundle_mm: float | None = Field(description="Diameter over all leads; null: none is laid there")
    bend_mm: float | None = Field(description="No bend is tighter than that, at the middle of the thickest")
    marks: tuple[WayMark, ...] = Field(
        description="Clamps and passages from its beginning on; without leads those that were typed"
    )
    sleeves: tuple[SleeveRun, ...]
    holds_mm: float | None = Field(description="What clamps and grommets have to take: the bundle in its sleeve")
    says: tuple[str, ...] = Field(description="What to mind on it")
    problems: tuple[str, ...]


def bundle_mm(diameters: Sequence[float]) -> float:
    """Diameter of the circle round several cables that lie as they fall [mm].

    diameters: over the insulation of each [mm], at least one, above 0
    Never smaller than the two thickest beside each other, and no fuller than three equal ones can be.
    Source: geometry; known packings of equal circles in a circle, see `FILL`.

    >>> bundle_mm([10.0]), bundle_mm([10.0, 8.0]), round(bundle_mm([10.0] * 7), 1)
    (10.0, 18.0, 33.1)
    """
    if not diameters or min(diameters) <= 0:
        raise ValueError("A bundle has cables, each with a diameter above 0")
    if len(diameters) == 1:
        return diameters[0]
    first, second, *more = sorted(diameters, reverse=True)
    return first + second if not more else max(first + second, math.sqrt(sum(d * d for d in diameters) / FILL))


def over_mm(lead: ConductorBranch, spec: LeadSpec | None) -> float:
    """Over the insulation of a lead, as measured, else as is usual [mm]."""
    if spec is not None and spec.cable_mm is not None:
        return spec.cable_mm
    return usual_over_mm(lead.conductor, lead.stranding)


def route_mm(spec: LeadSpec, ways: Sequence[Way]) -> float | None:
    """How long the way of a lead is, where anybody has said [mm].

    spec: of the lead; ways: of its book

    >>> way = Way(id="sill", label="Sill", stretches=(WayStretch(length_mm=1200), WayStretch(length_mm=800)))
    >>> route_mm(LeadSpec(branch_id="feed", way="sill", to_tail_mm=150), [way])
    2150.0
    """
    way = next((w for w in ways if w.id == spec.way), None)
    return spec.route_mm if way is None else way.length_mm + spec.from_tail_mm + spec.to_tail_mm


def way_views(circuit: Circuit, book: BuildBook) -> tuple[WayView, ...]:
    """Every way of a book with what lies on it and what it takes.

    circuit: as it is to be; book: ways, and which lead is laid along which
    Clamps stand where a stretch says so, and between so that none is farther from the next than `CLAMPED_MM`, or beside what moves
    `BESIDE_MOVING_MM`.
    Source: see the constants.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> wing = Way(id="wing", label="Inner wing", stretches=(WayStretch(length_mm=700), WayStretch(length_mm=300, ends_at="grommet")))
    >>> book = BuildBook(ways=(wing,), leads=(LeadSpec(branch_id="charge_cable", way="wing"),))
    >>> (view,) = way_views(front_battery(12), book)
    >>> [(m.kind.value, round(m.at_mm)) for m in view.marks], round(view.bend_mm)
    ([('clamp', 350), ('clamp', 700), ('grommet', 1000)], 52)
    """
    return tuple(_view(circuit, book, way) for way in book.ways)


def _view(circuit: Circuit, book: BuildBook, way: Way) -> WayView:
    specs = {s.branch_id: s for s in book.leads}
    on = [b for b in circuit.branches if isinstance(b, ConductorBranch) and (s := specs.get(b.id)) and s.way == way.id]
    leads = tuple(LaidLead(branch_id=b.id, label=b.label, over_mm=over_mm(b, specs[b.id]), runs=b.parallel) for b in on)
    thick = bundle_mm([x.over_mm for x in leads for _ in range(x.runs)]) if leads else None
    bend = BEND_TIMES * max(x.over_mm for x in leads) if leads else None
    sleeves = tuple(_sleeves(way.stretches, thick)) if thick else ()
    holds = None if thick is None else (sleeves and max(s.inner_mm for s in sleeves) + 2 * SLEEVE_WALL_MM) or thick
    return WayView(
        id=way.id, label=way.label, length_mm=way.length_mm, leads=leads, bundle_mm=thick, bend_mm=bend,
        marks=tuple(_marks(way.stretches)), sleeves=sleeves, holds_mm=holds, says=tuple(_says(way.stretches)),
        problems=(*_problems(way, bend), *_at_no_stud(way, on, book)),
    )  # fmt: skip


def _marks(stretches: Sequence[WayStretch]) -> Iterator[WayMark]:
    begun = 0.0
    for s in stretches:
        spans = math.ceil(s.length_mm / (BESIDE_MOVING_MM if s.moving else CLAMPED_MM) - 1e-9)
        for k in range(1, spans):
            yield WayMark(at_mm=begun + s.length_mm * k / spans, kind=Passage.CLAMP, what="")
        begun += s.length_mm
        if s.ends_at is not Passage.NOTHING:
            yield WayMark(at_mm=begun, kind=s.ends_at, what=s.what)


def _sleeves(stretches: Sequence[WayStretch], thick: float) -> Iterator[SleeveRun]:
    """One piece over neighbours that take the same; a panel ends it."""
    begun, run = 0.0, None
    for s in stretches:
        kind, end = SLEEVES.get(s.where), begun + s.length_mm
        if run is not None and run.kind == kind:
            run = run.model_copy(update={"to_mm": end})
        else:
            if run is not None:
                yield run
            run = None if kind is None else SleeveRun(kind=kind, from_mm=begun, to_mm=end, inner_mm=thick * SLEEVE_ROOM)
        if run is not None and s.ends_at in AT_PANEL:
            yield run
            run = None
        begun = end
    if run is not None:
        yield run


def _says(stretches: Sequence[WayStretch]) -> Iterator[str]:
    if any(s.where is Surroundings.HOT for s in stretches):
        yield "Off the exhaust by a hand's width wherever it can be; the heat sleeve is for where it cannot."
    if any(s.moving for s in stretches):
        yield "Beside what moves: clamped close, and turned and steered through by hand before the engine runs."
    if any(s.ends_at is Passage.GROMMET for s in stretches):
        yield "Every hole is deburred and has its grommet before a cable goes through."
    if any(s.ends_at is Passage.SEAL for s in stretches):
        yield "A gland is drawn tight and looked at from the wet side."


def _problems(way: Way, bend: float | None) -> Iterator[str]:
    if way.straight_mm is not None and way.length_mm < way.straight_mm:
        yield f"Its stretches are {way.length_mm:.0f} mm, shorter than the straight line of {way.straight_mm:.0f} mm: measure again."
    for k, s in enumerate(way.stretches, 1):
        if bend is not None and s.radius_mm is not None and s.radius_mm < bend:
            name = f"Stretch {k}{f', to {s.what}' if s.what else ''}"
            yield f"{name}: bent to {s.radius_mm:.0f} mm, tighter than the {bend:.0f} mm that its thickest cable bears."


def _at_no_stud(way: Way, leads: Sequence[ConductorBranch], book: BuildBook) -> Iterator[str]:
    """Leads end at a bulkhead stud, and so does their way; which point of the circuit it is, the book says."""
    for k, s in enumerate(way.stretches[:-1], 1):
        if s.ends_at is Passage.STUD:
            yield f"Stretch {k} ends at a bulkhead stud, and so do its leads: what follows is a way of its own."
    if way.stretches[-1].ends_at is Passage.STUD:
        studs = {b.node_id for b in book.bulkheads}
        for b in leads:
            if studs.isdisjoint((b.from_node, b.to_node)):
                yield f"{b.label} ends at no bulkhead stud: say under Points which of its ends goes through the panel."


def laid_words(view: WayView) -> str:
    """How a bundle is laid, for a step.

    view: of its way
    """
    held = [m for m in view.marks if m.kind is Passage.CLAMP]
    through = [
        f"{PASSAGE_WORDS[m.kind]}{f' at {m.what}' if m.what else ''}"
        for m in view.marks
        if m.kind in (Passage.GROMMET, Passage.SEAL)
    ]
    ends = next((m for m in view.marks if m.kind is Passage.STUD), None)
    parts = [f"along {view.label}"]
    if view.sleeves:
        parts.append("in " + " and ".join(dict.fromkeys(SLEEVE_WORDS[s.kind] for s in view.sleeves)))
    if through:
        parts.append("through " + ", ".join(through))
    if held:
        parts.append(f"held by {len(held)} clamp{'s' if len(held) > 1 else ''}")
    if ends:
        parts.append(f"up to the bulkhead stud{f' at {ends.what}' if ends.what else ''}")
    return ", ".join(parts)
