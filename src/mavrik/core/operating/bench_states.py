"""The states a vehicle is in at the bench, one word each, and what they are for a circuit."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from mavrik.core.circuit import Battery, Chemistry, Circuit, Load, LoadKind, as_sound
from mavrik.core.circuit.graph import metal_of, reach
from mavrik.core.operating.engine import Engine
from mavrik.core.operating.prediction import FAST_RPM, at_output
from mavrik.core.operating.state import AMBIENT_C, ENGINE_SPACE_C, BankLoad, State


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
    """Each battery alone under a load bank, `load_test_a`."""
    AT_OUTPUT = "at_output"
    """At an output that is known: what a clamp on the output read."""


RUNNING = frozenset({BenchState.IDLE, BenchState.IDLE_LOADED, BenchState.FAST, BenchState.FAST_LOADED, BenchState.FULL_OUTPUT})
"""The engine runs, and nobody has read yet what the alternator gives."""
AT_IDLE = frozenset({BenchState.IDLE, BenchState.IDLE_LOADED})

IDLE_RPM = 800.0
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


def ohm_at(load: Load, system_voltage_v: float, volts: float) -> float:
    """The resistance that takes at a voltage what a load takes there [ohm].

    load: of a circuit; system_voltage_v: what its amperes are said at where it is a resistance or takes a constant power [V]
    volts: across it, above 0 [V]
    Source: Ohm's law.

    >>> fridge = Load(id="f", label="Fridge", from_node="a", to_node="b", current_a=5.0, law=LoadKind.POWER)
    >>> ohm_at(fridge, 12.0, 12.0), round(14.4 / ohm_at(fridge, 12.0, 14.4), 3)
    (2.4, 4.167)
    """
    if load.law is LoadKind.RESISTANCE:
        return system_voltage_v / load.current_a
    if load.law is LoadKind.POWER:
        return volts**2 / (system_voltage_v * load.current_a)
    return volts / load.current_a


@dataclass(frozen=True)
class Setup:
    """A bench state with what is known of the day: which output was read, which loads were on, where the load bank hung."""

    state: BenchState
    output_a: float | None = None
    """Read at the first alternator's output [A]; None: nobody read it, a usual test current is assumed."""
    output_u: float | None = None
    """Expanded uncertainty of that [A]."""
    stud_v: float | None = None
    """Read between stud and case [V]; None: the regulator's set point."""
    loads_on: frozenset[str] | None = None
    """Ids of the loads that were on; None: those that the circuit has on."""
    bank_on: str | None = None
    """Id of the battery that a load bank hung on; None: none, what the loads left went into the batteries."""
    engine_space_c: float = ENGINE_SPACE_C
    ambient_c: float = AMBIENT_C
    engine_rpm: float | None = None
    """Engine speed as it was noted [1/min]; None: nobody noted it, it is as the test asks for."""


TEST_SHARE = 0.6
"""Of the rated output: what a drop test is planned with while nobody has read a current."""


def state_of(setup: Setup | BenchState, circuit: Circuit) -> State:
    """A bench state for a circuit, or what is known of one; a load bank hangs on the first battery where nothing else is known.

    setup: which; circuit: the document

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> state_of(BenchState.FULL_OUTPUT, front_battery(12)).bank.current_a
    144.0
    >>> state_of(Setup(BenchState.AT_OUTPUT, 80.0, bank_on="battery"), front_battery(12)).output_a
    {'alternator': 80.0}
    """
    known = setup if isinstance(setup, Setup) else Setup(setup)
    name = known.state
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
        amps = TEST_SHARE * rated if known.output_a is None else known.output_a
        there = {x.id for x in circuit.loads}, {b.id for b in circuit.batteries}
        return at_output(
            circuit,
            amps,
            known.stud_v,
            None if known.loads_on is None else known.loads_on & there[0],
            known.bank_on if known.bank_on in there[1] else None,
            engine_space_c=known.engine_space_c,
            ambient_c=known.ambient_c,
        )
    asked = IDLE_RPM if name in AT_IDLE else FAST_RPM
    rpm = asked if known.engine_rpm is None else known.engine_rpm
    if name in (BenchState.IDLE, BenchState.FAST):
        return State(engine_rpm=rpm, loads_on=off, chargers_on=False)
    if name is BenchState.FULL_OUTPUT:
        return State(engine_rpm=rpm, loads_on=off, chargers_on=False, bank=bank(FULL_SHARE * rated))
    return State(engine_rpm=rpm, loads_on=on, chargers_on=False, bank=loaded)


LEAD_LOAD_PER_AH, LITHIUM_LOAD_PER_AH = 3.0, 1.0
"""The current of a load test of a battery without a cranking rating, over its ampere hours [A/Ah]: three times them for lead, once for
lithium, whose own switch lets no more through. Common practice, no source."""

LOAD_BANK_A = 500.0
"""What a load bank of a workshop takes at most. Common practice, no source."""


def load_test_a(battery: Battery) -> float:
    """The current of a load test, through all of a battery's strings [A]: half its cold cranking current, and of one without that rating
    by its ampere hours, as much as a load bank takes.

    battery: of the document
    Source: BCI load test, from memory; by ampere hours common practice.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [load_test_a(b) for b in build_layout("second_battery_converter", 12).batteries]
    [320.0, 100.0]
    """
    if battery.cca_a:
        return battery.cca_a / 2 * battery.parallel
    per_ah = LITHIUM_LOAD_PER_AH if battery.chemistry is Chemistry.LIFEPO4 else LEAD_LOAD_PER_AH
    return min(per_ah * battery.capacity_ah * battery.parallel, LOAD_BANK_A)


def joined_by_metal(circuit: Circuit) -> set[str]:
    """Nodes that closed metal joins to the first battery's positive post: there is voltage before anything charges.

    circuit: the document
    """
    return reach(metal_of(circuit.branches), circuit.battery.positive_node)


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
