"""The plugs of a plan: which series serves, what goes into each cavity, and whether the halves will mate."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import networkx as nx
from pydantic import Field

from mavrik.core.catalogue.plugs import PlugSeries, plug_table
from mavrik.core.circuit import Circuit, ConductorBranch, ConnectorBranch
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.circuit.rules import element_ends
from mavrik.core.document import Document
from mavrik.core.fabrication.documents import BuildBook, Contacts, PlugSpec
from mavrik.core.fabrication.ways import over_mm
from mavrik.core.protection.continuous import continuous_currents

OTHER_HALF = {Contacts.PINS: Contacts.SOCKETS, Contacts.SOCKETS: Contacts.PINS}


class PinRow(Document):
    """A cavity and what is in it."""

    cavity: int
    branch_id: str
    label: str
    leads: tuple[str, str] = Field(
        description="What is crimped in, at its first and at its last point; empty: no lead of the circuit"
    )
    current_a: float = Field(description="The most it carries for good [A]")


class PlugView(Document):
    """A plug with its cavities."""

    id: str = Field(description="Name of the housing, or the id of its only pole")
    label: str
    series: str = Field(description="Empty: none serves")
    series_label: str
    assumed: bool = Field(description="Nobody has chosen the series")
    poles: int
    keys: tuple[str, ...]
    key: str
    gendered: bool
    ends: tuple[str, str] = Field(description="Where its halves are, by the points of its first pole")
    halves: tuple[Contacts | None, Contacts | None] = Field(description="As typed; null: see what is ordered")
    rows: tuple[PinRow, ...]
    order: tuple[str, ...] = Field(description="What to order, and how it is put together")
    live: str = Field(description="Which half stays live when it is apart")
    problems: tuple[str, ...]


def series_for(area_mm2: float, current_a: float) -> str | None:
    """The smallest series whose contact takes a conductor and carries its current; None where none does.

    area_mm2: of the conductor; current_a: for good

    >>> series_for(16, 30), series_for(50, 140), series_for(300, 10)
    ('power_2_50', 'power_2_175', None)
    """
    serving = [
        (s.rating_a, name)
        for name, s in plug_table().series.items()
        if s.least_mm2 <= area_mm2 <= s.most_mm2 and s.rating_a >= current_a and not s.gendered
    ]
    return min(serving)[1] if serving else None


@dataclass(frozen=True)
class _Pole:
    """A pole of a plug, its nodes by the half that they are in."""

    branch: ConnectorBranch
    spec: PlugSpec
    nodes: tuple[str, str]
    leads: tuple[ConductorBranch | None, ConductorBranch | None]
    current_a: float


def plug_views(circuit: Circuit, book: BuildBook) -> tuple[PlugView, ...]:
    """Every plug of a circuit.

    circuit: as it is to be; book: what was chosen of its plugs
    Where nobody has chosen a series, the smallest power plug that takes the conductors and carries what they carry for good.
    Source: common practice of the trade; series, see ``connectors.json``.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [(p.label, p.series, len(p.rows)) for p in plug_views(build_layout("tow_and_trailer", 12), BuildBook())]
    [('Coupling +', 'power_2_50', 1), ('Coupling −', 'power_2_50', 1)]
    """
    plugs = [b for b in circuit.branches if isinstance(b, ConnectorBranch)]
    if not plugs:
        return ()
    specs, carried = {p.branch_id: p for p in book.plugs}, continuous_currents(circuit)
    of: dict[str, list[ConnectorBranch]] = defaultdict(list)
    for b in plugs:
        of[(specs[b.id].housing if b.id in specs else "") or b.id].append(b)
    housings: dict[str, list[_Pole]] = {}
    for name, some in of.items():
        housings[name] = []
        beside = _joined_nodes(circuit, some)
        for b in some:
            spec = specs.get(b.id) or PlugSpec(branch_id=b.id)
            # A feed goes out through the plug through which its return comes back.
            nodes = (b.from_node, b.to_node) if b.from_node in beside or b.to_node not in beside else (b.to_node, b.from_node)
            leads = (_lead_at(circuit, nodes[0]), _lead_at(circuit, nodes[1]))
            housings[name].append(_Pole(b, spec, nodes, leads, carried[b.id]))
    seen = [_view(circuit, book, name, poles) for name, poles in housings.items()]
    return tuple(_distinct(v, seen) for v in seen)


def _joined_nodes(circuit: Circuit, poles: Sequence[ConnectorBranch]) -> set[str]:
    """What hangs together with the first point of the first pole while the plug is apart, through wires and devices."""
    ids = {b.id for b in poles}
    joined = nx.Graph()
    ends: dict[str, list[str]] = defaultdict(list)
    for element, _, node in element_ends(circuit):
        if element not in ids:
            ends[element].append(node)
    for nodes in ends.values():
        nx.add_path(joined, nodes)
    first = poles[0].from_node
    return set(nx.node_connected_component(joined, first)) if first in joined else {first}


def _lead_at(circuit: Circuit, node_id: str) -> ConductorBranch | None:
    return next((b for b in circuit.branches if isinstance(b, ConductorBranch) and node_id in (b.from_node, b.to_node)), None)


def _view(circuit: Circuit, book: BuildBook, name: str, poles: Sequence[_Pole]) -> PlugView:
    chosen = next((p.spec.series for p in poles if p.spec.series), "")
    leads = [x for p in poles for x in p.leads if x is not None]
    most = max((p.current_a for p in poles), default=0.0)
    series_name = chosen or series_for(max((x.conductor.area_mm2 for x in leads), default=4.0), most) or ""
    series = plug_table().series.get(series_name)
    key = next((p.spec.key for p in poles if p.spec.key), "")
    rows, doubled = _cavities(poles)
    labels = {n.id: n.label for n in circuit.nodes}
    first = poles[0]
    halves = tuple(
        next((h for p in poles if (h := getattr(p.spec, field)) is not None), None) for field in ("from_half", "to_half")
    )
    lives = _lives(circuit, poles)
    ends = (labels[first.nodes[0]], labels[first.nodes[1]])
    problems = list(doubled)
    if series is None:
        problems.append("No plug that is listed takes its conductors and carries what they carry: bolt it, or choose another.")
    else:
        problems += _problems(series, book, poles, rows)
        if series.gendered:
            problems += _gender(ends, halves, lives)
    return PlugView(
        id=name, label=first.branch.label if name == first.branch.id else name, series=series_name, series_label=series.label if series else "", assumed=not chosen,
        poles=series.poles if series else len(poles), keys=series.keys if series else (), key=key, gendered=bool(series and series.gendered),
        ends=ends, halves=(halves[0], halves[1]), rows=tuple(rows), order=tuple(_order(series, key, ends, halves, poles)) if series else (),
        live=_live_words(ends, lives), problems=tuple(problems),
    )  # fmt: skip


def _cavities(poles: Sequence[_Pole]) -> tuple[list[PinRow], list[str]]:
    """Poles in the cavities that somebody has said, the others in what is free; and what is said twice."""
    cavities = [p.spec.cavity for p in poles if p.spec.cavity is not None]
    doubled = [
        f"Cavity {c} is given to {cavities.count(c)} poles." for c in sorted({c for c in cavities if cavities.count(c) > 1})
    ]
    free = (k for k in range(1, 1000) if k not in cavities)
    rows = [
        PinRow(
            cavity=p.spec.cavity or next(free), branch_id=p.branch.id, label=p.branch.label, current_a=round(p.current_a, 1),
            leads=(_lead_words(p.leads[0]), _lead_words(p.leads[1])),
        )
        for p in poles
    ]  # fmt: skip
    return sorted(rows, key=lambda r: r.cavity), doubled


def _lead_words(lead: ConductorBranch | None) -> str:
    return "" if lead is None else f"{lead.label}, {lead.conductor.label}"


def _problems(series: PlugSeries, book: BuildBook, poles: Sequence[_Pole], rows: Sequence[PinRow]) -> Iterator[str]:
    specs = {s.branch_id: s for s in book.leads}
    if max(r.cavity for r in rows) > series.poles:
        yield f"{series.label} has {series.poles} cavit{'y' if series.poles == 1 else 'ies'}, not {max(r.cavity for r in rows)}."
    for p in poles:
        if p.current_a > series.rating_a:
            yield f"{p.branch.label} carries {p.current_a:.0f} A for good, its contact {series.rating_a:g} A: it heats and melts."
        for lead in (x for x in p.leads if x is not None):
            if not series.least_mm2 <= lead.conductor.area_mm2 <= series.most_mm2:
                yield f"{lead.label}, {lead.conductor.label}: its contacts are for {series.least_mm2:g} to {series.most_mm2:g} mm²."
            over = round(over_mm(lead, specs.get(lead.id)), 1)
            if series.seal_mm and not series.seal_mm[0] <= over <= series.seal_mm[1]:
                yield f"{lead.label} is {over:.1f} mm over its insulation: the seals close on {series.seal_mm[0]:g} to {series.seal_mm[1]:g} mm."


def _lives(circuit: Circuit, poles: Sequence[_Pole]) -> tuple[bool, bool]:
    """Whether each half hangs on a battery's positive while the plug is apart."""
    ids = {p.branch.id for p in poles}
    graph = graph_of(b for b in circuit.branches if b.id not in ids)
    live = {n for b in circuit.batteries for n in reach(graph, b.positive_node)}
    return any(p.nodes[0] in live for p in poles), any(p.nodes[1] in live for p in poles)


def _live_words(ends: tuple[str, str], lives: tuple[bool, bool]) -> str:
    on = [e for e, live in zip(ends, lives, strict=True) if live]
    if len(on) == 2:
        return "Both halves stay live when it is apart: a cap on each, and the fuses out first."
    return f"The half at {on[0]} stays live when it is apart." if on else ""


def _gender(ends: tuple[str, str], halves: tuple[Contacts | None, ...], lives: tuple[bool, bool]) -> Iterator[str]:
    if halves[0] is not None and halves[0] is halves[1]:
        yield f"Both halves have {halves[0].value}: they do not mate. Look at the half that is there before the other is ordered."
    for end, half, live, other in zip(ends, halves, lives, reversed(lives), strict=True):
        if half is Contacts.PINS and live and not other:
            yield f"The half at {end} stays live and has bare pins: the live half gets the sockets."


def both_halves(halves: Sequence[Contacts | None]) -> tuple[Contacts | None, Contacts | None]:
    """What each half has, where one of them is known: the other has what mates with it.

    halves: as they were typed, the first and the last

    >>> both_halves((None, Contacts.SOCKETS))
    (<Contacts.PINS: 'pins'>, <Contacts.SOCKETS: 'sockets'>)
    """
    first, last = halves
    return first or (OTHER_HALF[last] if last else None), last or (OTHER_HALF[first] if first else None)


def _order(
    series: PlugSeries, key: str, ends: tuple[str, str], halves: tuple[Contacts | None, ...], poles: Sequence[_Pole]
) -> Iterator[str]:
    named = f"{series.label}{f', {key}' if key else ''}"
    if not series.gendered:
        yield f"{named}: two halves, alike, {2 * len(poles)} contacts."
    else:
        for end, half in zip(ends, both_halves(halves), strict=True):
            yield f"{named}, for {end}: {f'half with {half.value}' if half else 'look which half is there first'}, {len(poles)} contacts."
        if series.seal_mm:
            yield "Each seal goes onto its cable before the contact is crimped; an empty cavity gets a plug."
    for p in (p for p in poles if p.spec.moved_from is not None):
        yield (
            f"{p.branch.label}: take its contacts out of cavity {p.spec.moved_from} of both halves with the tool for them, never by the "
            "cable; lift the latch of each before it goes in again, pull to see that it holds, and mark the change on the loom."
        )
    yield "Crimp with the tool for that contact, push it in until it clicks, and pull. Dielectric grease keeps water out, and insulates: thinly."


def _distinct(view: PlugView, others: Sequence[PlugView]) -> PlugView:
    """Plugs of one series that a hand may swap: each has a key of its own."""
    alike = [v for v in others if v.id != view.id and v.series == view.series and v.series and v.key == view.key]
    if not alike:
        return view
    key = f"both {view.key}" if view.key else "no key chosen"
    warning = f"May be swapped with {', '.join(v.label for v in alike)}: the same plug, {key}."
    return view.model_copy(update={"problems": (*view.problems, warning)})
