"""What an ideal source cannot say of itself: a consumer that has lost its supply, an alternator that nothing holds.

A current source has an answer at any voltage, a million volts below zero too. A real consumer stops at zero, and a real rectifier
conducts back at its clamp. In all but a few states neither is reached, so a network is solved without them; a state that is found
beyond one of them is solved again with a diode for each.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields, replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core.network.assembly import Assembly
from mavrik.core.network.elements import Bools, Diode, Floats, Solved

STOP_OHM = 1e-4
"""Of a consumer held at zero: a few millivolts below it at its full current."""

CLAMP_OHM = 0.02
"""How much a clamping rectifier gives way. From memory, of the order that makers' sheets give; no single source."""

BEYOND_V = 1e-7
"""What is further below is beyond: at a thousandth of a volt below zero a held consumer would have given back most of its current."""


class Guards:
    """The diodes that stand by a network, and where its answers would have to lie for them to stay out."""

    def __init__(self, net: Assembly) -> None:
        """net: a network with all it has."""
        takers = [c for c in net.currents if c.takes]
        clamped = [s for s in net.sources if s.clamp_v is not None]
        self.clamps = {s.id: f"{s.id}:clamp" for s in clamped}
        """Of each source that has one, its diode."""
        self.diodes = [Diode(f"{c.id}:stop", c.end, c.start, 0.0, STOP_OHM) for c in takers]
        self.diodes += [Diode(self.clamps[s.id], s.positive, s.negative, s.clamp_v or 0.0, CLAMP_OHM) for s in clamped]
        self._start = np.array([net.row[d.start] for d in self.diodes], dtype=np.int64)
        self._end = np.array([net.row[d.end] for d in self.diodes], dtype=np.int64)
        self._volt = np.array([d.forward_v for d in self.diodes])
        self._ohm = np.array([d.ohm for d in self.diodes])
        self.takers = len(takers)
        self.takes = [k for k, c in enumerate(net.currents) if c.takes]
        self.clamped = [k for k, s in enumerate(net.sources) if s.clamp_v is not None]

    def beyond(self, node_v: Floats) -> Bools:
        """In which states (states, nodes) an answer lies beyond one of them."""
        if not self.diodes:
            return np.zeros(len(node_v), dtype=bool)
        over = node_v.take(self._start, axis=1) - node_v.take(self._end, axis=1) > self._volt + BEYOND_V
        return np.asarray(over.any(axis=1))

    def values(self, given: Mapping[str, NDArray[np.float64]]) -> dict[str, NDArray[np.float64]]:
        """The values of a network (rows, elements) with those of the diodes behind its own."""
        more = {"diode_v": self._volt, "diode_ohm": self._ohm}
        return {n: np.concatenate((a, np.tile(more[n], (len(a), 1))), axis=1) if n in more else a for n, a in given.items()}

    def without(self, solved: Solved, order: NDArray[np.int64]) -> Solved:
        """An answer of the guarded network as one of its own: a clamp's current is part of its source's.

        order: where each node of the network is in the guarded one's
        """
        diodes = solved.diode_a.shape[1] - len(self.diodes)
        source_a = solved.source_a.copy()
        source_a[:, self.clamped] -= solved.diode_a[:, diodes + self.takers :]
        return replace(solved, node_v=solved.node_v[:, order], diode_a=solved.diode_a[:, :diodes], source_a=source_a)


def merged(into: Solved, which: Bools | NDArray[np.int64], part: Solved) -> Solved:
    """Answers with those of some states replaced.

    into: all; which: those to be replaced, as a mask or by number; part: what they are instead
    """
    made = {}
    for f in fields(into):
        made[f.name] = np.array(getattr(into, f.name))
        made[f.name][which] = getattr(part, f.name)
    return Solved(**made)
