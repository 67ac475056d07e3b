"""What the meter should show along the ring: a circuit of sound parts while the alternator delivers a known current."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from mavrik.core.circuit import Circuit, as_sound
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.circuit.ring import Ring, find_ring
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.network import NoOperatingPointError
from mavrik.core.operating.engine import Engine, Settled
from mavrik.core.operating.state import AMBIENT_C, ENGINE_SPACE_C, BankLoad, State, is_on
from mavrik.core.operating.warm_cables import surroundings_c


@dataclass(frozen=True)
class Prediction:
    """A solved operating state, branch by branch."""

    state: State
    ring: Ring
    output_a: float
    """Of the first alternator."""
    stud_voltage_v: float
    resistance_ohm: Mapping[str, float]
    temperature_c: Mapping[str, float]
    current_a: Mapping[str, float]
    drop_v: Mapping[str, float]
    node_v: Mapping[str, float]
    """Against the alternator case."""
    open_ids: frozenset[str]
    """Branches that carry nothing because they are open: what stands across them is not lost."""
    chattering: frozenset[str] = frozenset()
    """Voltage links that would close and open for ever; they are left open."""

    def path_drop(self, branch_ids: tuple[str, ...]) -> float:
        """Volts lost along branches of the ring, each taken the way the ring runs [V]."""
        return sum(abs(self.drop_v[i]) for i in branch_ids if i not in self.open_ids)


FAST_RPM = 2000.0
"""Engine speed of a loaded charging test. Common practice of the trade, no source."""


def at_output(
    circuit: Circuit,
    output_a: float,
    stud_v: float | None = None,
    loads_on: Collection[str] | None = None,
    bank_on: str | None = None,
    **conditions: float | bool | Mapping[str, float],
) -> State:
    """The state of a circuit whose first alternator delivers a known current, all others nothing.

    circuit: the document
    output_a: what the clamp read [A]
    stud_v: what was read between stud and case [V]; left out, what is there with the set point where its regulator senses
    loads_on: ids of the loads that were on; None: those that the document has on
    bank_on: id of the battery that a load bank hung on, which took what the loads left; None: it went into the batteries
    conditions: further fields of the state, as `engine_space_c`
    Raises KeyError for a battery that is not there.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> at_output(front_battery(12), 80, bank_on="battery").bank.current_a
    80.0
    """
    main = circuit.alternator
    on = {} if loads_on is None else {x.id: x.id in loads_on for x in circuit.loads if not x.cranking}
    made = State.model_validate(
        {
            "engine_rpm": FAST_RPM,
            "chargers_on": False,
            "loads_on": on,
            "output_a": {a.id: output_a if a is main else 0.0 for a in circuit.alternators},
            "stud_v": {main.id: main.set_point_v if stud_v is None else stud_v},
            **conditions,
        }
    )
    if bank_on is not None:
        battery = {b.id: b for b in circuit.batteries}[bank_on]
        left = max(output_a - sum(x.current_a for x in circuit.loads if is_on(x, made)), 0.0)
        bank = BankLoad(from_node=battery.positive_node, to_node=battery.negative_node, current_a=left)
        made = made.model_copy(update={"bank": bank})
    return made if stud_v is not None else _sensed_elsewhere(circuit, made)


def _sensed_elsewhere(circuit: Circuit, state: State) -> State:
    """A state whose stud was taken to be at the set point, with the stud above that by what is lost to where its regulator senses.

    What stands between it and a sense that nothing closed joins it to is not lost.
    """
    main = circuit.alternator
    plus, minus = main.sense_positive_node or main.stud_node, main.sense_negative_node or main.case_node
    if (plus, minus) == (main.stud_node, main.case_node):
        return state
    closed = graph_of(circuit.branches)
    if plus not in reach(closed, main.stud_node) or minus not in reach(closed, main.case_node):
        return state
    try:
        solution = Engine(as_sound(circuit), state).settle().solution
    except (CircuitError, NoOperatingPointError):
        # What is wrong with it is told to who asks for the state itself.
        return state
    lost_v = solution.between(main.stud_node, plus) + solution.between(minus, main.case_node)
    return state.model_copy(update={"stud_v": {main.id: main.set_point_v + max(lost_v, 0.0)}})


def at_rated_output(circuit: Circuit, engine_space_c: float = ENGINE_SPACE_C, ambient_c: float = AMBIENT_C) -> State:
    """The state that limits are for and parts must stand: rated output at the set point, cables warmed up.

    circuit: the document; engine_space_c, ambient_c: temperatures [degC]
    """
    rated = circuit.alternator.rated_a
    return at_output(circuit, rated, engine_space_c=engine_space_c, ambient_c=ambient_c, warmed_up=True)


def predict(
    circuit: Circuit,
    state: State,
    extra_ohm: Mapping[str, float] | None = None,
    ring: Ring | None = None,
    extra_emf_v: Mapping[str, float] | None = None,
) -> Prediction:
    """Voltages and currents of a circuit of sound parts at a state.

    circuit: the document; what was measured of its branches is left aside
    state: as `at_output` makes one, or any other
    extra_ohm: resistance beyond that of a sound part, by branch id [ohm]; left out, every part is sound
    ring: the circuit's ring, where it is known already
    extra_emf_v: how far each battery is charged beyond what the document says, by id [V]
    Returns drops [V], currents [A], resistances [ohm] and node voltages [V] against the alternator case.
    Raises CircuitError for a circuit or state that cannot be computed, NoOperatingPointError where nothing satisfies it.
    Source: `mavrik.core.operating.solve_circuit`, the same network.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> found = predict(car, at_output(car, 80, engine_space_c=20, ambient_c=20))
    >>> round(found.drop_v["charge_cable"] * 1000)  # 80 A through 1.2 m of 0.78 mohm/m and two lugs of 0.05 mohm
    83
    """
    return prediction_of(Engine(as_sound(circuit), state, extra_ohm=extra_ohm, extra_emf_v=extra_emf_v).settle(), ring)


def prediction_of(settled: Settled, ring: Ring | None = None) -> Prediction:
    """As `predict`, of a circuit of sound parts that is at rest already.

    settled: at rest; ring: as for `predict`
    """
    circuit, state, solution = settled.engine.circuit, settled.engine.state, settled.solution
    main = circuit.alternator
    ohm = dict(zip((r.id for r in settled.engine.network.resistors), settled.ohm, strict=True))
    volts = {n.id: solution.node_v.get(n.id, 0.0) for n in circuit.nodes}
    around = {b.id: surroundings_c(b, state.engine_space_c, state.ambient_c) for b in circuit.branches}
    return Prediction(
        state=state,
        ring=ring or find_ring(circuit),
        output_a=solution.current_a[main.id],
        stud_voltage_v=volts[main.stud_node] - volts[main.case_node],
        resistance_ohm={b.id: ohm.get(b.id, b.sound_resistance_ohm(around[b.id])) for b in circuit.branches},
        temperature_c={i: settled.temperature_c.get(i, t) for i, t in around.items()},
        current_a={b.id: solution.current_a.get(b.id, 0.0) for b in circuit.branches},
        drop_v={b.id: volts[b.from_node] - volts[b.to_node] for b in circuit.branches},
        node_v=volts,
        open_ids=frozenset(b.id for b in circuit.branches if b.id not in solution.current_a) | solution.open_ids,
        chattering=solution.chattering,
    )


def predict_what_can_be(
    circuit: Circuit,
    state: State,
    ring: Ring | None = None,
    extra_ohm: Mapping[str, float] | None = None,
    extra_emf_v: Mapping[str, float] | None = None,
) -> Prediction:
    """The prediction at a state, or at the nearest one that the circuit can be in, so that it can still be drawn and spoken of.

    circuit, state, ring, extra_ohm, extra_emf_v: as for `predict`
    Where loads ask for more than the circuit can give, they are off; where a unit has no way back for its current, it stands.
    Raises NoOperatingPointError where not even that has one.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> predict_what_can_be(front_battery(12), at_output(front_battery(12), 60)).output_a
    60.0
    """
    unloaded = {x.id: False for x in circuit.loads}
    without = state.model_copy(update={"loads_on": unloaded})
    standing = State(engine_rpm=0.0, loads_on=unloaded, chargers_on=False, converters_on=False)
    for tried in (state, without):
        try:
            return predict(circuit, tried, extra_ohm, ring, extra_emf_v)
        except NoOperatingPointError:
            continue
    return predict(circuit, standing, extra_ohm, ring, extra_emf_v)
