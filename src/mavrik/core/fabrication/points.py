"""The points of a circuit as a person wires them: what lands on each, in which order, and whether its stud is long enough."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from pydantic import Field

from mavrik.core.catalogue.conductor import parse_size
from mavrik.core.catalogue.lugs import StudMetal, barrel_for, lug_table, stud
from mavrik.core.circuit import Circuit, ConductorBranch, Node, TerminationKind
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.circuit.rules import element_ends
from mavrik.core.document import Document
from mavrik.core.fabrication.barrel import smallest_barrel
from mavrik.core.fabrication.bolted import stack, torque_nm
from mavrik.core.fabrication.cards import ELSEWHERE, SOFT, USUAL_STUD
from mavrik.core.fabrication.documents import BuildBook, BulkheadStud, EndSpec
from mavrik.core.fabrication.plugged import is_plugged
from mavrik.core.fabrication.plugs import PlugView, plug_views
from mavrik.core.protection.continuous import continuous_currents


class Landing(Document):
    """What ends at a point."""

    part_id: str
    label: str
    what: str = Field(description="Size or rating; empty: a device")
    place: int | None = Field(
        description="In the stack, 1 at the stud's foot; null: no lug on the stud, but a clamp or a terminal of its own"
    )
    current_a: float | None = Field(description="The most it carries for good [A]; null: a device")


class FarSide(Document):
    """The other side of a panel that a stud goes through."""

    through: str = Field(description="The panel")
    there: bool = Field(description="Whether the stud is in it already")
    landings: tuple[Landing, ...] = Field(description="From the panel to the nut")
    thread_mm: float | None
    needs_mm: float | None = Field(description="null: no lug goes there")
    crosses_a: float | None = Field(
        description="The most that goes through the panel for good [A]; null: nobody can say, or nothing ends on one of its sides"
    )


class WiredPoint(Document):
    """A point of the circuit."""

    number: int = Field(description="As the schematic numbers it, from 1")
    node_id: str
    label: str
    stud: str = Field(description="Empty: no lug goes there")
    torque_nm: float | None = Field(description="Where no maker says otherwise; null: no lug goes there")
    landings: tuple[Landing, ...] = Field(description="From the stud's foot to its nut, then what is not on the stud")
    thread_mm: float | None = Field(description="Of its stud, as somebody measured it")
    needs_mm: float | None = Field(
        description="Thread that lugs, washer, nut and two turns beyond it take; null: no lug goes there"
    )
    assumed: tuple[str, ...] = Field(description="What nobody has looked at, and was taken to be so")
    problems: tuple[str, ...] = Field(description="What is wrong with it; empty: nothing")
    far: FarSide | None = Field(None, description="Of a stud that goes through a panel, where what is above is its near side")
    if_through: BulkheadStud | None = Field(
        None, description="What to begin with where it is said to go through a panel; null: no lug goes there"
    )


class PointsView(Document):
    """Every point and every plug of a circuit as it is to be."""

    points: tuple[WiredPoint, ...]
    plugs: tuple[PlugView, ...]


def points_view(circuit: Circuit, book: BuildBook) -> PointsView:
    """Both, as `wired_points` and `plug_views`."""
    return PointsView(points=wired_points(circuit, book), plugs=plug_views(circuit, book))


def wired_points(circuit: Circuit, book: BuildBook) -> tuple[WiredPoint, ...]:
    """Every point with what lands on it.

    circuit: as it is to be; book: studs and threads as somebody has looked at them, for leads that stay too
    Lugs lie by what they carry for good, most at the foot; a palm is as thick as both walls of its barrel. Fuses, contacts and devices
    bring terminals of their own: they are named, and not counted.
    Source: `stack` and `torque_nm` for studs, `continuous_currents` for what is carried.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> (block,) = (p for p in wired_points(front_battery(12), BuildBook()) if p.node_id == "block")
    >>> block.stud, [x.label for x in block.landings if x.place]
    ('M10', ['Battery to block', 'Engine strap'])
    """
    wiring = _Wiring(continuous_currents(circuit), element_ends(circuit), _device_labels(circuit))
    return tuple(_point(circuit, wiring, book, k, node) for k, node in enumerate(circuit.nodes, 1))


@dataclass(frozen=True)
class _Wiring:
    """What is asked of a circuit at every point."""

    carried: Mapping[str, float]
    ends: Sequence[tuple[str, str, str]]
    devices: Mapping[str, str]


@dataclass(frozen=True)
class _Lug:
    """One lug on a stud."""

    lead: ConductorBranch
    current_a: float


def _point(circuit: Circuit, wiring: _Wiring, book: BuildBook, number: int, node: Node) -> WiredPoint:
    lugs, beside = _ends_at(circuit, wiring, node.id)
    panel = next((b for b in book.bulkheads if b.node_id == node.id), None)
    if not lugs:
        return WiredPoint(
            number=number, node_id=node.id, label=node.label, stud="", torque_nm=None, landings=tuple(beside), thread_mm=None,
            needs_mm=None, assumed=(), problems=() if panel is None else ("No lug goes there: it is no stud through a panel.",),
        )  # fmt: skip
    ends = _looked_at(circuit, book, node.id)
    of, assumed, problems = _stud(node, ends)
    beyond = set() if panel is None else set(panel.far)
    near, far = [x for x in lugs if x.lead.id not in beyond], [x for x in lugs if x.lead.id in beyond]
    thread = next((t.thread_mm for t in book.threads if t.node_id == node.id), None)
    on, needs, words = _pile(of, near, thread)
    if needs is not None and thread is None and len(near) > 1:
        assumed.append(f"A thread of {needs:.1f} mm or more: measure it before the lugs are crimped.")
    problems += words
    other = None
    if panel is not None:
        there, far_needs, words = _pile(of, far, panel.far_thread_mm)
        sides = [(near, [x for x in beside if x.part_id not in beyond]), (far, [x for x in beside if x.part_id in beyond])]
        beside = sides[0][1]
        problems += [f"Far side: {w[0].lower()}{w[1:]}" for w in words]
        if not all(on_it or at_it for on_it, at_it in sides):
            problems.append(f"All that ends there is on one side of {panel.through}: say what comes from the other.")
            crosses = math.inf
        else:
            crosses = min(_current_a(*side) for side in sides)
        other = FarSide(
            through=panel.through, there=panel.there, landings=(*there, *sides[1][1]), thread_mm=panel.far_thread_mm, needs_mm=far_needs,
            crosses_a=None if math.isinf(crosses) else round(crosses, 1),
        )  # fmt: skip
    metal = next((e.metal for e in ends.values() if e.metal), StudMetal.BRASS if node.role in SOFT else StudMetal.STEEL)
    return WiredPoint(
        number=number, node_id=node.id, label=node.label, stud=of, torque_nm=torque_nm(stud(of), metal),
        landings=(*on, *beside), thread_mm=thread, needs_mm=needs, assumed=tuple(assumed), problems=tuple(problems), far=other,
        if_through=_if_through(circuit, node.id, [x.part_id for x in on]),
    )  # fmt: skip


def _if_through(circuit: Circuit, node_id: str, from_foot: Sequence[str]) -> BulkheadStud:
    """A stud as it would go through a panel: what leads to an alternator is on its near side, as engine bay and firewall lie.

    Where that parts nothing, the lug on top is on the far side; a person moves what lies otherwise.
    """
    graph = graph_of((b for b in circuit.branches if node_id not in (b.from_node, b.to_node)), open_too=True)
    terminals = {n for a in circuit.alternators for n in (a.stud_node, a.case_node)}
    leads = {b.id: b for b in circuit.branches}
    ends = {i: leads[i].to_node if leads[i].from_node == node_id else leads[i].from_node for i in from_foot}
    far = tuple(i for i, end in ends.items() if not terminals & reach(graph, end))
    if not 0 < len(far) < len(ends):
        return BulkheadStud(node_id=node_id, through="Panel", far=tuple(ends)[-1:])
    return BulkheadStud(node_id=node_id, through="Firewall", far=far)


def _ends_at(circuit: Circuit, wiring: _Wiring, node_id: str) -> tuple[list[_Lug], list[Landing]]:
    """The lugs at a point, and what has a terminal of its own."""
    carried, devices = wiring.carried, wiring.devices
    lugs, beside = list[_Lug](), list[Landing]()
    plugged = is_plugged(circuit, node_id)
    for element, field, at in wiring.ends:
        if at != node_id:
            continue
        lead = next((b for b in circuit.branches if b.id == element), None)
        if lead is None:
            beside.append(Landing(part_id=element, label=devices[element], what="", place=None, current_a=None))
        elif (
            plugged
            or not isinstance(lead, ConductorBranch)
            or (lead.from_end if field == "from_node" else lead.to_end).kind is TerminationKind.POST_CLAMP
        ):
            beside.append(Landing(part_id=element, label=lead.label, what=lead.in_words, place=None, current_a=carried[element]))
        else:
            lugs += [_Lug(lead, carried[element] / lead.parallel)] * lead.parallel
    return lugs, beside


def _current_a(lugs: Sequence[_Lug], beside: Sequence[Landing]) -> float:
    """The most that ends at one side of a stud [A]; a device brings what the other side takes."""
    if any(x.current_a is None for x in beside):
        return math.inf
    return sum(x.current_a for x in lugs) + sum(x.current_a or 0.0 for x in beside)


def _pile(of: str, lugs: Sequence[_Lug], thread_mm: float | None) -> tuple[tuple[Landing, ...], float | None, tuple[str, ...]]:
    """How lugs lie on one side of a stud, the thread that they take, and what is wrong with it."""
    if not lugs:
        return (), None, ()
    named = {f"{x.lead.id} {k}": x for k, x in enumerate(lugs)}
    lie = stack(stud(of), {n: x.current_a for n, x in named.items()}, {n: _palm_mm(x.lead) for n, x in named.items()}, thread_mm)
    on = tuple(
        Landing(
            part_id=(x := named[n]).lead.id,
            label=x.lead.label,
            what=x.lead.conductor.label,
            place=k,
            current_a=round(x.current_a, 1),
        )
        for k, n in enumerate(lie.order, 1)
    )
    return on, lie.needs_mm, lie.words


def _looked_at(circuit: Circuit, book: BuildBook, node_id: str) -> dict[str, EndSpec]:
    """What the book says of the ends at a point, by the label of their lead."""
    known, ends = {s.branch_id: s for s in book.leads}, {}
    for b in circuit.branches:
        for at, end in ((b.from_node, "from_end"), (b.to_node, "to_end")):
            if at == node_id and b.id in known:
                ends[b.label] = getattr(known[b.id], end)
    return ends


def _stud(node: Node, ends: dict[str, EndSpec]) -> tuple[str, list[str], list[str]]:
    """The stud of a point, what was taken to be so of it, and what contradicts itself."""
    looked = {label: e.stud for label, e in ends.items() if e.stud}
    if not looked:
        usual = USUAL_STUD.get(node.role, ELSEWHERE)
        return usual, [f"{usual}: look before you buy the lugs."], []
    names = sorted(set(looked.values()), key=lambda n: -stud(n).diameter_mm)
    if len(names) == 1:
        return names[0], [], []
    each = ", ".join(f"{label} for {name}" for label, name in looked.items())
    return names[0], [], [f"One stud, and lugs of different holes: {each}."]


def _palm_mm(lead: ConductorBranch) -> float:
    """A flattened tube has both its walls."""
    size = lead.conductor
    sizes = [s for s in map(parse_size, lug_table().barrels) if s.system is size.system]
    barrel_size = (
        size if size in sizes else smallest_barrel([(size, lead.stranding)], sizes) or max(sizes, key=lambda s: s.area_mm2)
    )
    barrel = barrel_for(barrel_size)
    return barrel.outer_mm - barrel.inner_mm


def _device_labels(circuit: Circuit) -> dict[str, str]:
    labels = {x.id: x.label for x in circuit.loads} | {x.id: x.label for x in circuit.alternators}
    labels |= {x.id: x.label for x in circuit.batteries} | {x.id: x.label for x in circuit.chargers}
    return labels | {x.id: x.label for x in circuit.converters}
