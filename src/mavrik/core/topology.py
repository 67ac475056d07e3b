"""The shape of a circuit: does it close, which branches are on the feed and the return side, which make the ring."""

from __future__ import annotations

import heapq
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import TypeAlias

from mavrik.core.circuit import AnyBranch, Circuit

REFERENCE_TEMPERATURE_C = 20.0

Near: TypeAlias = dict[str, list[tuple[str, AnyBranch]]]
"""For each node the nodes one conducting branch away, with that branch."""


class Side(StrEnum):
    """Which way a branch serves: out to the battery, or home to the alternator."""

    FEED = "feed"
    RETURN = "return"


@dataclass(frozen=True)
class Problem:
    """Something in a circuit that cannot be computed with, and where it was entered."""

    element: str
    field: str
    message: str


class CircuitError(ValueError):
    """A circuit that cannot work; `problems` names every place."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("; ".join(p.message for p in problems))
        self.problems = problems


@dataclass(frozen=True)
class Ring:
    """The charging loop: the least-resistance way out and home, and the side of every branch."""

    feed: tuple[str, ...]
    """Branch ids from the alternator stud to the battery's positive post."""
    home: tuple[str, ...]
    """Branch ids from the battery's negative post to the alternator case."""
    feed_nodes: tuple[str, ...]
    home_nodes: tuple[str, ...]
    feed_reach: frozenset[str]
    """Every node on the feed side."""
    side: dict[str, Side]
    """Side of every branch that conducts, on the ring or off it."""

    @cached_property
    def ids(self) -> frozenset[str]:
        """All branches of the ring."""
        return frozenset((*self.feed, *self.home))


def neighbours(branches: Iterable[AnyBranch]) -> Near:
    """For each node the nodes one conducting branch away, with that branch."""
    found: Near = defaultdict(list)
    for branch in branches:
        if branch.conducts:
            found[branch.from_node].append((branch.to_node, branch))
            found[branch.to_node].append((branch.from_node, branch))
    return found


def reach(start: str, near: Near) -> set[str]:
    """All nodes connected to `start` through branches."""
    seen, todo = {start}, [start]
    while todo:
        for other, _ in near.get(todo.pop(), ()):
            if other not in seen:
                seen.add(other)
                todo.append(other)
    return seen


def least_path(start: str, goal: str, near: Near) -> list[tuple[str, AnyBranch]] | None:
    """The way of least sound resistance from start to goal: (node reached, branch taken) in order; None without a way."""
    best: dict[str, float] = {start: 0.0}
    cost_of: dict[str, float] = {}
    came: dict[str, tuple[str, AnyBranch]] = {}
    queue = [(0.0, start)]
    while queue:
        cost, node = heapq.heappop(queue)
        if node == goal:
            steps: list[tuple[str, AnyBranch]] = []
            while node != start:
                before, branch = came[node]
                steps.append((node, branch))
                node = before
            return steps[::-1]
        if cost > best[node]:
            continue
        for other, branch in near.get(node, ()):
            own = cost_of.get(branch.id)
            if own is None:
                own = cost_of[branch.id] = branch.sound_resistance_ohm(REFERENCE_TEMPERATURE_C)
            reached = cost + own
            if reached < best.get(other, float("inf")):
                best[other] = reached
                came[other] = (node, branch)
                heapq.heappush(queue, (reached, other))
    return None


def element_ends(circuit: Circuit) -> list[tuple[str, str, str]]:
    """Every place where an element names a node: (element, field, node)."""
    terminals: tuple[tuple[Sequence[object], tuple[str, ...]], ...] = (
        (circuit.branches, ("from_node", "to_node")),
        (circuit.loads, ("from_node", "to_node")),
        (circuit.alternators, ("stud_node", "case_node")),
        (circuit.batteries, ("positive_node", "negative_node")),
        (circuit.chargers, ("positive_node", "negative_node")),
        (circuit.converters, ("in_node", "out_node", "ground_node")),
    )
    return [(getattr(e, "id"), f, getattr(e, f)) for group, names in terminals for e in group for f in names]  # noqa: B009


def _name_problems(circuit: Circuit, ends: list[tuple[str, str, str]]) -> list[Problem]:
    """Ids used twice, and names that refer to nothing."""
    problems = []
    seen: set[str] = set()
    for group in (
        circuit.nodes, circuit.branches, circuit.alternators, circuit.batteries, circuit.loads, circuit.converters, circuit.chargers,
    ):  # fmt: skip
        for element_id in (str(getattr(element, "id")) for element in group):  # noqa: B009
            if element_id in seen:
                problems.append(Problem(element_id, "id", f"The id '{element_id}' is used twice; every element has its own."))
            seen.add(element_id)
    nodes = {node.id for node in circuit.nodes}
    senses = [
        (a.id, f, node)
        for a in circuit.alternators
        for f in ("sense_positive_node", "sense_negative_node")
        if (node := getattr(a, f)) is not None
    ]
    problems += [
        Problem(element, field, f"There is no node '{node}'. Nodes: {', '.join(sorted(nodes))}.")
        for element, field, node in (*ends, *senses)
        if node not in nodes
    ]
    element = ""
    own: list[str] = []
    for name, field, at in ends:
        if name != element:
            element, own = name, []
        if at in own:
            problems.append(Problem(name, field, "Both ends are on the same node; a branch joins two different ones."))
        own.append(at)
    return problems


def _dead_ends(circuit: Circuit, ends: list[tuple[str, str, str]]) -> list[Problem]:
    """Branches of which one end touches nothing else."""
    touched: dict[str, int] = defaultdict(int)
    for _, _, node in ends:
        touched[node] += 1
    labels = {node.id: node.label for node in circuit.nodes}
    problems = [
        Problem(
            branch.id,
            field,
            f"{branch.label} leads nowhere: nothing else is connected to {labels[node]}. "
            "Connect a branch, a battery or a load there, or take this branch out.",
        )
        for branch in circuit.branches
        for field, node in (("from_node", branch.from_node), ("to_node", branch.to_node))
        if touched[node] == 1
    ]
    problems += [
        Problem(node.id, "id", f"Node {node.label} is connected to nothing. Connect it or take it out.")
        for node in circuit.nodes
        if touched[node.id] == 0
    ]
    return problems


def feed_nodes(circuit: Circuit, near: Near) -> set[str]:
    """All nodes fed by the alternator's stud, through branches and through converters."""
    found = reach(circuit.alternator.stud_node, near)
    while True:
        behind = [c.out_node for c in circuit.converters if c.in_node in found and c.out_node not in found]
        if not behind:
            return found
        for node in behind:
            found |= reach(node, near)


def _path_problems(circuit: Circuit, near: Near) -> list[Problem]:
    """No way out, no way home, feed touching return, parts with no tie to the rest."""
    alternator = circuit.alternator
    labels = {node.id: node.label for node in circuit.nodes}
    positive = feed_nodes(circuit, near)
    negative = reach(alternator.case_node, near)
    if alternator.case_node in positive:
        path = least_path(alternator.stud_node, alternator.case_node, near) or []
        shorted = path[-1][1] if path else circuit.branches[0]
        return [
            Problem(
                shorted.id,
                "to_node",
                f"The feed side is joined to the return side: from {labels[alternator.stud_node]} one comes to "
                f"{labels[alternator.case_node]} through {', '.join(b.label for _, b in path)}. That is a dead short.",
            )
        ]
    problems = []
    for battery in circuit.batteries:
        if battery.positive_node not in positive:
            problems.append(
                Problem(
                    battery.id,
                    "positive_node",
                    f"No path from {labels[alternator.stud_node]} to {labels[battery.positive_node]}: "
                    "the alternator cannot charge this battery. Join them with a cable, or close the switch between.",
                )
            )
        if battery.negative_node not in negative:
            problems.append(
                Problem(
                    battery.id,
                    "negative_node",
                    f"No return path from {labels[battery.negative_node]} to {labels[alternator.case_node]}: "
                    "add the ground lead that closes the loop.",
                )
            )
    if problems:
        return problems
    known = positive | negative
    for load in circuit.loads:
        if load.from_node not in positive:
            problems.append(
                Problem(
                    load.id, "from_node", f"{load.label} is fed from {labels[load.from_node]}, which is not on the feed side."
                )
            )
        if load.to_node not in negative:
            problems.append(
                Problem(load.id, "to_node", f"{load.label} returns to {labels[load.to_node]}, which is not on the return side.")
            )
    others = [(a.id, a.label, a.stud_node, a.case_node) for a in circuit.alternators[1:]]
    others += [(c.id, c.label, c.positive_node, c.negative_node) for c in circuit.chargers]
    for source_id, label, plus, minus in others:
        if plus not in positive:
            problems.append(
                Problem(source_id, "positive_node", f"{label} gives to {labels[plus]}, which is not on the feed side.")
            )
        if minus not in negative:
            problems.append(
                Problem(source_id, "negative_node", f"{label} returns at {labels[minus]}, which is not on the return side.")
            )
    for converter in circuit.converters:
        if converter.in_node not in positive:
            problems.append(
                Problem(
                    converter.id,
                    "in_node",
                    f"{converter.label} takes from {labels[converter.in_node]}, which is not on the feed side.",
                )
            )
        if converter.ground_node not in negative:
            problems.append(
                Problem(
                    converter.id,
                    "ground_node",
                    f"{converter.label} returns to {labels[converter.ground_node]}, which is not on the return side.",
                )
            )
    loose = [b for b in circuit.branches if b.conducts and b.from_node not in known]
    return problems + [Problem(b.id, "from_node", f"{b.label} has no connection to the alternator or a battery.") for b in loose]


def check_circuit(circuit: Circuit, near: Near | None = None) -> list[Problem]:
    """Everything that stops a circuit from being computed, each at its element and field.

    circuit: a document that is valid in itself
    near: its neighbours, where they are known already
    Returns the problems of the first kind found (names, then dead ends, then paths), empty for a sound circuit.
    Source: Kirchhoff's laws need a closed loop; the rest is bookkeeping.
    """
    ends = element_ends(circuit)
    return (
        _name_problems(circuit, ends)
        or _dead_ends(circuit, ends)
        or _path_problems(circuit, neighbours(circuit.branches) if near is None else near)
    )


def between_sources(circuit: Circuit) -> set[str]:
    """Branches that lie between sources: all but the spurs that serve a load, or a converter and what lies behind it.

    circuit: the document
    """
    kept = {b.id: b for b in circuit.branches}
    direct = reach(circuit.alternator.stud_node, neighbours(circuit.branches))
    pairs = [(b.positive_node, b.negative_node) for b in circuit.batteries]
    pairs += [(c.positive_node, c.negative_node) for c in circuit.chargers]
    pairs += [(a.stud_node, a.case_node) for a in circuit.alternators]
    sources = {n for plus, minus in pairs if plus in direct for n in (plus, minus)}
    while True:
        ends = Counter(n for b in kept.values() for n in (b.from_node, b.to_node))
        spurs = [b.id for b in kept.values() if any(ends[n] == 1 and n not in sources for n in (b.from_node, b.to_node))]
        if not spurs:
            return set(kept)
        for branch_id in spurs:
            del kept[branch_id]


def find_ring(circuit: Circuit) -> Ring:
    """The charging loop of a circuit through its first battery.

    circuit: the document
    Returns the ring and the side of every conducting branch. Raises CircuitError for a circuit that does not close.
    """
    near = neighbours(circuit.branches)
    problems = check_circuit(circuit, near)
    if problems:
        raise CircuitError(problems)
    alternator, battery = circuit.alternator, circuit.battery
    feed = least_path(alternator.stud_node, battery.positive_node, near)
    home = least_path(battery.negative_node, alternator.case_node, near)
    assert feed is not None and home is not None  # check_circuit has seen both ways
    positive = feed_nodes(circuit, near)
    return Ring(
        feed=tuple(branch.id for _, branch in feed),
        home=tuple(branch.id for _, branch in home),
        feed_nodes=(alternator.stud_node, *(node for node, _ in feed)),
        feed_reach=frozenset(positive),
        home_nodes=(battery.negative_node, *(node for node, _ in home)),
        side={
            branch.id: Side.FEED if branch.from_node in positive else Side.RETURN
            for branch in circuit.branches
            if branch.conducts
        },
    )
