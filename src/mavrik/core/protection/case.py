"""A circuit with what its checks ask of it, each worked out once: continuous and short currents, short circuits, conductors."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from mavrik.core import network as net
from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch, DiodeBranch, as_sound
from mavrik.core.circuit.editing import tied_nodes
from mavrik.core.circuit.graph import Graph, around, graph_of
from mavrik.core.operating import Engine, State
from mavrik.core.protection.behind import ShortBehind, shorts_behind
from mavrik.core.protection.continuous import continuous_currents
from mavrik.core.protection.short_circuit import Protector, at_their_strongest, protectors

CRANK_S = 15.0
"""A long cranking; the next one waits until everything has cooled. Common practice, no source."""

CARRIED_SHARE = 0.1
"""A fuse that carries less of a fault than this is not in its way, and what sends less than this through one does not age it."""

SOLVED_TO = 1e-6
"""A solved current is exact to about this share of itself: a part that fits to the last digit fits."""


def series_run(circuit: Circuit, branch_id: str) -> list[AnyBranch]:
    """The chain of branches that must carry the same current as a branch, in no special order.

    circuit: the document
    branch_id: a branch of it
    Returns the branch and all reached from it through nodes where nothing else is connected.
    """
    touching: dict[str, list[AnyBranch]] = defaultdict(list)
    for branch in circuit.branches:
        if branch.conducts:
            touching[branch.from_node].append(branch)
            touching[branch.to_node].append(branch)
    tied = tied_nodes(circuit)
    run = {branch_id: circuit.branch(branch_id)}
    todo = [run[branch_id]]
    while todo:
        branch = todo.pop()
        for node in (branch.from_node, branch.to_node):
            if node in tied or len(touching[node]) != 2:
                continue
            for other in touching[node]:
                if other.id not in run:
                    run[other.id] = other
                    todo.append(other)
    return list(run.values())


@dataclass(frozen=True)
class ShortLoad:
    """A load that lasts seconds, and the current it sends through every branch."""

    name: str
    label: str
    seconds: float
    current_a: Mapping[str, float]


class Case:
    """One circuit under review."""

    def __init__(self, circuit: Circuit) -> None:
        """circuit: the document.

        Short circuits are those of sound cables, for a fuse has to break the most that can come.
        """
        self.as_found, self.circuit = circuit, as_sound(circuit)

    @cached_property
    def graph(self) -> Graph:
        """Of what conducts."""
        return graph_of(self.circuit.branches)

    @cached_property
    def continuous_a(self) -> dict[str, float]:
        """The most each branch carries for good in any state, see `mavrik.core.protection.continuous` [A]."""
        return continuous_currents(self.circuit)

    def protected(self, branch: Protector) -> list[ConductorBranch]:
        """The conductors a fuse or breaker has to protect: in its own run, and on a side that no battery feeds.

        A diode ends that side: nothing comes back through it that the fuse would have to break.
        """
        conductors = {b.id: b for b in series_run(self.circuit, branch.id) if isinstance(b, ConductorBranch)}
        posts = {b.positive_node for b in self.circuit.batteries}
        for start in (branch.from_node, branch.to_node):
            seen, todo, side = {start}, [start], {}
            while todo:
                for other, way in around(self.graph, todo.pop()):
                    if way.protects or isinstance(way, DiodeBranch):
                        continue
                    if isinstance(way, ConductorBranch):
                        side[way.id] = way
                    if other not in seen:
                        seen.add(other)
                        todo.append(other)
            if not seen & posts:
                conductors |= side
        return list(conductors.values())

    @cached_property
    def at_strongest(self) -> Case:
        """The same circuit with batteries that give the most they can."""
        return Case(at_their_strongest(self.circuit))

    def behind_a(self, branch_id: str) -> float:
        """As `behind`, the current alone [A]."""
        branch = self.circuit.branch(branch_id)
        assert isinstance(branch, Protector)
        behind = self.behind(branch)
        return behind.current_a if behind else 0.0

    def behind(self, branch: Protector) -> ShortBehind | None:
        """What a fuse or breaker sees with a dead short right behind it; None for one that no current reaches."""
        return self._behind.get(branch.id)

    @cached_property
    def _behind(self) -> Mapping[str, ShortBehind]:
        return shorts_behind(self.circuit)

    @cached_property
    def protectors(self) -> dict[str, Protector]:
        """Fuses and breakers that conduct, by id."""
        return {p.id: p for p in protectors(self.circuit) if p.conducts}

    @cached_property
    def short_loads(self) -> list[ShortLoad]:
        """Cranking, inrush, and loads that are on for a while and then rest."""
        circuit, short = self.circuit, []
        still = State(engine_rpm=0, chargers_on=False)
        cases: list[tuple[str, str, float, State, dict[str, float]]] = []
        starter = next((x for x in circuit.loads if x.cranking), None)
        if starter:
            cases.append(("cranking", starter.label, CRANK_S, still.model_copy(update={"cranking": True}), {}))
        for load in circuit.loads:
            if load.inrush_a is not None:
                only = {x.id: x.id == load.id for x in circuit.loads}
                cases.append(
                    ("inrush", load.label, load.inrush_s, still.model_copy(update={"loads_on": only}), {load.id: load.inrush_a})
                )
            if load.on_s is not None and not load.cranking:
                only = {x.id: x.id == load.id for x in circuit.loads}
                cases.append(("short_use", load.label, load.on_s, still.model_copy(update={"loads_on": only}), {}))
        for name, label, seconds, state, inrush in cases:
            changed = circuit
            if inrush:
                loads = tuple(
                    x.model_copy(update={"current_a": inrush.get(x.id, x.current_a), "law": "current"}) if x.id in inrush else x
                    for x in circuit.loads
                )
                changed = circuit.model_copy(update={"loads": loads})
            try:
                solved = Engine(changed, state).settle().solution
            except net.NoOperatingPointError:
                continue
            short.append(ShortLoad(name, label, seconds, {i: abs(a) for i, a in solved.current_a.items()}))
        return short


def prospective_a(circuit: Circuit, branch: Protector) -> float:
    """Current a fuse or breaker would see with a dead short right behind it, from the stronger side [A].

    circuit, branch: the document and a fuse or breaker of it; one that is open sees nothing
    The engine is off: it is the batteries' own short-circuit current that has to be broken.
    Raises CircuitError for a circuit that cannot be computed.
    Source: the network solved with a short of 0.1 mohm to the negative post of the nearest battery.
    """
    behind = Case(circuit).behind(branch)
    return behind.current_a if behind else 0.0
