"""The branches of a circuit as elements, made once for all states that leave their contacts as they are."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field

from mavrik.core import network as net
from mavrik.core.circuit import AnyBranch, Circuit
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.operating.elements import branch_elements
from mavrik.core.operating.state import State
from mavrik.core.operating.warm_cables import WarmCables


@dataclass(frozen=True)
class Wiring:
    """What conducts of a circuit's branches."""

    branches: tuple[AnyBranch, ...]
    """The document's, all of them."""
    elements: tuple[net.Element, ...]
    """With cold cables."""
    warm: WarmCables
    """Of those that are resistances, in their order."""
    _reached: dict[tuple[str, frozenset[str]], set[str]] = field(default_factory=dict)

    def reached(self, node: str, open_ids: Collection[str]) -> set[str]:
        """Nodes that one is joined to through what the document has closed.

        node: of the circuit; open_ids: of branches that are open, too
        """
        key = node, frozenset(open_ids)
        if key not in self._reached:
            self._reached[key] = reach(graph_of(b for b in self.branches if b.id not in key[1]), node)
        return self._reached[key]


class Wirings:
    """Wirings that were made, to be had again for another state of the same branches."""

    def __init__(self) -> None:
        self._made: dict[tuple[object, ...], Wiring] = {}

    def of(self, circuit: Circuit, state: State) -> Wiring:
        """The wiring of a circuit at a state, made once for the very same branches with the same contacts.

        circuit, state: the document and what is open
        """
        # Each wiring holds its branches, so that no others can come to lie at the same place while it is kept.
        key = id(circuit.branches), circuit.battery.negative_node, state.lasts_s, tuple(sorted(state.contacts.items()))
        if key not in self._made:
            by_id = {b.id: b for b in circuit.branches}
            elements = tuple(branch_elements(circuit, state))
            metal = [by_id[e.id] for e in elements if isinstance(e, net.Resistor)]
            self._made[key] = Wiring(circuit.branches, elements, WarmCables(metal, measured=True))
        return self._made[key]
