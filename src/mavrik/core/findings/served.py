"""At which voltage a load is served in a state of the bench: what it takes there hangs on it, and the network knows resistances only."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit, Load, LoadKind
from mavrik.core.circuit.graph import least_ohm, metal_of
from mavrik.core.operating.bench_states import AT_IDLE, BenchState, ohm_at

RUNNING_V_12, IDLING_V_12 = 13.8, 13.0
"""Where nobody read a battery's volts while the engine ran they are taken as this in a 12 V vehicle, and as this at idle, where loads may
ask for more than the unit gives [V]. Common practice, no source."""

LEAST_SHARE, MOST_SHARE = 0.8, 1.35
"""A voltage beyond these shares of the system's is a slip or a fault's: no load is reckoned at it."""


class Served:
    """The loads of a circuit that take something else than a resistance does, and the batteries that metal joins them to."""

    def __init__(self, circuit: Circuit, running_v: Mapping[BenchState, Mapping[str, float]]) -> None:
        """circuit: the document; running_v: volts read at the batteries while the engine ran, by state"""
        self._volts, self._running_v = circuit.system_voltage_v, running_v
        self._loads = {x.id: x for x in circuit.loads if x.law is not LoadKind.RESISTANCE and not x.cranking}
        self._near: dict[str, list[str]] = {}
        if self._loads:
            metal = metal_of(circuit.branches)
            for x in self._loads.values():
                far = least_ohm(metal, x.from_node)
                joined = [b for b in circuit.batteries if b.positive_node in far]
                self._near[x.id] = [b.id for b in sorted(joined, key=lambda b: far[b.positive_node])]

    def ohm(self, load_id: str, state: BenchState) -> float | None:
        """What a load is there as a resistance, by what was read of the nearest battery in that state [ohm]; None for one that is a
        resistance anyway, or none of these."""
        load = self._loads.get(load_id)
        return None if load is None else ohm_at(load, self._volts, self._volts_at(load, state))

    def _volts_at(self, load: Load, state: BenchState) -> float:
        read = self._running_v.get(state, {})
        least, most = LEAST_SHARE * self._volts, MOST_SHARE * self._volts
        near = (read[b] for b in self._near[load.id] if b in read and least <= read[b] <= most)
        return next(near, (IDLING_V_12 if state in AT_IDLE else RUNNING_V_12) * self._volts / 12)
