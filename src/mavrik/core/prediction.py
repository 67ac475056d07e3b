"""What the meter should show: a circuit of the parts fitted, at an operating state."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from mavrik.core.circuit import AnyBranch, Battery, Circuit, DiodeBranch
from mavrik.core.devices import battery_units, converter_element
from mavrik.core.network import CurrentSource, Diode, EmfSource, Floats, Network, Resistor
from mavrik.core.sources import rest_voltage_v
from mavrik.core.topology import Ring, find_ring, neighbours, reach
from mavrik.core.warm_cables import SETTLED_K, WARM_ROUNDS, WarmCables

LIFT_ROUNDS = 8
LIFTED_V = 1e-6
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


def _emf(circuit: Circuit, battery: Battery) -> EmfSource:
    """A battery on charge during a test: its rest voltage only says how several share."""
    units = battery_units(circuit, battery)
    volts = rest_voltage_v(battery.chemistry.value, battery.state_of_charge) * units if circuit.converters else 0.0
    ohm = battery.internal_mohm / 1000 / battery.parallel * (battery.series or 1)
    return EmfSource(battery.id, battery.positive_node, battery.negative_node, volts, ohm)


class Predictor:
    """A circuit assembled once, to be predicted at many operating states."""

    def __init__(self, circuit: Circuit, ring: Ring | None = None) -> None:
        """circuit: the document; ring: its ring, where it is known already. Raises CircuitError where it does not close."""
        self.circuit = circuit
        self.ring = ring or find_ring(circuit)
        self.live: tuple[AnyBranch, ...] = tuple(b for b in circuit.branches if b.conducts)
        self._ids = [b.id for b in self.live]
        self._warm = WarmCables(self.live)
        alternator = circuit.alternator
        loads = [load for load in circuit.loads if load.on and not load.cranking]
        self._loads_a = [load.current_a for load in loads]
        self._metal = [k for k, b in enumerate(self.live) if not isinstance(b, DiodeBranch)]
        self._diodes = [k for k, b in enumerate(self.live) if isinstance(b, DiodeBranch)]
        self._network = Network(
            [
                *(Resistor(self._ids[k], self.live[k].from_node, self.live[k].to_node, 1.0) for k in self._metal),
                *(Diode(b.id, b.from_node, b.to_node, b.forward_v, 1.0) for b in self.live if isinstance(b, DiodeBranch)),
                CurrentSource(alternator.case_node, alternator.stud_node, 0.0),
                *(CurrentSource(load.from_node, load.to_node, load.current_a) for load in loads),
                *(_emf(circuit, b) for b in circuit.batteries),
                *(converter_element(c) for c in circuit.converters),
            ],
            alternator.case_node,
        )
        self._straight = self._network.straight
        if not self._straight:
            # What lies behind a converter has a voltage of its own.
            direct = reach(alternator.stud_node, neighbours(circuit.branches))
            self._lifted = np.array([float(b.positive_node in direct) for b in circuit.batteries])
        self._on_feed = np.array([n in self.ring.feed_reach for n in self._network.nodes])

    def _solve(self, ohm: Floats, driven: Floats, stud_v: float) -> tuple[Floats, Floats]:
        """Node voltages, the stud at its own, and currents of the live branches."""
        net, stud = self._network, self._network.nodes.index(self.circuit.alternator.stud_node)
        if self._straight:
            volts, current = net.solve_straight(ohm, driven)
            # The batteries' voltages only lift the whole feed side; the stud voltage says by how much.
            return np.where(self._on_feed, volts + (stud_v - volts[stud]), volts), current
        emf = np.array(net.values.emf_v, dtype=float)
        for _ in range(LIFT_ROUNDS):
            values = {"resistor_ohm": ohm[self._metal], "diode_ohm": ohm[self._diodes], "current_a": driven, "emf_v": emf}
            found = net.solve_many(replace(net.values, **values))
            short = stud_v - found.node_v[0, stud]
            if abs(short) < LIFTED_V:
                break
            emf = emf + short * self._lifted
        current = np.zeros(len(ohm))
        current[self._metal], current[self._diodes] = found.resistor_a[0], found.diode_a[0]
        return found.node_v[0], current

    def predict(self, state: OperatingState, extra_ohm: Mapping[str, float] | None = None) -> Prediction:
        """Voltages and currents at one state; as the function `predict`."""
        extra = np.array([extra_ohm.get(i, 0.0) for i in self._ids]) if extra_ohm else 0.0
        driven = np.array([state.output_current_a, *self._loads_a])
        around = self._warm.around_c(state.engine_space_c, state.ambient_c)
        temperature, resistance = around, self._warm.ohm(around) + extra
        volts, current = self._solve(resistance, driven, state.stud_voltage_v)
        if state.warmed_up:
            for _ in range(WARM_ROUNDS):
                warm = self._warm.settled_c(current, around)
                if np.abs(warm - temperature).max(initial=0.0) < SETTLED_K:
                    break
                temperature, resistance = warm, self._warm.ohm(warm) + extra
                volts, current = self._solve(resistance, driven, state.stud_voltage_v)
        row = {name: k for k, name in enumerate(self._network.nodes)}
        starts, ends = [row[b.from_node] for b in self.live], [row[b.to_node] for b in self.live]
        return Prediction(
            state=state,
            ring=self.ring,
            resistance_ohm=dict(zip(self._ids, resistance.tolist(), strict=True)),
            temperature_c=dict(zip(self._ids, temperature.tolist(), strict=True)),
            current_a=dict(zip(self._ids, current.tolist(), strict=True)),
            drop_v=dict(zip(self._ids, (volts[starts] - volts[ends]).tolist(), strict=True)),
            node_v=dict(zip(self._network.nodes, volts.tolist(), strict=True)),
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
    the heat balance of each conductor (`mavrik.core.heat`), solved together with the resistances.

    >>> from mavrik.core.layouts import front_battery
    >>> found = predict(front_battery(12), OperatingState(80, 14.4, engine_space_c=20, ambient_c=20))
    >>> round(found.drop_v["charge_cable"] * 1000)  # 80 A through 1.2 m of 0.78 mohm/m and two lugs of 0.05 mohm
    83
    """
    return Predictor(circuit, ring).predict(state, extra_ohm)
