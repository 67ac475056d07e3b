"""The resistances of a circuit's branches at the temperatures their currents bring them to."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from mavrik.core.circuit import AnyBranch, ConductorBranch
from mavrik.core.thermal.ampacity import Place
from mavrik.core.thermal.heat import HeatCurve, heat_curve

SETTLED_K = 0.1
WARM_ROUNDS = 8
"""Resistance follows temperature by 0.4 % a kelvin, so a few rounds of current and temperature settle both."""


def surroundings_c(branch: AnyBranch, engine_space_c: float, ambient_c: float) -> float:
    """Temperature of the air round a branch: its own where that is known, or that of its place [degC].

    branch: any branch; contacts are taken to sit outside the engine space
    engine_space_c, ambient_c: of the two places [degC]
    """
    if not isinstance(branch, ConductorBranch):
        return ambient_c
    if branch.ambient_c is not None:
        return branch.ambient_c
    return engine_space_c if branch.place is Place.ENGINE_SPACE else ambient_c


def curve_of(branch: ConductorBranch, around_c: float) -> HeatCurve:
    """A conductor's balance of heat; of one run.

    branch: cable or strap
    around_c: temperature of the air round it [degC]
    """
    return heat_curve(branch.conductor, around_c, branch.material, branch.stranding, branch.bundled)


class WarmCables:
    """The branches of a circuit in a fixed order, with conductors that warm and contacts that do not."""

    def __init__(self, branches: Sequence[AnyBranch], measured: bool = False) -> None:
        """Two temperatures of each say all.

        branches: in the order in which resistances and currents will be given
        measured: whether a branch has the resistance that was measured of it, or that of a sound one
        """
        self.branches = tuple(branches)
        self._around: dict[tuple[float, float], NDArray[np.float64]] = {}

        def ohm(branch: AnyBranch, temperature_c: float) -> float:
            return branch.resistance_ohm(temperature_c) if measured else branch.sound_resistance_ohm(temperature_c)

        self.at_20c = np.array([ohm(b, 20.0) for b in branches])
        metal = [(k, b) for k, b in enumerate(branches) if isinstance(b, ConductorBranch)]
        self.conductors = tuple(b for _, b in metal)
        self.rows = np.array([k for k, _ in metal], dtype=int)
        self._runs = np.array([b.parallel for b in self.conductors], dtype=float)
        # A metal's resistance is a straight line over temperature, so two points of it say all.
        self._per_k = np.zeros(len(branches))
        self._per_k[self.rows] = [(ohm(b, 120.0) - self.at_20c[k]) / 100.0 for k, b in metal]

    def around_c(self, engine_space_c: float, ambient_c: float) -> NDArray[np.float64]:
        """Temperature of the air round every branch [degC]; as `surroundings_c`."""
        key = engine_space_c, ambient_c
        if key not in self._around:
            self._around[key] = np.array([surroundings_c(b, *key) for b in self.branches], dtype=float)
        return self._around[key]

    def ohm(self, temperature_c: NDArray[np.float64]) -> NDArray[np.float64]:
        """Resistances at the branches' temperatures [ohm]."""
        return np.asarray(self.at_20c + self._per_k * (temperature_c - 20.0))

    def settled_c(self, current_a: NDArray[np.float64], around_c: NDArray[np.float64]) -> NDArray[np.float64]:
        """Temperatures that currents settle at, by the heat balance of each conductor [degC].

        current_a: through every branch [A], either sign
        around_c: of the air round every branch [degC]
        """
        warm = np.array(around_c, dtype=float)
        amps = current_a[self.rows] / self._runs
        warm[self.rows] = [
            curve_of(b, around).temperature_c(i)
            for b, around, i in zip(self.conductors, around_c[self.rows].tolist(), amps.tolist(), strict=True)
        ]
        return warm
