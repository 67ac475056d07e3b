"""A circuit of sound parts at the rated output of its alternator, and what its return leads carry when one of them has failed."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import cached_property, lru_cache

from mavrik.core import network as net
from mavrik.core.circuit import Circuit, ConductorBranch, as_sound
from mavrik.core.circuit.ring import Ring, Side, find_ring
from mavrik.core.operating import Engine, Settled, settle_together
from mavrik.core.operating.prediction import Prediction, at_rated_output, prediction_of
from mavrik.core.operating.wiring import Wirings


class AtRatedOutput:
    """One circuit; nothing of it is solved before it is asked for."""

    def __init__(self, circuit: Circuit) -> None:
        """circuit: the document; its parts are taken as sound."""
        self._circuit = circuit
        self._found: list[Settled | net.NoOperatingPointError] = []

    @cached_property
    def ring(self) -> Ring:
        """The charging loop."""
        return find_ring(self._circuit)

    def _engines(self) -> Iterator[Engine]:
        """Everything in order first, then each return lead failed that may: it is there and conducts nothing, so that all are one network."""
        sound = as_sound(self._circuit)
        state, wirings = at_rated_output(sound), Wirings()
        yield Engine(sound, state, wirings=wirings)
        for gone in self._may_fail():
            yield Engine(sound, state, checked=True, extra_ohm={gone: math.inf}, wirings=wirings)

    def _may_fail(self) -> Iterator[str]:
        """Return leads without which the output still has a way back."""
        circuit = self._circuit
        for gone in self.ring.return_side:
            if isinstance(circuit.branch(gone), ConductorBranch):
                without = circuit.model_copy(update={"branches": tuple(b for b in circuit.branches if b.id != gone)})
                if find_ring(without).closes:
                    yield gone

    @staticmethod
    def solve(several: Sequence[AtRatedOutput]) -> None:
        """Have several of them ready at once: those whose networks have one shape are solved together. Raises CircuitError."""
        new = [one for one in dict.fromkeys(several) if not one._found]
        engines = [list(one._engines()) for one in new]
        settled = iter(settle_together([e for some in engines for e in some]))
        for one, some in zip(new, engines, strict=True):
            one._found = [next(settled) for _ in some]

    @cached_property
    def prediction(self) -> Prediction:
        """With everything in order, cables warm. Raises NoOperatingPointError."""
        self.solve([self])
        if isinstance(self._found[0], net.NoOperatingPointError):
            raise self._found[0]
        return prediction_of(self._found[0], self.ring)

    @cached_property
    def alone_a(self) -> dict[str, float]:
        """What each return lead carries at most when one of the others has failed, by branch id [A]; empty where none may fail."""
        self.solve([self])
        most: dict[str, float] = {}
        for settled in self._found[1:]:
            if isinstance(settled, Settled):
                for i, side in self.ring.side.items():
                    if side is Side.RETURN and i in settled.solution.current_a:
                        most[i] = max(most.get(i, 0.0), abs(settled.solution.current_a[i]))
        return most


@lru_cache(maxsize=64)
def at_rated(circuit: Circuit) -> AtRatedOutput:
    """What a circuit does at rated output, kept for the next who asks.

    circuit: the document
    Source: the network solved, cables at the temperatures they settle at.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> found = at_rated(front_battery(12))
    >>> round(found.prediction.current_a["charge_cable"]), round(found.alone_a["body_ground"])
    (90, 90)
    """
    return AtRatedOutput(circuit)
