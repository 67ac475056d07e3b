"""The states a vehicle is in at the bench, one word each, and what they are for a circuit."""

from __future__ import annotations

from enum import StrEnum

from mavrik.core.circuit import Battery, Circuit, DiodeBranch, LinkBranch, LoadKind, as_sound
from mavrik.core.operating import BankLoad, Engine, State
from mavrik.core.topology import neighbours, reach


class BenchState(StrEnum):
    """How engine, key, loads and bank stand."""

    REST = "rest"
    KEY_ON = "key_on"
    CRANKING = "cranking"
    IDLE = "idle"
    IDLE_LOADED = "idle_loaded"
    FAST = "fast"
    FAST_LOADED = "fast_loaded"
    FULL_OUTPUT = "full_output"
    ASLEEP = "asleep"
    BATTERY_LOAD = "battery_load"
    """Each battery alone under half its cold cranking current."""
    AT_OUTPUT = "at_output"


IDLE_RPM, FAST_RPM = 800.0, 2000.0
KEY_ON_A = 5.0
"""Ignition and the exciter with the key on: something has to flow for a drop to show."""

LOADED_SHARE = 0.5
"""All consumers on, where the document lists none: this share of the rated output."""

FULL_SHARE = 1.6
"""A load bank that no alternator follows: the battery gives the rest and falls to about 12 V."""


def ohmic(circuit: Circuit) -> Circuit:
    """The same circuit, sound, with every load as the resistance it is at nominal voltage.

    circuit: the document
    A fault may leave a load at any voltage; a resistance then takes what it gets, where a constant current or power would
    leave the circuit without an answer.
    """
    loads = tuple(x.model_copy(update={"law": LoadKind.RESISTANCE}) for x in circuit.loads)
    return as_sound(circuit).model_copy(update={"loads": loads})


def state_of(name: BenchState, circuit: Circuit, output_a: float | None = None) -> State:
    """A bench state for a circuit; a load bank hangs on the first battery.

    name: which; circuit: the document
    output_a: the first alternator's known output, for `AT_OUTPUT` [A]; the bank then takes all of it
    Raises ValueError for `AT_OUTPUT` without an output.

    >>> from mavrik.core.layouts import front_battery
    >>> state_of(BenchState.FULL_OUTPUT, front_battery(12)).bank.current_a
    144.0
    """
    battery, rated = circuit.battery, circuit.alternator.rated_a
    consumers = {x.id for x in circuit.loads if not x.cranking}

    def bank(amps: float) -> BankLoad:
        return BankLoad(from_node=battery.positive_node, to_node=battery.negative_node, current_a=amps)

    off = dict.fromkeys(consumers, False)
    on = dict.fromkeys(consumers, True)
    listed = sum(x.current_a for x in circuit.loads if not x.cranking)
    loaded = bank(LOADED_SHARE * rated) if listed < 0.2 * rated else None
    if name in (BenchState.REST, BenchState.ASLEEP, BenchState.BATTERY_LOAD):
        return State(engine_rpm=0, loads_on=off, chargers_on=False, converters_on=False)
    if name is BenchState.KEY_ON:
        return State(engine_rpm=0, loads_on=off, chargers_on=False, converters_on=False, bank=bank(KEY_ON_A))
    if name is BenchState.CRANKING:
        return State(engine_rpm=0, loads_on=off, chargers_on=False, converters_on=False, cranking=True)
    if name is BenchState.AT_OUTPUT:
        if output_a is None:
            raise ValueError("A drop test is made at a known output")
        return State(
            engine_rpm=FAST_RPM, loads_on=off, chargers_on=False, converters_on=False, bank=bank(output_a),
            output_a={a.id: output_a if a is circuit.alternator else 0.0 for a in circuit.alternators},
        )  # fmt: skip
    rpm = IDLE_RPM if name in (BenchState.IDLE, BenchState.IDLE_LOADED) else FAST_RPM
    if name in (BenchState.IDLE, BenchState.FAST):
        return State(engine_rpm=rpm, loads_on=off, chargers_on=False)
    if name is BenchState.FULL_OUTPUT:
        return State(engine_rpm=rpm, loads_on=off, chargers_on=False, bank=bank(FULL_SHARE * rated))
    return State(engine_rpm=rpm, loads_on=on, chargers_on=False, bank=loaded)


def half_cca_a(circuit: Circuit, battery: Battery) -> float:
    """The current of a load test: half the cold cranking current of all of a battery's strings [A].

    circuit, battery: the document and a battery of it; 0 for one without a rating
    Source: BCI load test.
    """
    return (battery.cca_a or 0.0) / 2 * battery.parallel


def joined_by_metal(circuit: Circuit) -> set[str]:
    """Nodes that closed metal joins to the first battery's positive post: there is voltage before anything charges.

    circuit: the document
    """
    near = neighbours(b for b in circuit.branches if not isinstance(b, DiodeBranch | LinkBranch))
    return reach(circuit.battery.positive_node, near)


LEAST_A = 1.0


def carrying(circuit: Circuit, name: BenchState, share: float = 0.0) -> list[str]:
    """Branches worth a voltmeter in a bench state: those that carry something when all is sound.

    circuit: the document; name: the state; share: of the largest branch current, at least
    Returns ids in the document's order. Raises CircuitError.
    """
    sound = ohmic(circuit)
    flows = Engine(sound, state_of(name, sound)).settle().solution.current_a
    amps = {b.id: abs(flows.get(b.id, 0.0)) for b in circuit.branches}
    least = max(LEAST_A, share * max(amps.values(), default=0.0))
    return [i for i, a in amps.items() if a >= least]
