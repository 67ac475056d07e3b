"""What every fuse and breaker of a circuit sees with a dead short right behind it, all of them solved together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.graph import graph_of, least_ohm
from mavrik.core.operating import DeadShort, State
from mavrik.core.protection.short_circuit import FaultSolver, Protector, protectors

SHORT_MOHM = 0.1
"""A wrench across two studs."""


@dataclass(frozen=True)
class ShortBehind:
    """A dead short right behind a fuse or breaker, on the side where it sees more."""

    current_a: float
    """Through the fuse or breaker, either sign."""
    solution: net.Solution
    cleared: net.Solution
    """Once it has opened."""


@lru_cache(maxsize=64)
def shorts_behind(circuit: Circuit) -> Mapping[str, ShortBehind]:
    """The short behind each fuse and breaker that one can be fed through, by branch id.

    circuit: the document, of sound parts
    The short lies between the far side and the negative post of the battery nearest to the near side, on whichever side gives more.
    The engine is off: it is the batteries' own short-circuit current that has to be broken. Raises CircuitError for a circuit that
    cannot be computed.
    Source: the network solved with a short of 0.1 mohm.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> [(i, round(s.current_a, -2)) for i, s in shorts_behind(front_battery(12)).items()]
    [('charge_fuse', 1800.0)]
    """
    shorts = list(_shorts(circuit))
    if not shorts:
        return {}
    faults = [DeadShort(from_node=node, to_node=to, resistance_mohm=SHORT_MOHM) for _, node, to in shorts]
    solver = FaultSolver(circuit, State(engine_rpm=0, chargers_on=False), faults)
    worst: dict[str, tuple[float, int, net.Solution]] = {}
    solved = solver.solve_each([(k, frozenset()) for k in range(len(shorts))])
    for k, ((i, _, _), solution) in enumerate(zip(shorts, solved, strict=True)):
        amps = abs(solution.current_a[i])
        if i not in worst or amps > worst[i][0]:
            worst[i] = amps, k, solution
    cleared = solver.solve_each([(k, frozenset({i})) for i, (_, k, _) in worst.items()])
    return {i: ShortBehind(w[0], w[2], after) for (i, w), after in zip(worst.items(), cleared, strict=True)}


def _shorts(circuit: Circuit) -> Iterator[tuple[str, str, str]]:
    """Of each fuse and breaker that conducts, on both sides: its id, and between which nodes the short lies."""
    graph = graph_of(circuit.branches)
    from_posts = [(b, least_ohm(graph, b.positive_node)) for b in circuit.batteries]

    def behind(branch: Protector, near: str, far: str) -> Iterator[tuple[str, str, str]]:
        # To the twelfth digit, so that of two batteries equally near it is always the first.
        ways = [(round(ohm[near], 12), b) for b, ohm in from_posts if near in ohm]
        if ways and far != (nearest := min(ways, key=lambda w: w[0])[1]).negative_node:
            yield branch.id, far, nearest.negative_node

    for branch in protectors(circuit):
        if branch.conducts:
            yield from behind(branch, branch.to_node, branch.from_node)
            yield from behind(branch, branch.from_node, branch.to_node)
