"""What switches a vehicle: controls, contacts, coils and senses, and what its consumers and its alternators need."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, model_validator

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.controls import ControlFacts, ControlPlace
from mavrik.core.document import Ampere, Document, Identifier, Label, Problem
from mavrik.core.isolation.expressions import ConditionText, names_in, read_condition

MOST_CONTROLS = 10
MOST_KEPT_CONTROLS = 4
"""Each doubles the table, which is gone through whenever the job is looked at or printed."""

KEY, START = "key", "start"
RESERVED = frozenset({KEY, START})

ControlName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$", description="As conditions name it")]
Volt = Annotated[float, Field(ge=0, le=60)]


class IsolationPurpose(StrEnum):
    """Why somebody wants a disconnect."""

    EMERGENCY = "emergency"
    STORAGE = "storage"
    SERVICE = "service"
    THEFT = "theft"
    DRAIN = "drain"
    WINCH = "winch"
    SECOND_BANK = "second_bank"


class ConsumerRole(StrEnum):
    """What a consumer is for, where isolation asks."""

    IGNITION = "ignition"
    """Ignition and injection: without it the engine stops."""
    FUEL_PUMP = "fuel_pump"
    ALARM = "alarm"
    MEMORY = "memory"
    OTHER = "other"


KEEPS_RUNNING = frozenset({ConsumerRole.IGNITION, ConsumerRole.FUEL_PUMP})
"""Without any one of these the engine stops."""


class Control(ControlFacts):
    """What a hand moves: on as the vehicle is used, off to isolate; of one yet to be fitted nothing is left open."""

    id: ControlName
    label: Label
    place: ControlPlace | None = ControlPlace.BATTERY
    marked: bool | None = False
    lockable: bool | None = False
    removable: bool | None = False


class MovedContact(Document):
    """A contact of the circuit that something moves."""

    branch_id: Identifier
    when: ConditionText = Field(description="Closed while this holds")
    breaks_a: Ampere | None = Field(None, description="Direct current it can break at the system's voltage [A], where known")


class Sense(Document):
    """A coil that pulls in, or an input that is on, above a voltage, and lets go below another."""

    id: ControlName
    label: Label
    plus_node: Identifier
    minus_node: Identifier
    on_v: Volt = Field(description="Pulls in, or is on, from here [V]")
    off_v: Volt = Field(description="Lets go below [V]")
    when: ConditionText = Field("always", description="Its supply is joined while this holds: control switches in series")
    takes_a: Annotated[float, Field(ge=0, le=20, description="At the system's voltage [A]; of an input next to nothing")] = 0.0
    lead_ohm: Annotated[float, Field(ge=0, le=20, description="Of its own wires and switches [ohm]")] = 0.0

    @model_validator(mode="after")
    def _hysteresis(self) -> Sense:
        if self.off_v > self.on_v:
            raise ValueError("off_v does not lie above on_v")
        return self


class SwitchedConsumer(Document):
    """What a load of the circuit is for, and what switches it beside the wiring."""

    load_id: Identifier
    role: ConsumerRole = ConsumerRole.OTHER
    when: ConditionText = Field(KEY, description="On while this holds and its wiring brings it voltage")
    needs_v: Volt = Field(6.0, description="Does its work from here [V]")


class FieldSupply(Document):
    """What an alternator's field lives on."""

    alternator_id: Identifier
    node: Identifier | None = Field(None, description="Where its exciter is fed; null: where the ignition hangs")
    when: ConditionText = KEY
    self_excites: bool = Field(True, description="Once it runs it feeds its own field")


class Switching(Document):
    """How a vehicle is switched."""

    controls: Annotated[tuple[Control, ...], Field(max_length=MOST_CONTROLS)] = ()
    contacts: Annotated[tuple[MovedContact, ...], Field(max_length=40)] = ()
    senses: Annotated[tuple[Sense, ...], Field(max_length=20)] = ()
    consumers: Annotated[tuple[SwitchedConsumer, ...], Field(max_length=100)] = ()
    fields: Annotated[tuple[FieldSupply, ...], Field(max_length=2)] = ()
    idle_rpm: Annotated[float, Field(ge=1, le=4000, description="Engine speed at idle [1/min]")] = 800.0
    fast_rpm: Annotated[float, Field(ge=1, le=12000, description="Engine speed under way [1/min]")] = 3000.0
    cranks_from_v: Volt = Field(6.0, description="A starter turns the engine from here on 12 V [V]")
    self_excites_v: Volt = Field(4.0, description="At its stud an alternator keeps its own field from here on 12 V [V]")


RuleName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$", description="Of a rule")]
RuleNames = Annotated[tuple[RuleName, ...], Field(max_length=60)]


class PurposeProfile(Document):
    """What one purpose asks of a disconnect, by the names of rules."""

    label: Label
    why: Annotated[str, Field(min_length=1, max_length=300)]
    rulebook: Annotated[str, Field(max_length=120, description="It follows, with its year; empty: none is named")] = ""
    requires: RuleNames
    forbids: RuleNames
    advises: RuleNames

    @model_validator(mode="after")
    def _once(self) -> PurposeProfile:
        names = [*self.requires, *self.forbids, *self.advises]
        if twice := sorted({n for n in names if names.count(n) > 1}):
            raise ValueError(f"'{twice[0]}' is asked twice")
        return self


class Isolation(Document):
    """The disconnect that was decided on: what for, which way, and how the planned circuit is then switched."""

    purpose: IsolationPurpose
    profile: PurposeProfile | None = Field(None, description="What that asked when it was decided; null: what is usual")
    way: Annotated[str, Field(min_length=1, max_length=40, description="Name of the topology")]
    switching: Switching

    @model_validator(mode="after")
    def _few_controls(self) -> Isolation:
        if len(self.switching.controls) > MOST_KEPT_CONTROLS:
            raise ValueError(f"a disconnect that is kept has at most {MOST_KEPT_CONTROLS} controls")
        return self


def check_switching(circuit: Circuit, switching: Switching) -> list[Problem]:
    """What does not fit together in a switching, or names what a circuit does not have.

    circuit: the document; switching: of it
    """
    problems: list[Problem] = []
    nodes = {n.id for n in circuit.nodes}
    # What voltage moves by itself is no hand's, nor any coil's.
    settable = {b.id for b in circuit.branches if b.settable and not b.by_voltage}
    named = [c.id for c in switching.controls] + [s.id for s in switching.senses]
    known = RESERVED | set(named)

    def say(element: str, field: str, words: str) -> None:
        problems.append(Problem(element, field, words))

    for name in sorted({n for n in named if named.count(n) > 1 or n in RESERVED}):
        say(name, "id", f"There are two things called '{name}', or it is the key's own name.")
    for group, ids_there, field in (
        (switching.contacts, settable, "branch_id"),
        (switching.consumers, {x.id for x in circuit.loads}, "load_id"),
        (switching.fields, {a.id for a in circuit.alternators}, "alternator_id"),
    ):
        ids = [getattr(x, field) for x in group]
        for i in sorted({i for i in ids if i not in ids_there or ids.count(i) > 1}):
            say(i, field, f"'{i}' is not there to be switched, or is there twice.")
    conditioned: list[tuple[str, str]] = [(c.branch_id, c.when) for c in switching.contacts]
    conditioned += [(s.id, s.when) for s in switching.senses] + [(c.load_id, c.when) for c in switching.consumers]
    conditioned += [(f.alternator_id, f.when) for f in switching.fields]
    for element, text in conditioned:
        for name in sorted(set(names_in(read_condition(text))) - known):
            say(element, "when", f"There is no '{name}'. Known: {', '.join(sorted(known))}.")
    for sense in switching.senses:
        for field in ("plus_node", "minus_node"):
            if getattr(sense, field) not in nodes:
                say(sense.id, field, f"There is no node '{getattr(sense, field)}'.")
    for f in switching.fields:
        if f.node is not None and f.node not in nodes:
            say(f.alternator_id, "node", f"There is no node '{f.node}'.")
    return problems


Situation = Literal["off", "key_on", "cranking", "idle", "fast", "key_off"]
"""What engine and key do: engine off with the key off or on, cranking, at idle, under way, and the key turned off at idle."""
SITUATIONS: tuple[Situation, ...] = ("off", "key_on", "cranking", "idle", "fast", "key_off")
