"""Which contacts a control moves: itself, through a coil, or by what its own contact takes the supply from."""

from __future__ import annotations

from collections.abc import Collection

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.isolation.documents import Sense, Switching
from mavrik.core.isolation.expressions import names_in, read_condition


def moved_by(circuit: Circuit, switching: Switching) -> dict[str, set[str]]:
    """The contacts that each control moves, by the control's id.

    circuit: the document; switching: of it
    A coil or an input goes with a control that its condition names, and with one whose contacts, opened, leave it no battery.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.topologies import topology_of
    >>> made = topology_of("two_controls").build(build_layout("front_battery", 12))
    >>> sorted(moved_by(made.circuit, made.switching)["driver"])
    ['driver_switch', 'isolator']
    """
    conditions = {c.branch_id: set(names_in(read_condition(c.when))) for c in switching.contacts}
    moved = {}
    for control in switching.controls:
        names = {control.id}
        while True:
            opened = {i for i, of in conditions.items() if of & names}
            more = {s.id for s in switching.senses if s.id not in names and _goes(circuit, s, names, opened)}
            if not more:
                break
            names |= more
        moved[control.id] = opened
    return moved


def _goes(circuit: Circuit, sense: Sense, names: Collection[str], opened: Collection[str]) -> bool:
    if not set(names).isdisjoint(names_in(read_condition(sense.when))):
        return True
    graph = graph_of((b for b in circuit.branches if b.id not in opened), open_too=True)
    plus, minus = reach(graph, sense.plus_node), reach(graph, sense.minus_node)
    return not any(b.positive_node in plus and b.negative_node in minus for b in circuit.batteries)
