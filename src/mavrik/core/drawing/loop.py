"""Laying out the loop: where every node, branch and source of a circuit goes on the drawing.

Coordinates only. The browser and the printed sheet draw the same figures.
"""

from __future__ import annotations

import math
from collections import defaultdict, deque
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Annotated

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.graph import Graph, around, graph_of
from mavrik.core.circuit.ring import Ring, Side
from mavrik.core.document import Document

STEP = 180.0
"""Width one ring branch takes [drawing units]."""
COLUMN = 150.0
"""Width one branch or device beyond the ring takes."""
LEFT, TOP = 110.0, 86.0
SPAN = 172.0
"""Height between feed and return side."""
LANE = 100.0
"""Distance between parallel paths."""
LEAD = 20.0
"""How far inside the ring the thin leads of a device run that shares its nodes with another."""

WIDE = 2400.0
"""A drawing that is wider is shown so small that its words have to grow; its heights grow with them."""

LANES_GROW = 0.75

LABEL_HIGH = 62.0
"""Height of a branch's words [drawing units]."""
LETTER = 12.5
"""Width of a letter of them."""
LEAST_ROOM = 60.0
"""Where there is less, even a reading lies over its neighbour's."""

Point = tuple[float, float]


@dataclass(frozen=True)
class NodePlace:
    """Where a node is drawn."""

    node_id: str
    label: str
    role: str
    side: Side
    x: float
    y: float


@dataclass(frozen=True)
class BranchPlace:
    """The line of a branch and where its words go."""

    branch_id: str
    side: Side
    on_ring: bool
    closed: Annotated[bool, Field(description="Whether current can pass; an open contact is drawn with a gap")]
    points: tuple[Point, ...]
    label_at: Point
    label_room: Annotated[
        float, Field(description="Width its words may take, centred there, before something else is in the way")
    ]
    named: Annotated[bool, Field(description="Whether that is room enough for its words; otherwise they wait for a tap")]


@dataclass(frozen=True)
class SourcePlace:
    """An alternator, battery or load between two points."""

    id: str
    kind: str
    label: str
    lines: tuple[str, ...]
    """The label broken for a symbol that is wider than one short word, but not much."""
    start: Point
    end: Point
    leads: tuple[tuple[Point, ...], ...] = ()
    """Thin lines to its nodes, where those are drawn elsewhere."""


class LoopLayout(Document):
    """The whole drawing."""

    width: float
    height: float
    words: Annotated[
        float, Field(description="How much larger words are than usual, for a drawing so wide that it is shown small")
    ]
    nodes: tuple[NodePlace, ...]
    branches: tuple[BranchPlace, ...]
    sources: tuple[SourcePlace, ...]


def in_lines(label: str, wide: int = 12) -> tuple[str, ...]:
    """A label on one line, or on the two most even ones where it is longer than `wide` and has a gap.

    >>> in_lines("155 A alternator"), in_lines("Battery")
    (('155 A', 'alternator'), ('Battery',))
    """
    words = label.split()
    if len(label) <= wide or len(words) < 2:
        return (label,)
    halves = [(" ".join(words[:k]), " ".join(words[k:])) for k in range(1, len(words))]
    return min(halves, key=lambda h: max(len(h[0]), len(h[1])))


def _spread(nodes: tuple[str, ...], y: float, left: float, right: float) -> dict[str, Point]:
    gap = (right - left) / max(len(nodes) - 1, 1)
    return {node: (left + k * gap, y) for k, node in enumerate(nodes)}


def _spur(graph: Graph, start: str, placed: dict[str, Point], done: set[str]) -> list[str] | None:
    """Branch ids of the shortest way from a placed node over undrawn branches to a placed node."""
    queue: deque[tuple[str, list[str], set[str]]] = deque([(start, [], {start})])
    while queue:
        node, path, seen = queue.popleft()
        for other, branch in around(graph, node):
            if branch.id in done or branch.id in path or other == start:
                continue
            if other in placed:
                return [*path, branch.id]
            if other not in seen:
                queue.append((other, [*path, branch.id], seen | {other}))
    return None


def _steps(graph: Graph, goal: str, placed: dict[str, Point]) -> int:
    """How many branches lie between a node and the nearest placed one; 0 where it is placed or nothing leads there."""
    queue: deque[tuple[str, int]] = deque([(goal, 0)])
    seen = {goal}
    while queue:
        node, count = queue.popleft()
        if node in placed:
            return count
        for other, _ in around(graph, node):
            if other not in seen:
                seen.add(other)
                queue.append((other, count + 1))
    return 0


@dataclass(frozen=True)
class _Device:
    """Something beyond the ring, between a node of the feed and one of the return side."""

    id: str
    kind: str
    label: str
    top: str
    bottom: str


class _Drawing:
    """A drawing in the making: what is placed, which lanes are taken."""

    def __init__(self, circuit: Circuit, ring: Ring) -> None:
        self.circuit, self.ring = circuit, ring
        self.graph = graph_of(circuit.branches, open_too=True)
        self.right = LEFT + max(len(ring.feed), len(ring.return_side), 4) * STEP
        self.bottom = TOP + SPAN
        self.placed = _spread(ring.feed_nodes, TOP, LEFT, self.right)
        # The return side runs home, so its nodes are laid from right to left.
        self.placed |= _spread(ring.return_nodes, self.bottom, self.right, LEFT)
        self.lines: dict[str, tuple[Point, ...]] = {}
        for branch_ids, nodes in ((ring.feed, ring.feed_nodes), (ring.return_side, ring.return_nodes)):
            for branch_id, a, b in zip(branch_ids, nodes, nodes[1:], strict=False):
                self.lines[branch_id] = (self.placed[a], self.placed[b])
        self.column = self.right
        self.sources: list[SourcePlace] = []
        self.lanes: dict[Side, list[list[tuple[float, float]]]] = {Side.FEED: [], Side.RETURN: []}

    def source(
        self, device_id: str, kind: str, label: str, start: Point, end: Point, leads: tuple[tuple[Point, ...], ...] = ()
    ) -> None:
        self.sources.append(SourcePlace(device_id, kind, label, in_lines(label), start, end, leads))

    def devices(self) -> None:
        """A column for everything beyond the ring, to the right."""
        c = self.circuit
        main, first = c.alternator, c.battery
        self.source(main.id, "alternator", main.label, self.placed[main.case_node], self.placed[main.stud_node])
        self.source(first.id, "battery", first.label, self.placed[first.positive_node], self.placed[first.negative_node])
        for converter in c.converters:
            self.column += COLUMN * max(1, _steps(self.graph, converter.in_node, self.placed))
            start = self.placed.setdefault(converter.in_node, (self.column, TOP))
            self.column += COLUMN
            end = self.placed.setdefault(converter.out_node, (self.column, TOP))
            self.source(converter.id, "converter", converter.label, start, end)
        others = [_Device(b.id, "battery", b.label, b.positive_node, b.negative_node) for b in c.batteries[1:]]
        others += [_Device(a.id, "alternator", a.label, a.stud_node, a.case_node) for a in c.alternators[1:]]
        others += [_Device(x.id, "charger", x.label, x.positive_node, x.negative_node) for x in c.chargers]
        others += [_Device(x.id, "load", x.label, x.from_node, x.to_node) for x in c.loads]
        for device in others:
            self._device(device)

    def _device(self, device: _Device) -> None:
        steps = max(_steps(self.graph, device.top, self.placed), _steps(self.graph, device.bottom, self.placed), 1)
        self.column += COLUMN * max(1.0, steps * 0.85)
        ends, leads = [], []
        for node, y, inside in ((device.top, TOP, LEAD), (device.bottom, self.bottom, -LEAD)):
            at = self.placed.setdefault(node, (self.column, y))
            ends.append((self.column, y) if at[0] == self.column else (self.column, y + inside))
            if at[0] != self.column:
                leads.append((at, (at[0] + LEAD, y + inside), (self.column, y + inside)))
        top, bottom = ends
        if device.kind == "alternator":
            top, bottom = bottom, top
        self.source(device.id, device.kind, device.label, top, bottom, tuple(leads))

    def _lane(self, side: Side, x0: float, x1: float, steps: int) -> float:
        """Height of a free way between two places: straight along the side beyond the ring, else a lane of its own."""
        low, high = min(x0, x1), max(x0, x1)
        y = TOP if side is Side.FEED else self.bottom
        at_side = [p for p in self.placed.values() if p[1] == y and low < p[0] < high]
        if (
            low >= self.right - 1
            and high - low >= COLUMN * 0.6 * steps
            and not at_side
            and (side, low, high) not in self._straight
        ):
            self._straight.add((side, low, high))
            return y
        lanes = self.lanes[side]
        for k, spans in enumerate(lanes):
            if all(high <= a or low >= b for a, b in spans):
                spans.append((low, high))
                return y + (-(k + 1) if side is Side.FEED else k + 1) * LANE
        lanes.append([(low, high)])
        return y + (-len(lanes) if side is Side.FEED else len(lanes)) * LANE

    def spurs(self) -> None:
        """Every branch off the ring, chain by chain."""
        self._straight: set[tuple[Side, float, float]] = set()
        done = set(self.lines)
        while True:
            waiting = [n for n in self.placed if any(branch.id not in done for _, branch in around(self.graph, n))]
            spur, start = None, ""
            for start in sorted(waiting, key=lambda n: (self.placed[n][0] > self.right, self.placed[n][0])):
                spur = _spur(self.graph, start, self.placed, done)
                if spur:
                    break
            if not spur:
                if self._bare_end(done):
                    continue
                return
            chain = [start]
            for branch_id in spur:
                branch = self.circuit.branch(branch_id)
                chain.append(branch.to_node if branch.from_node == chain[-1] else branch.from_node)
            x0, x1 = self.placed[chain[0]][0], self.placed[chain[-1]][0]
            if x0 == x1:
                x1 = x0 + 1.0
            lane_y = self._lane(self.ring.side[spur[0]], x0, x1, len(spur))
            gap = (x1 - x0) / len(spur)
            self.placed |= {n: (x0 + gap * (k + 1), lane_y) for k, n in enumerate(chain[1:-1])}
            for k, branch_id in enumerate(spur):
                start_at, end_at = self.placed[chain[k]], self.placed[chain[k + 1]]
                points: list[Point] = [start_at]
                points += [(x, lane_y) for x, y in (start_at, end_at) if y != lane_y]
                points.append(end_at)
                self.lines[branch_id] = tuple(points)
                done.add(branch_id)

    def _bare_end(self, done: set[str]) -> bool:
        """Give the next lead that ends in the air, or hangs there altogether, a place of its own; False where there is none."""
        left = [b for b in self.circuit.branches if b.id not in done]
        hanging = [b for b in left if (b.from_node in self.placed) != (b.to_node in self.placed)]
        branch = next(iter(hanging or left), None)
        if branch is None:
            return False
        self.column += COLUMN
        node = branch.to_node if branch.from_node in self.placed else branch.from_node
        self.placed[node] = (self.column, TOP if self.ring.side[branch.id] is Side.FEED else self.bottom)
        return True

    def loose_nodes(self) -> None:
        """Nodes that nothing touches, beside the rest."""
        for node in self.circuit.nodes:
            if node.id not in self.placed:
                self.column += COLUMN
                self.placed[node.id] = (self.column, self.bottom)


def _place_labels(
    labels: Mapping[str, str],
    lines: Mapping[str, tuple[Point, ...]],
    middles: Mapping[str, Point],
    width: float,
    axis: float,
    words: float,
) -> dict[str, tuple[Point, float]]:
    """Where the words of every branch are centred, and how wide they may be.

    labels, lines, middles: name, line and its middle, by branch; width: of the drawing; axis: height of the ring's middle, what lies
    above it has its words above; words: how much larger they are than usual
    They keep out of upright lines and of their neighbours' half of the way, and move aside where that gives them room.
    """
    uprights = [
        (a[0], *sorted((a[1], b[1]))) for line in lines.values() for a, b in pairwise(line) if a[0] == b[0] and a[1] != b[1]
    ]
    high, places = LABEL_HIGH * words, {}
    for branch_id, (x, y) in middles.items():
        top, bottom = (y - high, y) if y < axis else (y, y + high)
        beside = [u for u, start, end in uprights if start < bottom - 1 and end > top + 1]
        beside += [(x + ox) / 2 for i, (ox, oy) in middles.items() if i != branch_id and abs(oy - y) < high]
        left = max([u for u in beside if u < x], default=0.0) + 6
        right = min([u for u in beside if u > x], default=width) - 6
        needs = max(min(len(labels[branch_id]) * LETTER * words, right - left), 0.0)
        centre = min(max(x, left + needs / 2), right - needs / 2)
        room = 2 * min(centre - left, right - centre)
        places[branch_id] = ((round(centre, 1), y), round(max(room, 0.0), 1))
    return places


def lay_out(circuit: Circuit, ring: Ring) -> LoopLayout:
    """Places for a drawing of the circuit as a closed ring.

    circuit, ring: the document and its ring
    Feed side along the top from the alternator to the battery, return side along the bottom back; further batteries,
    alternators, loads and chargers in columns to the right; parallel paths in lanes of their own, above the feed and below
    the return side.
    Returns coordinates in drawing units, y downwards.
    """
    drawing = _Drawing(circuit, ring)
    drawing.devices()
    drawing.spurs()
    drawing.loose_nodes()
    placed, lines = drawing.placed, drawing.lines
    lift = len(drawing.lanes[Side.FEED]) * LANE
    width = max(drawing.column, drawing.right) + 110
    words = max(1.0, width / WIDE)
    # Lanes are long, so that their words need fewer lines; what is short lies at the sides and needs all of the height.
    lanes = max(1.0, LANES_GROW * words)

    def away(distance: float) -> float:
        return min(distance, LANE) * words + max(distance - LANE, 0.0) * lanes

    def down(y: float) -> float:
        within = min(max(y, TOP), drawing.bottom) - TOP
        beyond = y - TOP - within
        return (TOP + within) * words + away(lift) + math.copysign(away(abs(beyond)), beyond)

    height = down(drawing.bottom + len(drawing.lanes[Side.RETURN]) * LANE) + 80 * words

    def moved(point: Point) -> Point:
        return (round(point[0], 1), round(down(point[1]), 1))

    def middle(points: tuple[Point, ...]) -> Point:
        a, b = max(pairwise(points), key=lambda s: abs(s[0][0] - s[1][0]) + abs(s[0][1] - s[1][1]) / 10)
        return moved(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2))

    drawn = {b.id: tuple(moved(p) for p in lines[b.id]) for b in circuit.branches if b.id in lines}
    labels = _place_labels(
        {b.id: b.label for b in circuit.branches}, drawn, {i: middle(lines[i]) for i in drawn}, width, down(TOP + SPAN / 2), words
    )
    node_side: dict[str, Side] = defaultdict(lambda: Side.RETURN)
    for branch in circuit.branches:
        if branch.id in ring.side:
            node_side[branch.from_node] = node_side[branch.to_node] = ring.side[branch.id]
    return LoopLayout(
        width=width,
        height=height,
        words=words,
        nodes=tuple(
            NodePlace(n.id, n.label, n.role, node_side[n.id], *moved(placed[n.id])) for n in circuit.nodes if n.id in placed
        ),
        branches=tuple(
            BranchPlace(
                b.id,
                ring.side[b.id],
                b.id in ring.ids,
                b.conducts,
                drawn[b.id],
                *labels[b.id],
                labels[b.id][1] >= LEAST_ROOM * words,
            )
            for b in circuit.branches
            if b.id in lines
        ),
        sources=tuple(
            replace(s, start=moved(s.start), end=moved(s.end), leads=tuple(tuple(moved(p) for p in lead) for lead in s.leads))
            for s in drawing.sources
        ),
    )
