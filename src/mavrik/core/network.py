"""Node voltages and branch currents of a resistive network with current sources, by nodal analysis."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Resistor:
    """A resistance between two nodes; current counts positive from `start` to `end`."""

    id: str
    start: str
    end: str
    ohm: float


@dataclass(frozen=True)
class CurrentSource:
    """A current driven out of `start` and into `end`, through the source."""

    start: str
    end: str
    ampere: float


@dataclass(frozen=True)
class EmfSource:
    """A battery: an electromotive force behind a resistance; current counts positive into the positive post."""

    id: str
    positive: str
    negative: str
    volt: float
    ohm: float


@dataclass(frozen=True)
class Solution:
    """What a probe could read."""

    node_v: Mapping[str, float]
    current_a: Mapping[str, float]

    def between(self, first: str, second: str) -> float:
        """What a voltmeter shows with its red probe on `first` and its black one on `second` [V]."""
        return self.node_v[first] - self.node_v[second]


def solve_network(
    resistors: Sequence[Resistor], currents: Sequence[CurrentSource], emfs: Sequence[EmfSource], reference: str
) -> Solution:
    """Solve a network.

    resistors: resistances [ohm], each above 0
    currents: driven currents [A]
    emfs: batteries [V] behind internal resistances [ohm], each above 0
    reference: the node that is 0 V
    Returns node voltages [V] and the currents [A] of resistors and batteries by id.
    Raises ValueError for a resistance that is not above 0 or a network with a part that nothing ties to the reference.
    Source: nodal analysis, G v = i, with every battery as its Norton equivalent.

    >>> s = solve_network([Resistor("a", "p", "n", 2.0)], [CurrentSource("n", "p", 3.0)], [], "n")
    >>> s.node_v["p"], s.current_a["a"]
    (6.0, 3.0)
    """
    names = sorted(
        {n for r in resistors for n in (r.start, r.end)}
        | {n for c in currents for n in (c.start, c.end)}
        | {n for e in emfs for n in (e.positive, e.negative)}
        | {reference}
    )
    row = {name: k for k, name in enumerate(names)}
    conductance = np.zeros((len(names), len(names)))
    injected = np.zeros(len(names))

    def tie(first: int, second: int, ohm: float, name: str) -> None:
        if not (ohm > 0 and np.isfinite(ohm)):
            raise ValueError(f"{name}: a resistance is above 0 ohm and finite, not {ohm}")
        siemens = 1 / ohm
        conductance[first, first] += siemens
        conductance[second, second] += siemens
        conductance[first, second] -= siemens
        conductance[second, first] -= siemens

    for r in resistors:
        tie(row[r.start], row[r.end], r.ohm, r.id)
    for e in emfs:
        tie(row[e.positive], row[e.negative], e.ohm, e.id)
        injected[row[e.positive]] += e.volt / e.ohm
        injected[row[e.negative]] -= e.volt / e.ohm
    for c in currents:
        injected[row[c.end]] += c.ampere
        injected[row[c.start]] -= c.ampere
    keep = [k for k in range(len(names)) if k != row[reference]]
    voltages = np.zeros(len(names))
    if keep:
        if np.any(np.diag(conductance)[keep] == 0):
            alone = [names[k] for k in keep if conductance[k, k] == 0]
            raise ValueError(f"Nothing ties {', '.join(alone)} to the rest of the circuit")
        try:
            voltages[keep] = np.linalg.solve(conductance[np.ix_(keep, keep)], injected[keep])
        except np.linalg.LinAlgError as error:
            raise ValueError(f"A part of the circuit is not tied to {reference}") from error
    node_v = {name: float(voltages[k]) for name, k in row.items()}
    flow = {r.id: (node_v[r.start] - node_v[r.end]) / r.ohm for r in resistors}
    flow |= {e.id: (node_v[e.positive] - node_v[e.negative] - e.volt) / e.ohm for e in emfs}
    return Solution(node_v, flow)
