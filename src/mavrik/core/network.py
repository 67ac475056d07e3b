"""Node voltages and branch currents of a resistive network with current sources, by nodal analysis."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


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


@dataclass(frozen=True)
class SolvedArrays:
    """A solution as arrays: voltages of the nodes; currents through, and voltages across, resistors and batteries."""

    node_v: NDArray[np.float64]
    current_a: NDArray[np.float64]
    across_v: NDArray[np.float64]


class Network:
    """The shape of a network, assembled once and solved for many values of its resistances."""

    def __init__(
        self, resistors: Sequence[Resistor], currents: Sequence[CurrentSource], emfs: Sequence[EmfSource], reference: str
    ) -> None:
        """As for `solve_network`; the resistances given here only name the order of `ohm` in `solve`."""
        names = {reference}
        for resistor in resistors:
            names |= {resistor.start, resistor.end}
        for current in currents:
            names |= {current.start, current.end}
        for battery in emfs:
            names |= {battery.positive, battery.negative}
        names.discard(reference)
        self._names = (*sorted(names), reference)
        row = {name: k for k, name in enumerate(self._names)}
        self._ids = [r.id for r in resistors] + [e.id for e in emfs]
        self._inner = np.array([e.ohm for e in emfs])
        self._volt = np.array([0.0] * len(resistors) + [e.volt for e in emfs])
        ends = [(row[r.start], row[r.end]) for r in resistors] + [(row[e.positive], row[e.negative]) for e in emfs]
        # One row a branch: +1 where its current leaves, -1 where it arrives.
        self._incidence = np.zeros((len(ends), len(self._names)))
        for k, (start, end) in enumerate(ends):
            self._incidence[k, start] += 1
            self._incidence[k, end] -= 1
        self._ampere = [c.ampere for c in currents]
        # One column a driven current: what it takes from each node, and gives to it.
        self._injection = np.zeros((len(self._names), len(currents)))
        for k, c in enumerate(currents):
            self._injection[row[c.end], k] += 1
            self._injection[row[c.start], k] -= 1
        touched = {row for pair in ends for row in pair}
        alone = [n for k, n in enumerate(self._names[:-1]) if k not in touched]
        if alone:
            raise ValueError(f"Nothing ties {', '.join(alone)} to the rest of the circuit")

    @property
    def nodes(self) -> tuple[str, ...]:
        """Names in the order of solved voltages, the reference last."""
        return self._names

    def solve(self, ohm: Sequence[float], ampere: Sequence[float] | None = None) -> Solution:
        """Solve for resistances [ohm] and driven currents [A], each in the order they were given.

        ampere: left out, the currents the network was made with
        Errors as for `solve_network`.
        """
        found = self.solve_arrays(np.asarray(ohm, dtype=float), ampere)
        flow = dict(zip(self._ids, found.current_a.tolist(), strict=True))
        return Solution(dict(zip(self._names, found.node_v.tolist(), strict=True)), flow)

    def solve_arrays(self, ohm: NDArray[np.float64], ampere: Sequence[float] | None = None) -> SolvedArrays:
        """As `solve`, with arrays in the order of `nodes` and of the resistors, then the batteries."""
        resistance = np.concatenate((ohm, self._inner))
        sound = np.isfinite(resistance) & (resistance > 0)
        if not sound.all():
            bad = int(np.argmin(sound))
            raise ValueError(f"{self._ids[bad]}: a resistance is above 0 ohm and finite, not {resistance[bad]}")
        weighted = self._incidence.T / resistance
        injected = self._injection @ np.asarray(self._ampere if ampere is None else ampere, dtype=float) + weighted @ self._volt
        voltages = np.zeros(len(self._names))
        try:
            voltages[:-1] = np.linalg.solve((weighted @ self._incidence)[:-1, :-1], injected[:-1])
        except np.linalg.LinAlgError as error:
            raise ValueError(f"A part of the circuit is not tied to {self._names[-1]}") from error
        across = self._incidence @ voltages
        return SolvedArrays(voltages, (across - self._volt) / resistance, across)


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
    return Network(resistors, currents, emfs, reference).solve([r.ohm for r in resistors])
