"""The circuit as a schematic with the symbols of IEC 60617, its points numbered and listed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import TypeAlias
from xml.etree import ElementTree

import schemdraw
from markupsafe import Markup
from schemdraw import elements as elm
from schemdraw.elements.elements import gap as GAP
from schemdraw.segments import Segment, SegmentArc, SegmentCircle, SegmentPoly, SegmentText

from mavrik.core.circuit import AnyBranch, Circuit
from mavrik.core.circuit.branches.base import Symbol
from mavrik.core.circuit.ring import find_ring
from mavrik.core.drawing.loop import BranchPlace, SourcePlace, lay_out
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.plugs import PlugView, plug_views
from mavrik.core.fabrication.points import WiredPoint, wired_points
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.sheet import page_of

At: TypeAlias = tuple[float, float]
SVG = "http://www.w3.org/2000/svg"

UNIT = 58.0
"""Units of the loop's drawing to one of the schematic, where a symbol is one wide."""
NAME, NUMBER = 9.0, 8.0
"""Sizes of type."""
ABOVE, BESIDE = 0.34, 0.09
"""Of words from a line, clear of any symbol in it; of a number from its point."""
ROLE_WORDS = {CircuitRole.AS_FOUND: "As found", CircuitRole.PROPOSAL: "Plan", CircuitRole.AS_BUILT: "As built"}


class _Closed(elm.Element2Term):  # type: ignore[misc]
    """A switch or contact that is closed."""

    def __init__(self) -> None:
        super().__init__()
        self.segments.append(Segment([(0, 0), GAP, (1, 0)]))
        self.segments.append(Segment([(0.12, 0.1), (0.88, 0.1)]))
        self.segments.extend(SegmentCircle((x, 0), 0.09, fill="white", zorder=4) for x in (0.12, 0.88))


class _Plug(elm.Element2Term):  # type: ignore[misc]
    """A pin in its socket."""

    def __init__(self) -> None:
        super().__init__()
        self.segments.append(Segment([(0, 0), (0.62, 0), GAP, (0.78, 0), (1, 0)]))
        self.segments.append(SegmentPoly([(0.3, 0.07), (0.62, 0.07), (0.62, -0.07), (0.3, -0.07)], fill="black"))
        self.segments.append(SegmentArc((0.62, 0), 0.32, 0.44, theta1=-90, theta2=90))


class _Joint(elm.Element2Term):  # type: ignore[misc]
    """A bolted joint: a terminal that comes apart."""

    def __init__(self) -> None:
        super().__init__()
        self.segments.append(Segment([(0, 0), GAP, (1, 0)]))
        self.segments.append(Segment([(0, 0), (1, 0)]))
        self.segments.append(SegmentCircle((0.5, 0), 0.12, fill="white", zorder=4))


class _Generator(elm.Element2Term):  # type: ignore[misc]
    """An alternator."""

    def __init__(self) -> None:
        super().__init__()
        self.segments.append(Segment([(0, 0), (0, 0), GAP, (1, 0), (1, 0)]))
        self.segments.append(SegmentCircle((0.5, 0), 0.5))


def _symbol(branch: AnyBranch) -> elm.Element2Term:
    """The symbol of a branch; of a kind that has none of its own a box."""
    if branch.symbol is Symbol.SWITCH:
        return _Closed() if branch.conducts else elm.Switch()
    made = {
        Symbol.LINE: elm.Line, Symbol.JOINT: _Joint, Symbol.FUSE: elm.FuseIEC, Symbol.BREAKER: elm.Breaker,
        Symbol.DIODE: elm.Diode, Symbol.PLUG: _Plug, Symbol.RESISTOR: elm.ResistorIEC,
    }.get(branch.symbol, elm.RBox)  # fmt: skip
    return made()


DEVICES = {"alternator": _Generator, "battery": elm.Battery}
"""Symbol of a device; any other is a box with its name beside it."""


def _words(text: str) -> str:
    """As the library takes text: it escapes two signs itself, and what stands between dollars it would set as a formula."""
    return text.replace("&", "&amp;").replace("$", "&#36;").replace("mm2", "mm²")


def schematic_svg(circuit: Circuit) -> str:
    """A circuit as a schematic.

    circuit: the document
    Laid out as the loop, every point with its number as in `wired_points`; a part that has no room for its words is told by its points.
    Returns an `<svg>` element; all text is escaped.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> drawn = schematic_svg(front_battery(12))
    >>> drawn.startswith("<svg"), "Charge cable" in drawn
    (True, True)
    """
    layout = lay_out(circuit, find_ring(circuit))
    # No `with`: the library would keep the drawing in a place that all threads share.
    drawing = schemdraw.Drawing(canvas="svg", show=False)
    drawing.config(unit=1, font="B612, DejaVu Sans", fontsize=NAME, lw=1.6, margin=0.3)
    alternator = next(s for s in layout.sources if s.kind == "alternator")
    middle = (_at(alternator.start)[1] + _at(alternator.end)[1]) / 2
    for place in layout.branches:
        _draw_branch(drawing, circuit.branch(place.branch_id), place, layout.words, middle)
    for source in layout.sources:
        _draw_device(drawing, source, layout.words)
    numbers = {n.id: k for k, n in enumerate(circuit.nodes, 1)}
    for node in layout.nodes:
        at = _at((node.x, node.y))
        drawing.add(elm.Dot(radius=0.07).at(at))
        size = NUMBER * layout.words
        off, align = (-BESIDE, "top") if at[1] > middle else (BESIDE, "bottom")
        drawing.add(_written((at[0] - BESIDE, at[1] + off), str(numbers[node.node_id]), size, ("right", align), "#55524a"))
    made: bytes = drawing.get_imagedata("svg")
    return _by_attributes(made.decode())


def _by_attributes(svg: str) -> str:
    """A drawing without styles written into its elements, which neither our content policy nor the printer takes."""
    drawn = ElementTree.fromstring(svg)  # noqa: S314 made by the library of what it has escaped
    for element in drawn.iter():
        element.tag = element.tag.removeprefix(f"{{{SVG}}}")
        for rule in element.attrib.pop("style", "").split(";"):
            name, _, value = rule.partition(":")
            if value.strip() not in ("", "-"):
                element.set(name.strip(), value.strip())
    drawn.set("xmlns", SVG)
    return ElementTree.tostring(drawn, encoding="unicode")


def _at(point: At) -> At:
    return point[0] / UNIT, -point[1] / UNIT


def _written(at: At, text: str, size: float, align: tuple[str, str], colour: str = "#17191c") -> elm.Element:
    """Words at a place of their own."""
    made = elm.Element()
    made.segments.append(SegmentText((0, 0), _words(text), fontsize=size, align=align, color=colour))
    return made.at(at)


def _off(at: At, stretch: tuple[At, At]) -> float:
    """How far a place is from a stretch that runs along or across the page."""
    (x0, y0), (x1, y1) = stretch
    return max(min(x0, x1) - at[0], 0.0, at[0] - max(x0, x1)) + max(min(y0, y1) - at[1], 0.0, at[1] - max(y0, y1))


def _draw_branch(drawing: schemdraw.Drawing, branch: AnyBranch, place: BranchPlace, words: float, middle: float) -> None:
    """Line and symbol, and the words where the loop has room for them."""
    stretches = list(pairwise(_at(p) for p in place.points))
    named = _at(place.label_at)
    main = min(range(len(stretches)), key=lambda k: _off(named, stretches[k]))
    for k, (start, end) in enumerate(stretches):
        drawing.add((_symbol(branch) if k == main else elm.Line()).at(start).to(end))
    if place.named:
        caption = branch.label if branch.in_words.lower() in branch.label.lower() else f"{branch.label}\n{branch.in_words}"
        # As in the loop: what is thin runs inside the ring, words stand outside it.
        off, align = (ABOVE, "bottom") if named[1] > middle else (-ABOVE, "top")
        drawing.add(_written((named[0], named[1] + off), caption, NAME * words, ("center", align)))


def _draw_device(drawing: schemdraw.Drawing, source: SourcePlace, words: float) -> None:
    start, end = _at(source.start), _at(source.end)
    if start[1] < end[1]:
        start, end = end, start
    name = _words("\n".join(source.lines))
    drawing.add(DEVICES.get(source.kind, elm.RBox)().at(start).to(end).label(name, fontsize=NAME * words))
    if source.kind == "alternator":
        drawing.add(_written(((start[0] + end[0]) / 2, (start[1] + end[1]) / 2), "G", 13 * words, ("center", "center")))
    for lead in source.leads:
        for a, b in pairwise(lead):
            drawing.add(elm.Line(lw=0.8).at(_at(a)).to(_at(b)))


@dataclass(frozen=True)
class _Page:
    """A version of a job's circuit."""

    title: str
    drawn: Markup
    points: tuple[WiredPoint, ...]
    plugs: tuple[PlugView, ...]


def _versions(bundle: Bundle) -> list[tuple[str, Circuit]]:
    """The latest of each role, with its heading. Raises ValueError where there is none."""
    latest = [(role, bundle.latest(role)) for role in ROLE_WORDS]
    versions = [(f"{ROLE_WORDS[role]}, revision {kept.revision}", kept.document) for role, kept in latest if kept is not None]
    if not versions:
        raise ValueError("There is no circuit yet: describe and save it first.")
    return versions


def latest_schematic(bundle: Bundle) -> str:
    """The schematic of a job's circuit as it stands: as built, else as planned, else as found. Raises ValueError without a circuit."""
    return schematic_svg(_versions(bundle)[-1][1])


def render_schematic(bundle: Bundle, workshop: str, printed_at: datetime) -> str:
    """Every version of a job's circuit as a whole HTML page: schematic, and what lands on each point.

    bundle: the job; workshop, printed_at: at its head
    Raises ValueError without a circuit.
    """
    book = bundle.build() or BuildBook()
    pages = [
        _Page(title, Markup(schematic_svg(circuit)), wired_points(circuit, book), plug_views(circuit, book))  # noqa: S704 the library escapes what it is given
        for title, circuit in _versions(bundle)
    ]
    return page_of("schematic.html.j2").render(bundle=bundle, workshop=workshop, printed_at=printed_at, pages=pages)
