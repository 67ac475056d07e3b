"""Which batteries metal joins: at rest they come to one voltage, and what leaves one of them may go into another."""

from __future__ import annotations

from mavrik.core.circuit.document import Battery, Circuit
from mavrik.core.circuit.graph import metal_of, reach


def joined_batteries(circuit: Circuit) -> dict[str, str]:
    """Each battery with the first of those that closed metal joins it to, by id; one that nothing joins with itself.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> joined_batteries(build_layout("parallel_batteries", 12))
    {'battery': 'battery', 'battery_2': 'battery'}
    """
    metal = metal_of(circuit.branches)

    def first(b: Battery) -> str:
        joined = reach(metal, b.positive_node)
        return next(o.id for o in circuit.batteries if o.positive_node in joined)

    return {b.id: first(b) for b in circuit.batteries}


def beside_others(circuit: Circuit) -> list[str]:
    """Ids of the batteries that metal joins to another one."""
    groups = joined_batteries(circuit)
    return [i for i, first in groups.items() if list(groups.values()).count(first) > 1]


def behind(circuit: Circuit, branch_id: str) -> str:
    """Id of the first battery that closed metal joins to where a branch leads; empty: none.

    circuit: the document; branch_id: of a diode, or of a way of an isolator
    Raises KeyError for a branch that is not there.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [behind(build_layout("boat_isolator", 12), way) for way in ("diode_1", "diode_2")]
    ['battery', 'house']
    """
    joined = reach(metal_of(circuit.branches), circuit.branch(branch_id).to_node)
    return next((b.id for b in circuit.batteries if b.positive_node in joined), "")
