"""What must be so before a circuit can be computed, and what one that can be computed cannot do.

The first is refused, at its element and field. The second is said: a circuit with an open disconnect, a battery that nothing
charges or a bare lead is as real as any.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from mavrik.core.circuit.document import BenchCharger, Circuit, Converter
from mavrik.core.circuit.graph import Graph, graph_of, least_path, reach
from mavrik.core.circuit.ring import feed_nodes, find_ring
from mavrik.core.document import Problem


class CircuitError(ValueError):
    """A circuit that cannot work; `problems` names every place."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("; ".join(p.message for p in problems))
        self.problems = problems


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
    messages: list[str] = []
    for name, field, at in ends:
        if name != element:
            element, messages = name, []
        if at in messages:
            problems.append(Problem(name, field, "Both ends are on the same node; a branch joins two different ones."))
        messages.append(at)
    return problems


def check_circuit(circuit: Circuit) -> list[Problem]:
    """Everything that stops a circuit from being computed, each at its element and field.

    circuit: a document that is valid in itself
    Returns ids used twice, names of nodes that are not there, elements with both ends on one node, chargers whose stages contradict
    each other; empty for a circuit that can be computed, whether it can charge or not.
    Source: bookkeeping.
    """
    return [*_name_problems(circuit, element_ends(circuit)), *_stage_problems(circuit)]


def _stage_problems(circuit: Circuit) -> list[Problem]:
    """Chargers whose stages contradict each other."""
    problems = []
    every: tuple[BenchCharger | Converter, ...] = (*circuit.chargers, *circuit.converters)
    for c in every:
        if c.float_v is not None and c.float_v > c.set_point_v:
            problems.append(Problem(c.id, "float_v", f"Float lies above the {c.set_point_v:g} V that it charges at."))
        if c.again_below_v is not None and c.again_below_v > (c.set_point_v if c.float_v is None else c.float_v):
            problems.append(
                Problem(
                    c.id,
                    "again_below_v",
                    "It would begin anew at once: that lies above the voltage that it holds once it has charged.",
                )
            )
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


def _dead_short(circuit: Circuit, graph: Graph, labels: dict[str, str]) -> list[Problem]:
    """The feed side joined to the return side."""
    alternator = circuit.alternator
    path = least_path(graph, alternator.stud_node, alternator.case_node)
    if not path:
        return []
    feed = find_ring(circuit).feed_reach
    return [
        Problem(
            next((b.id for node, b in path if node not in feed), path[-1][1].id),
            "to_node",
            f"The feed side is joined to the return side: from {labels[alternator.stud_node]} one comes to "
            f"{labels[alternator.case_node]} through {', '.join(b.label for _, b in path)}. That is a dead short.",
        )
    ]


def _why_no_way(circuit: Circuit, start: str, goal: str) -> str:
    """What to do about a way that is missing: close what is open on it, where that alone is the matter."""
    path = least_path(graph_of(circuit.branches, open_too=True), start, goal)
    if path is None:
        return "Join them with a cable."
    shut = [b.label for _, b in path if not b.conducts]
    return f"{' and '.join(shut)} {'is' if len(shut) == 1 else 'are'} open."


def charging_gaps(circuit: Circuit) -> list[Problem]:
    """Everything that keeps a circuit from charging what it should, each at its element and field.

    circuit: a document that `check_circuit` has nothing to say of
    Returns a dead short, batteries without a way out or back, loads and sources that hang on the wrong side, leads with a
    bare end; empty for a circuit that can charge all of its batteries.
    Source: Kirchhoff's laws need a closed loop; the rest is common practice.
    """
    graph = graph_of(circuit.branches)
    labels = {node.id: node.label for node in circuit.nodes}
    problems = _dead_short(circuit, graph, labels)
    if problems:
        return problems
    alternator = circuit.alternator
    positive, negative = feed_nodes(circuit, graph), reach(graph, alternator.case_node)
    for b in circuit.batteries:
        if b.positive_node not in positive:
            way = _why_no_way(circuit, alternator.stud_node, b.positive_node)
            problems.append(
                Problem(
                    b.id,
                    "positive_node",
                    f"No way from {labels[alternator.stud_node]} to {labels[b.positive_node]}: "
                    f"{alternator.label} cannot charge {b.label}. {way}",
                )
            )
        if b.negative_node not in negative:
            way = _why_no_way(circuit, b.negative_node, alternator.case_node)
            problems.append(
                Problem(
                    b.id, "negative_node", f"No way back from {labels[b.negative_node]} to {labels[alternator.case_node]}. {way}"
                )
            )
    gives = [(a.id, a.label, a.stud_node, a.case_node) for a in circuit.alternators[1:]]
    gives += [(c.id, c.label, c.positive_node, c.negative_node) for c in circuit.chargers]
    takes = [(x.id, "from_node", x.label, x.from_node, "to_node", x.to_node) for x in circuit.loads]
    takes += [(c.id, "in_node", c.label, c.in_node, "ground_node", c.ground_node) for c in circuit.converters]
    # Behind an open switch everything hangs in the air; that is said once, of the battery.
    if not problems:
        for element, plus_field, label, plus, minus_field, minus in takes:
            if plus not in positive:
                problems.append(
                    Problem(element, plus_field, f"{label} is fed from {labels[plus]}, which is not on the feed side.")
                )
            if minus not in negative:
                problems.append(
                    Problem(element, minus_field, f"{label} returns to {labels[minus]}, which is not on the return side.")
                )
        for element, label, plus, minus in gives:
            if plus not in positive:
                problems.append(
                    Problem(element, "positive_node", f"{label} gives to {labels[plus]}, which is not on the feed side.")
                )
            if minus not in negative:
                problems.append(
                    Problem(element, "negative_node", f"{label} returns at {labels[minus]}, which is not on the return side.")
                )
        known = positive | negative
        loose = [b for b in circuit.branches if b.conducts and b.from_node not in known]
        problems += [Problem(b.id, "from_node", f"{b.label} has no connection to the alternator or a battery.") for b in loose]
    return problems + _dead_ends(circuit, element_ends(circuit))
