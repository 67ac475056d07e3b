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
    Situation,
    Switching,
    check_switching,
)
from mavrik.core.isolation.expressions import Bools
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
        self._rows: dict[tuple[int, Situation], Row] = {}

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
        closed = np.array([k not in gone for k in range(len(self.control_ids))], dtype=bool)
        return self._row(int(np.flatnonzero((self.controls == closed).all(axis=1))[0]), situation)

    def part(self, situation: Situation) -> Settled:
        """All combinations in one situation; all controls are on in the first."""
        return self._parts[situation]

    def _row(self, k: int, situation: Situation) -> Row:
        if (k, situation) not in self._rows:
            self._rows[k, situation] = self._made(k, situation)
        return self._rows[k, situation]

    def _made(self, k: int, situation: Situation) -> Row:
        circuit, part, facts = self.switched.circuit, self._parts[situation], self._facts[situation]
        ids = {
            "live": [n.id for n in circuit.nodes], "fed": [x.id for x in circuit.loads],
            "closed": [c.branch_id for c in self.switched.switching.contacts],
            "pulled_in": [s.id for s in self.switched.switching.senses], "chatters": [s.id for s in self.switched.switching.senses],
        }  # fmt: skip
        named = {n: frozenset(i for i, on in zip(members, facts[n][k].tolist(), strict=True) if on) for n, members in ids.items()}
        on = frozenset(i for i, members in zip(self.control_ids, self.controls[k].tolist(), strict=True) if members)
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
        rows = [self.row(s) for s in SITUATIONS]
        rows += [self.row(s, (i,)) for i in self.control_ids for s in ("idle", "fast", "off", "cranking")]
        if len(self.control_ids) > 1:
            rows += [self.row(s, self.control_ids) for s in SITUATIONS]
        return rows


def _missing(name: str) -> int:
    raise KeyError(name)


def truth_table(circuit: Circuit, switching: Switching, bare: bool = False) -> Table:
    """What a switching does in every combination of its controls, with the engine off, cranking and running, and the key on or off.

    circuit: the document; switching: of it
    bare: with everything off that may be: what is left on could drag down a voltage that an engine runs on by; what a control
        switches on by going off, as a run-down resistor, stays as it is
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
    return _tables(circuit, switching, (bare,))[0]


def truth_tables(circuit: Circuit, switching: Switching) -> tuple[Table, Table]:
    """The table as used, and bare, in one go.

    circuit, switching: as `truth_table`, and raises as that
    """
    used, bare = _tables(circuit, switching, (False, True))
    return used, bare


def _tables(circuit: Circuit, switching: Switching, bare: Sequence[bool]) -> list[Table]:
    if problems := check_circuit(circuit) or check_switching(circuit, switching):
        raise CircuitError(problems)
    switched = Switched(circuit, switching)
    one = np.array(list(product((True, False), repeat=len(switching.controls))), dtype=bool).reshape(-1, len(switching.controls))
    # All rows of all tables at once: a call costs far more than a row more.
    rows = len(one)
    controls, is_bare = np.tile(one, (len(bare), 1)), np.repeat(np.array(bare, dtype=bool), rows)
    every, on = len(controls), np.ones(len(controls), dtype=bool)
    off = switched.settle(replace(switched.standing(every, is_bare), controls=controls))
    key_on = switched.settle(replace(off.at, key=on))
    cranking = switched.settle(replace(key_on.at, start=on, engine=np.full(every, CRANKING, dtype=np.int8)))
    running = normal_running(switched, np.array(bare, dtype=bool))
    begun = running.of(np.concatenate([np.repeat(np.arange(len(bare)), rows) + k * len(bare) for k in (0, 1)]))
    turning_over = switched.settle(replace(begun, controls=np.tile(controls, (2, 1))))
    idle, fast = turning_over.of(np.arange(every)), turning_over.of(np.arange(every) + every)
    key_off = switched.settle(replace(idle.at, key=~on))
    parts = (off, key_on, cranking, idle, fast, key_off)
    return [Table(switched, one, [p.of(np.arange(rows) + k * rows) for p in parts]) for k in range(len(bare))]


def normal_running(switched: Switched, bare: Bools) -> Standing:
    """Vehicles as they are driven: all controls on, key on, cranked; they may stop for want of something.

    switched: circuit and switching; bare: of each whether it is bare
    Returns all of them at idle, and then all under way.
    """
    rows = len(bare)
    key_on = switched.settle(replace(switched.standing(rows, bare), key=np.ones(rows, dtype=bool)))
    started = replace(key_on.at, start=np.ones(rows, dtype=bool), engine=np.full(rows, CRANKING, dtype=np.int8))
    cranked = switched.settle(started).of(np.tile(np.arange(rows), 2))
    engine = np.repeat(np.array((IDLING, FAST), dtype=np.int8), rows)
    begun = replace(cranked.at, start=np.zeros(2 * rows, dtype=bool), engine=engine)
    return switched.settle(replace(begun, excited=switched.with_field(begun, cranked.volts))).at
