"""Leads beyond which nothing of the circuit hangs: wires of coils and of inputs, and what is laid for later."""

from __future__ import annotations

from mavrik.core.circuit.branches import AnyBranch
from mavrik.core.circuit.document import Circuit
from mavrik.core.circuit.graph import around, graph_of
from mavrik.core.circuit.rules import element_ends


def dead_ends(circuit: Circuit) -> dict[str, tuple[str, AnyBranch]]:
    """Of every node beyond which there is nothing the next one on the way back, and the branch to it.

    circuit: the document
    What hangs there is a battery, an alternator or its regulator's sense, a consumer or a charger; contacts count as closed.
    Whatever position a contact on such a lead is in, no current of the circuit changes.

    >>> from mavrik.core.circuit import SwitchBranch
    >>> from mavrik.core.circuit.additions import Growing
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> grow = Growing(front_battery(12))
    >>> grow.put("branches", SwitchBranch(id="spare", label="Spare", from_node="bat_pos", to_node=grow.node("end", "End")))
    >>> [(node, back, branch.id) for node, (back, branch) in dead_ends(grow.done()).items()]
    [('end', 'bat_pos', 'spare')]
    """
    branches = {b.id for b in circuit.branches}
    used = {node for element, _, node in element_ends(circuit) if element not in branches}
    used |= {n for a in circuit.alternators for n in (a.sense_positive_node, a.sense_negative_node) if n is not None}
    graph = graph_of(circuit.branches, open_too=True)
    ends = [n for n in graph if n not in used and graph.degree(n) == 1]
    reasons = dict[str, tuple[str, AnyBranch]]()
    while ends:
        node = ends.pop()
        if node in used or graph.degree(node) != 1:
            continue
        (reasons[node],) = around(graph, node)
        graph.remove_node(node)
        ends.append(reasons[node][0])
    return reasons
