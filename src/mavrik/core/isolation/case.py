"""A circuit with its switching, and what the rules ask of it, each worked out once."""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import cached_property
from typing import TypeVar, cast

from mavrik.core.circuit import AnyBranch, Circuit, ContactBranch
from mavrik.core.circuit.dead_ends import dead_ends
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.isolation.documents import Control, Sense, Switching
from mavrik.core.isolation.moves import moved_by
from mavrik.core.isolation.table import Row, Table, truth_tables
from mavrik.core.operating import Engine, State
from mavrik.core.protection.continuous import continuous_currents

T = TypeVar("T")


class Case:
    """One switching under review."""

    def __init__(self, circuit: Circuit, switching: Switching) -> None:
        """circuit: the document; switching: of it."""
        self.circuit, self.switching = circuit, switching
        self._once: dict[str, object] = {}

    def once(self, name: str, make: Callable[[], T]) -> T:
        """What is asked of a case for one purpose after another, worked out once."""
        if name not in self._once:
            self._once[name] = make()
        return cast(T, self._once[name])

    @cached_property
    def _tables(self) -> tuple[Table, Table]:
        return truth_tables(self.circuit, self.switching)

    @property
    def used(self) -> Table:
        """Everything on that is on as it is used."""
        return self._tables[0]

    @property
    def bare(self) -> Table:
        """Everything off that may be."""
        return self._tables[1]

    def running(self, off: tuple[str, ...]) -> list[Row]:
        """With an engine that turned before these controls went off: at idle and under way, as used and bare."""
        return [t.row(s, off) for t in (self.used, self.bare) for s in ("idle", "fast")]

    @property
    def controls(self) -> tuple[Control, ...]:
        """What hands move."""
        return self.switching.controls

    @cached_property
    def contacts(self) -> list[ContactBranch]:
        """The contacts that are moved, those of a control's circuit or a sense wire apart: what carries the vehicle's current."""
        moved = {c.branch_id for c in self.switching.contacts}
        moved -= {b.id for _, b in self._wires.values()}
        return [b for b in self.circuit.branches if b.id in moved and isinstance(b, ContactBranch)]

    @cached_property
    def continuous_a(self) -> dict[str, float]:
        """The most each branch carries for good [A]."""
        return continuous_currents(self.circuit)

    @cached_property
    def cranking_a(self) -> dict[str, float]:
        """What each branch carries while cranking [A]; empty where no starter is drawn."""
        if not any(x.cranking for x in self.circuit.loads):
            return {}
        state = State(engine_rpm=0.0, cranking=True, chargers_on=False, converters_on=False)
        current_a = Engine(self.circuit, state).settle().solution.current_a
        return {i: abs(a) for i, a in current_a.items()}

    @cached_property
    def _moved(self) -> dict[str, set[str]]:
        return moved_by(self.circuit, self.switching)

    def moved_by(self, control_id: str) -> set[str]:
        """Contacts that a control moves, itself or through a coil or an input."""
        return self._moved[control_id]

    @cached_property
    def _wires(self) -> dict[str, tuple[str, AnyBranch]]:
        return dead_ends(self.circuit)

    @property
    def wire_nodes(self) -> set[str]:
        """Nodes on the wires of coils and inputs, which are no elements of the circuit."""
        return set(self._wires)

    def supply_of(self, sense: Sense) -> tuple[str, list[AnyBranch]]:
        """Where the wire of a coil or an input starts, and its branches from there on; none where it is not drawn."""
        way, node = list[AnyBranch](), sense.plus_node
        while node in self._wires:
            node, branch = self._wires[node]
            way.append(branch)
        return node, way[::-1]

    def keeps_a_battery(self, opened: Collection[str]) -> bool:
        """Whether an alternator still has a battery, joined to both its ends by closed metal, with these branches open."""
        graph = graph_of(b for b in self.circuit.branches if b.id not in opened)
        return any(
            b.positive_node in reach(graph, a.stud_node) and b.negative_node in reach(graph, a.case_node)
            for a in self.circuit.alternators
            for b in self.circuit.batteries
        )

    def taken_away(self, row: Row) -> bool:
        """Whether contacts that are open in a row take a charging alternator's last battery away."""
        studs = {a.stud_node for a in self.circuit.alternators}
        at_posts = {n for b in self.circuit.batteries for n in (b.positive_node, b.negative_node)}
        ends = ((c.id, {c.from_node, c.to_node}) for c in self.contacts)
        opened = {i for i, nodes in ends if nodes & at_posts and not nodes & studs} - row.closed
        return bool(opened) and not self.keeps_a_battery(opened)
