"""Laying out the loop: where every node, branch and source of a circuit goes on the drawing.

Coordinates only. The browser and the printed sheet draw the same figures.
"""

from __future__ import annotations

from collections import defaultdict, deque
from dataclasses import dataclass
from itertools import pairwise

from mavrik.core.circuit import Circuit, Document
from mavrik.core.topology import Near, Ring, Side, least_path, neighbours

STEP = 180.0
"""Width one ring branch takes [drawing units]."""
LEFT, TOP = 110.0, 86.0
SPAN = 172.0
"""Height between feed and return side."""
LANE = 100.0
"""Distance between parallel paths."""

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
    points: tuple[Point, ...]
    label_at: Point


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


class LoopLayout(Document):
    """The whole drawing."""

    width: float
    height: float
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


def _spur(near: Near, start: str, placed: dict[str, Point], done: set[str], ends: set[str]) -> list[str] | None:
    """Branch ids of the shortest way from a placed node over undrawn branches to a placed node or a battery post."""
    queue: deque[tuple[str, list[str], set[str]]] = deque([(start, [], {start})])
    while queue:
        node, path, seen = queue.popleft()
        for other, branch in near.get(node, ()):
            if branch.id in done or branch.id in path or other == start:
                continue
            if other in placed or (other in ends and other not in seen):
                return [*path, branch.id]
            if other not in seen:
                queue.append((other, [*path, branch.id], seen | {other}))
    return None


def lay_out(circuit: Circuit, ring: Ring) -> LoopLayout:
    """Places for a drawing of the circuit as a closed ring.

    circuit, ring: the document and its ring
    Feed side along the top from the alternator to the battery, return side along the bottom back; further batteries to
    the right as a second ring; parallel paths in lanes of their own, above the feed and below the return side.
    Returns coordinates in drawing units, y downwards.
    """
    count = max(len(ring.feed), len(ring.home), 4)
    right = LEFT + count * STEP
    feed_lanes = home_lanes = 0
    placed = _spread(ring.feed_nodes, TOP, LEFT, right)
    bottom = TOP + SPAN
    # The return side runs home, so its nodes are laid from right to left.
    placed |= _spread(ring.home_nodes, bottom, right, LEFT)
    lines: dict[str, tuple[Point, ...]] = {}
    for branch_ids, nodes in ((ring.feed, ring.feed_nodes), (ring.home, ring.home_nodes)):
        for branch_id, a, b in zip(branch_ids, nodes, nodes[1:], strict=False):
            lines[branch_id] = (placed[a], placed[b])
    others = [b for b in circuit.batteries if b.id != circuit.battery.id]
    column = right
    done = set(lines)
    near = neighbours(circuit.branches)
    for battery in others:
        link = least_path(circuit.battery.positive_node, battery.positive_node, near) or []
        column += STEP * max(1.0, len(link) * 0.75)
        for post, y in ((battery.positive_node, TOP), (battery.negative_node, bottom)):
            placed.setdefault(post, (column, y))
    ends = {n for b in others for n in (b.positive_node, b.negative_node)}
    while True:
        found = None
        waiting = [n for n in placed if any(branch.id not in done for _, branch in near.get(n, ()))]
        for start in sorted(waiting, key=ends.__contains__):
            found = _spur(near, start, placed, done, ends)
            if found:
                break
        if not found:
            break
        node = start
        chain = [start]
        for branch_id in found:
            branch = circuit.branch(branch_id)
            node = branch.to_node if branch.from_node == node else branch.from_node
            chain.append(node)
        side = ring.side[found[0]]
        x0, x1 = placed[chain[0]][0], placed[chain[-1]][0]
        beyond = max(x0, x1) > right and abs(min(x0, x1) - right) < 1
        if beyond and side is Side.FEED:
            lane_y = TOP
        elif side is Side.FEED:
            feed_lanes += 1
            lane_y = TOP - feed_lanes * LANE
        else:
            home_lanes += 1
            lane_y = bottom + home_lanes * LANE
        gap = (x1 - x0) / len(found)
        inner = {n: (x0 + gap * (k + 1), lane_y) for k, n in enumerate(chain[1:-1])}
        placed |= inner
        for k, branch_id in enumerate(found):
            start_at, end_at = placed[chain[k]], placed[chain[k + 1]]
            points: list[Point] = [start_at]
            points += [(x, lane_y) for x, y in (start_at, end_at) if y != lane_y]
            points.append(end_at)
            lines[branch_id] = tuple(points)
            done.add(branch_id)
    lift = max(0.0, feed_lanes * LANE)
    width = max(column, right) + 110
    height = bottom + home_lanes * LANE + 80 + lift

    def moved(point: Point) -> Point:
        return (round(point[0], 1), round(point[1] + lift, 1))

    def middle(points: tuple[Point, ...]) -> Point:
        a, b = max(pairwise(points), key=lambda s: abs(s[0][0] - s[1][0]) + abs(s[0][1] - s[1][1]) / 10)
        return moved(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2))

    node_side: dict[str, Side] = defaultdict(lambda: Side.RETURN)
    for branch in circuit.branches:
        if branch.id in ring.side:
            node_side[branch.from_node] = node_side[branch.to_node] = ring.side[branch.id]
    sources = [
        SourcePlace(
            id=a.id,
            kind="alternator",
            label=a.label,
            lines=in_lines(a.label),
            start=moved(placed[a.case_node]),
            end=moved(placed[a.stud_node]),
        )
        for a in circuit.alternators
    ]
    sources += [
        SourcePlace(
            id=b.id,
            kind="battery",
            label=b.label,
            lines=in_lines(b.label),
            start=moved(placed[b.positive_node]),
            end=moved(placed[b.negative_node]),
        )
        for b in circuit.batteries
    ]
    sources += [
        SourcePlace(
            id=x.id,
            kind="load",
            label=x.label,
            lines=in_lines(x.label),
            start=moved(placed[x.from_node]),
            end=moved(placed[x.to_node]),
        )
        for x in circuit.loads
        if x.from_node in placed and x.to_node in placed
    ]
    return LoopLayout(
        width=width,
        height=height,
        nodes=tuple(
            NodePlace(
                node_id=n.id, label=n.label, role=n.role, side=node_side[n.id], x=moved(placed[n.id])[0], y=moved(placed[n.id])[1]
            )
            for n in circuit.nodes
            if n.id in placed
        ),
        branches=tuple(
            BranchPlace(
                branch_id=b.id,
                side=ring.side[b.id],
                on_ring=b.id in ring.ids,
                points=tuple(moved(p) for p in lines[b.id]),
                label_at=middle(lines[b.id]),
            )
            for b in circuit.branches
            if b.id in lines
        ),
        sources=tuple(sources),
    )
