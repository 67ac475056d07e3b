"""Every combination of controls, engine and key: what is live, whether it runs and cranks, what drains."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product

import numpy as np
from numpy.typing import NDArray

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.isolation.documents import (
    SITUATIONS,
    START,
    ConsumerRole,
    Situation,
    SwitchedConsumer,
    Switching,
    check_switching,
)
from mavrik.core.isolation.expressions import Bools, holds, names_in, read_condition
from mavrik.core.isolation.steps import Settled, Standing, Switched, turning
from mavrik.core.isolation.wired import CRANKING, FAST, IDLING

LIVE_V = 1.0
"""What shows more than this against the alternator's case, which is the body of the vehicle, is live."""


@dataclass(frozen=True)
class Row:
    """One line of the table."""

    on: frozenset[str]
    """Controls that are on."""
    situation: Situation
    live: frozenset[str]
    """Nodes."""
    node_v: Mapping[str, float]
    """Of every node against the alternator's case [V]."""
    runs: bool
    cranks: bool
    fed: frozenset[str]
    """Loads that are on and get what they need."""
    closed: frozenset[str]
    """Contacts, by branch id."""
    pulled_in: frozenset[str]
    """Coils and inputs that are on."""
    contact_a: Mapping[str, float]
    """Through each contact, by branch id, either sign [A]."""
    drain_a: float
    """What the batteries give with the engine standing [A]."""
    stud_v: float
    """At the first alternator's stud."""
    chatters: frozenset[str]
    """Coils and inputs that go on and off for ever."""


class Table:
    """All rows, in the order of the combinations and then of the situations."""

    def __init__(self, switched: Switched, controls: Bools, parts: Sequence[Settled]) -> None:
        """controls: (combinations, controls); parts: one for each situation, a row for each combination."""
        self.switched, self.controls = switched, controls
        self._parts = dict(zip(SITUATIONS, parts, strict=True))
        self.control_ids = tuple(c.id for c in switched.switching.controls)

    def __len__(self) -> int:
        return len(self.controls) * len(SITUATIONS)

    def __iter__(self) -> Iterator[Row]:
        for k in range(len(self.controls)):
            for situation in SITUATIONS:
                yield self._row(k, situation)

    def row(self, situation: Situation, off: Sequence[str] = ()) -> Row:
        """The row with these controls off, all others on.

        Raises KeyError for a control that is not there.
        """
        gone = {self.control_ids.index(i) if i in self.control_ids else _missing(i) for i in off}
        wanted = np.array([k not in gone for k in range(len(self.control_ids))], dtype=bool)
        return self._row(int(np.flatnonzero((self.controls == wanted).all(axis=1))[0]), situation)

    def part(self, situation: Situation) -> Settled:
        """All combinations in one situation; all controls are on in the first."""
        return self._parts[situation]

    def _row(self, k: int, situation: Situation) -> Row:
        circuit, part, facts = self.switched.circuit, self._parts[situation], self._facts[situation]
        ids = {
            "live": [n.id for n in circuit.nodes], "fed": [x.id for x in circuit.loads],
            "closed": [c.branch_id for c in self.switched.switching.contacts],
            "pulled_in": [s.id for s in self.switched.switching.senses], "chatters": [s.id for s in self.switched.switching.senses],
        }  # fmt: skip
        named = {n: frozenset(i for i, on in zip(own, facts[n][k].tolist(), strict=True) if on) for n, own in ids.items()}
        on = frozenset(i for i, own in zip(self.control_ids, self.controls[k].tolist(), strict=True) if own)
        return Row(
            on=on, situation=situation, runs=bool(turning(part.at.engine[k : k + 1])[0]), cranks=bool(facts["cranks"][k]),
            node_v=dict(zip(ids["live"], part.volts.node_v[k].tolist(), strict=True)),
            contact_a=dict(zip(ids["closed"], np.abs(part.volts.contact_a[k]).tolist(), strict=True)),
            drain_a=float(facts["drain"][k]), stud_v=float(facts["stud"][k]), **named,
        )  # fmt: skip

    @cached_property
    def _facts(self) -> dict[Situation, dict[str, NDArray[np.generic]]]:
        return {s: self._facts_of(s, part) for s, part in self._parts.items()}

    def _facts_of(self, situation: Situation, part: Settled) -> dict[str, NDArray[np.generic]]:
        switched = self.switched
        fed = switched.fed(part.positions, part.volts)
        node, first = switched.wired.node, switched.circuit.alternator
        given = np.maximum(-part.volts.battery_a.sum(axis=1), 0.0)
        return {
            "live": np.abs(part.volts.node_v) > LIVE_V,
            "fed": fed,
            "closed": part.positions.contacts,
            "pulled_in": part.at.senses,
            "chatters": part.chatters,
            "cranks": (fed & switched.starters).any(axis=1) & (part.at.engine == CRANKING),
            "drain": np.where(turning(part.at.engine), 0.0, given) * (situation != "cranking"),
            "stud": part.volts.node_v[:, node[first.stud_node]] - part.volts.node_v[:, node[first.case_node]],
        }

    def read_first(self) -> list[Row]:
        """The rows that a person needs: all on in every situation, each control alone off, and all off."""
        found = [self.row(s) for s in SITUATIONS]
        found += [self.row(s, (i,)) for i in self.control_ids for s in ("idle", "fast", "off", "cranking")]
        if len(self.control_ids) > 1:
            found += [self.row(s, self.control_ids) for s in SITUATIONS]
        return found


def _missing(name: str) -> int:
    raise KeyError(name)


def truth_table(circuit: Circuit, switching: Switching, bare: bool = False) -> Table:
    """What a switching does in every combination of its controls, with the engine off, cranking and running, and the key on or off.

    circuit: the document; switching: of it
    bare: with everything off that may be: what is left on could drag down a voltage that an engine runs on by
    A row with the engine turning begins with all controls on and the engine at idle, and the controls are then moved; one with the key
    turned off begins where that has come to rest. Batteries are as charged as the document says.
    Raises CircuitError, at its field, for a circuit or switching that does not fit together.
    Source: the network solved after each step; live is what shows more than 1 V against the case.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.documents import SwitchedConsumer, MovedContact, Control, ConsumerRole
    >>> car = build_layout("competition_car", 12)
    >>> cut = Switching(
    ...     controls=(Control(id="kill", label="Kill"),),
    ...     contacts=(MovedContact(branch_id="cut_off", when="kill"),),
    ...     consumers=(SwitchedConsumer(load_id="ignition", role=ConsumerRole.IGNITION),),
    ... )
    >>> truth_table(car, cut).row("idle", off=["kill"]).runs  # its alternator lies on the switched side: it runs on
    True
    """
    if problems := check_circuit(circuit) or check_switching(circuit, switching):
        raise CircuitError(problems)
    switched = Switched(circuit, bared(switching) if bare else switching)
    controls = np.array(list(product((True, False), repeat=len(switching.controls))), dtype=bool)
    controls = controls.reshape(-1, len(switching.controls))
    rows = len(controls)
    parked = switched.standing(rows)
    off = switched.settle(replace(parked, controls=controls))
    key_on = switched.settle(replace(off.at, key=np.ones(rows, dtype=bool)))
    cranking = switched.settle(replace(key_on.at, start=np.ones(rows, dtype=bool), engine=np.full(rows, CRANKING, dtype=np.int8)))
    every = np.zeros(rows, dtype=np.int64)
    running = normal_running(switched)
    idle, fast = (switched.settle(replace(running[engine].of(every), controls=controls)) for engine in (IDLING, FAST))
    key_off = switched.settle(replace(idle.at, key=np.zeros(rows, dtype=bool)))
    return Table(switched, controls, (off, key_on, cranking, idle, fast, key_off))


def normal_running(switched: Switched) -> dict[int, Standing]:
    """The vehicle as it is driven, one row at idle and one under way: all controls on, key on, cranked; it may stop for want of something.

    switched: circuit and switching
    """
    one = np.ones(1, dtype=bool)
    key_on = switched.settle(replace(switched.standing(1), key=one))
    cranked = switched.settle(replace(key_on.at, start=one, engine=np.full(1, CRANKING, dtype=np.int8)))
    settled = {}
    for engine in (IDLING, FAST):
        begun = replace(cranked.at, start=~one, engine=np.full(1, engine, dtype=np.int8))
        settled[engine] = switched.settle(replace(begun, excited=switched.with_field(begun, cranked.volts))).at
    return settled


def bared(switching: Switching) -> Switching:
    """The same with every consumer off that a hand may switch off and that neither keeps the engine running nor turns it.

    switching: of a circuit; what a control switches on by going off, as a run-down resistor, stays as it is
    """
    consumers = tuple(c.model_copy(update={"when": "never"}) if _may_be_off(c) else c for c in switching.consumers)
    return switching.model_copy(update={"consumers": consumers})


def _may_be_off(consumer: SwitchedConsumer) -> bool:
    condition = read_condition(consumer.when)
    names = frozenset(names_in(condition))
    # Its condition holds with nothing on at all: no hand switches that off.
    by_going_off = bool(names) and bool(holds(condition, {n: np.zeros(1, dtype=bool) for n in names})[0])
    return consumer.role is ConsumerRole.OTHER and START not in names and not by_going_off
