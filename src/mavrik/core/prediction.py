"""What the meter should show: a circuit of the parts fitted, at an operating state."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mavrik.core.ampacity import Place, working_temperature_c
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


def _surroundings_c(branch: AnyBranch, state: OperatingState) -> float:
    hot = isinstance(branch, ConductorBranch) and branch.place is Place.ENGINE_SPACE
    return state.engine_space_c if hot else state.ambient_c


def _network(circuit: Circuit, state: OperatingState, live: list[AnyBranch]) -> Network:
    alternator = circuit.alternator
    return Network(
        [Resistor(b.id, b.from_node, b.to_node, 1.0) for b in live],
        [CurrentSource(alternator.case_node, alternator.stud_node, state.output_current_a)]
        + [CurrentSource(load.from_node, load.to_node, load.current_a) for load in circuit.loads],
        [EmfSource(b.id, b.positive_node, b.negative_node, 0.0, b.internal_mohm / 1000) for b in circuit.batteries],
        alternator.case_node,
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
    """
    ring = ring or find_ring(circuit)
    live = [b for b in circuit.branches if conducts(b)]
    temperature = {b.id: _surroundings_c(b, state) for b in live}
    extra = extra_ohm or {}
    resistance = {b.id: b.sound_resistance_ohm(temperature[b.id]) + extra.get(b.id, 0.0) for b in live}
    network = _network(circuit, state, live)
    solution = network.solve(list(resistance.values()))
    if state.warmed_up:
        conductors = [(b, b.ampacity()) for b in live if isinstance(b, ConductorBranch)]
        # Resistance moves current only between parallel paths, so a few rounds settle it well below a millivolt.
        for _ in range(WARM_ROUNDS):
            warmest_change = 0.0
            for b, allowed in conductors:
                warm = working_temperature_c(solution.current_a[b.id], allowed, b.insulation_c)
                warmest_change = max(warmest_change, abs(warm - temperature[b.id]))
                temperature[b.id] = warm
                resistance[b.id] = b.sound_resistance_ohm(warm) + extra.get(b.id, 0.0)
            if warmest_change < SETTLED_K:
                break
            solution = network.solve(list(resistance.values()))
    # The batteries' voltages only lift the whole feed side; the stud voltage says by how much.
    lift = state.stud_voltage_v - solution.node_v[circuit.alternator.stud_node]
    return Prediction(
        state=state,
        ring=ring,
        resistance_ohm=resistance,
        temperature_c=temperature,
        current_a={b.id: solution.current_a[b.id] for b in live},
        drop_v={b.id: solution.between(b.from_node, b.to_node) for b in live},
        node_v={n: v + lift if n in ring.feed_reach else v for n, v in solution.node_v.items()},
    )
