"""What the meter should show: a circuit of the parts fitted, at an operating state."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from mavrik.core.ampacity import Place, working_temperatures_c
from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch
from mavrik.core.network import CurrentSource, EmfSource, Network, Resistor
from mavrik.core.topology import Ring, conducts, find_ring

WARM_ROUNDS = 4
SETTLED_K = 0.5
"""Cable temperatures that move by less than this have settled: 0.2 % of a resistance, far below what a cable may differ."""


@dataclass(frozen=True)
class OperatingState:
    """What the alternator does and how warm it is around the cables."""

    output_current_a: float
    stud_voltage_v: float
    engine_space_c: float = 40.0
    ambient_c: float = 20.0
    warmed_up: bool = False
    """Cables at the temperature this current settles at, instead of that of their surroundings."""


@dataclass(frozen=True)
class Prediction:
    """A solved operating state."""

    state: OperatingState
    ring: Ring
    resistance_ohm: Mapping[str, float]
    temperature_c: Mapping[str, float]
    current_a: Mapping[str, float]
    drop_v: Mapping[str, float]
    node_v: Mapping[str, float]
    """Against the alternator case."""

    def path_drop(self, branch_ids: tuple[str, ...]) -> float:
        """Volts lost along branches of the ring, each taken the way the ring runs [V]."""
        return sum(abs(self.drop_v[branch_id]) for branch_id in branch_ids)


class Predictor:
    """A circuit assembled once, to be predicted at many operating states."""

    def __init__(self, circuit: Circuit, ring: Ring | None = None) -> None:
        """circuit: the document; ring: its ring, where it is known already. Raises CircuitError where it does not close."""
        self.circuit = circuit
        self.ring = ring or find_ring(circuit)
        self.live: tuple[AnyBranch, ...] = tuple(b for b in circuit.branches if conducts(b))
        self._ids = [b.id for b in self.live]
        self._at_20c = np.array([b.sound_resistance_ohm(20.0) for b in self.live])
        conductors = [(k, b, b.ampacity()) for k, b in enumerate(self.live) if isinstance(b, ConductorBranch)]
        self._conductors = np.array([k for k, _, _ in conductors], dtype=int)
        # A metal's resistance is a straight line over temperature, so two points of it say all.
        self._per_k = np.zeros(len(self.live))
        self._per_k[self._conductors] = [(b.sound_resistance_ohm(120.0) - self._at_20c[k]) / 100.0 for k, b, _ in conductors]
        self._allowed_a = np.array([allowed.current_a for _, _, allowed in conductors])
        self._table_ambient_c = np.array([allowed.ambient_c for _, _, allowed in conductors])
        self._insulation_c = np.array([float(b.insulation_c) for _, b, _ in conductors])
        self._hot = np.array([isinstance(b, ConductorBranch) and b.place is Place.ENGINE_SPACE for b in self.live])
        alternator = circuit.alternator
        self._loads_a = [load.current_a for load in circuit.loads]
        self._network = Network(
            [
                *(Resistor(b.id, b.from_node, b.to_node, 1.0) for b in self.live),
                CurrentSource(alternator.case_node, alternator.stud_node, 0.0),
                *(CurrentSource(load.from_node, load.to_node, load.current_a) for load in circuit.loads),
                *(EmfSource(b.id, b.positive_node, b.negative_node, 0.0, b.internal_mohm / 1000) for b in circuit.batteries),
            ],
            alternator.case_node,
        )

    def predict(self, state: OperatingState, extra_ohm: Mapping[str, float] | None = None) -> Prediction:
        """Voltages and currents at one state; as the function `predict`."""
        extra = np.array([extra_ohm.get(i, 0.0) for i in self._ids]) if extra_ohm else 0.0
        driven = np.array([state.output_current_a, *self._loads_a])
        temperature = np.where(self._hot, state.engine_space_c, state.ambient_c).astype(float)
        resistance = self._at_20c + self._per_k * (temperature - 20.0) + extra
        volts, current = self._network.solve_straight(resistance, driven)
        if state.warmed_up:
            # Resistance moves current only between parallel paths, so a few rounds settle it well below a millivolt.
            for _ in range(WARM_ROUNDS):
                warm = working_temperatures_c(
                    current[self._conductors], self._allowed_a, self._table_ambient_c, self._insulation_c
                )
                if np.abs(warm - temperature[self._conductors]).max(initial=0.0) < SETTLED_K:
                    break
                temperature[self._conductors] = warm
                resistance = self._at_20c + self._per_k * (temperature - 20.0) + extra
                volts, current = self._network.solve_straight(resistance, driven)
        node_v = dict(zip(self._network.nodes, volts.tolist(), strict=True))
        # The batteries' voltages only lift the whole feed side; the stud voltage says by how much.
        lift = state.stud_voltage_v - node_v[self.circuit.alternator.stud_node]
        feed_reach = self.ring.feed_reach
        return Prediction(
            state=state,
            ring=self.ring,
            resistance_ohm=dict(zip(self._ids, resistance.tolist(), strict=True)),
            temperature_c=dict(zip(self._ids, temperature.tolist(), strict=True)),
            current_a=dict(zip(self._ids, current.tolist(), strict=True)),
            drop_v=dict(zip(self._ids, (current * resistance).tolist(), strict=True)),
            node_v={n: v + lift if n in feed_reach else v for n, v in node_v.items()},
        )


def predict(
    circuit: Circuit, state: OperatingState, extra_ohm: Mapping[str, float] | None = None, ring: Ring | None = None
) -> Prediction:
    """Voltages and currents of a circuit while the alternator delivers a known current.

    circuit: the document
    state: output current [A], voltage at the stud [V] and temperatures [degC]
    extra_ohm: resistance beyond that of a sound part, by branch id [ohm]; left out, every part is sound
    ring: the circuit's ring, where it is known already
    Returns drops [V], currents [A], resistances [ohm] and node voltages [V] against the alternator case. What the
    loads do not take goes into the batteries, shared by their resistances.
    Raises CircuitError for a circuit that does not close.
    Source: nodal analysis; resistance at temperature (IEC 60028); with `warmed_up`, temperature from current by
    `working_temperature_c`, solved together with the resistances.

    >>> from mavrik.core.layouts import front_battery
    >>> found = predict(front_battery(12), OperatingState(80, 14.4, engine_space_c=20, ambient_c=20))
    >>> round(found.drop_v["charge_cable"] * 1000)  # 80 A through 1.2 m of 0.78 mohm/m and two lugs of 0.05 mohm
    83
    """
    return Predictor(circuit, ring).predict(state, extra_ohm)
