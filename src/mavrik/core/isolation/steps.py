"""What follows when something is switched, step by step, until nothing moves any more: relays, controllers, field, engine.

Each step solves the network where contacts, loads and engine stand, and asks what the voltages move: coils and inputs pull in or let
go, an alternator keeps its field or loses it. Only when all of that has come to rest does an engine stop for want of its supply, for it
turns on for a moment. What comes back to where it was goes on for ever: it chatters.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core.circuit import Circuit
from mavrik.core.isolation.documents import KEEPS_RUNNING, KEY, START, ConsumerRole, FieldSupply, SwitchedConsumer, Switching
from mavrik.core.isolation.expressions import Bools, holds, names_in, read_condition
from mavrik.core.isolation.wired import CRANKING, FAST, IDLING, STANDING, Positions, Volts, Wired

MOST_STEPS = 40
"""Each moves something; no vehicle has so much that moves."""


@dataclass(frozen=True)
class Standing:
    """Where many vehicles stand, a row each: what hands have set, and what has followed."""

    controls: Bools
    """On, (rows, controls)."""
    key: Bools
    start: Bools
    engine: NDArray[np.int8]
    senses: Bools
    """Pulled in or on, (rows, senses)."""
    excited: Bools
    """With a field, (rows, alternators)."""
    bare: Bools
    """With every consumer off that a hand may switch off and that neither keeps the engine running nor turns it."""

    def __len__(self) -> int:
        return len(self.key)

    def of(self, rows: NDArray[np.int64]) -> Standing:
        """Some of them, or one as often as it is named."""
        return Standing(*(getattr(self, f.name)[rows] for f in fields(self)))


@dataclass(frozen=True)
class Settled:
    """Where they come to rest."""

    at: Standing
    positions: Positions
    volts: Volts
    chatters: Bools
    """Which senses of each go on and off for ever, (rows, senses)."""
    steps: NDArray[np.int64]
    """How many it took."""

    def of(self, rows: NDArray[np.int64]) -> Settled:
        """Some of them."""
        return Settled(self.at.of(rows), self.positions.of(rows), self.volts.of(rows), self.chatters[rows], self.steps[rows])


@dataclass
class _Known:
    """Positions that have been solved."""

    place: dict[bytes, int] = field(default_factory=dict)
    volts: list[Volts] = field(default_factory=list)


class Switched:
    """A circuit with its switching, to be set and settled."""

    def __init__(self, circuit: Circuit, switching: Switching) -> None:
        """circuit: the document; switching: checked. Raises CircuitError for a circuit that cannot be computed."""
        self.circuit, self.switching = circuit, switching
        self.wired = Wired(circuit, switching)
        scale = circuit.system_voltage_v / 12
        known = {c.load_id: c for c in switching.consumers}
        usual = (SwitchedConsumer(load_id=x.id, when=START if x.cranking else KEY) for x in circuit.loads)
        self.consumers = [known.get(c.load_id, c) for c in usual]
        fields = {f.alternator_id: f for f in switching.fields}
        self.fields = [fields.get(a.id, FieldSupply(alternator_id=a.id)) for a in circuit.alternators]
        self._contact_when = [read_condition(c.when) for c in switching.contacts]
        self._load_when = [read_condition(c.when) for c in self.consumers]
        self._coil_when = [read_condition(s.when) for s in switching.senses]
        self._field_when = [read_condition(f.when) for f in self.fields]
        node = self.wired.node
        self._sense_plus = np.array([node[s.plus_node] for s in switching.senses], dtype=int)
        self._sense_minus = np.array([node[s.minus_node] for s in switching.senses], dtype=int)
        self._on_v = np.array([s.on_v for s in switching.senses])
        self._off_v = np.array([s.off_v for s in switching.senses])
        volts = circuit.system_voltage_v
        self._share = np.array(
            [1.0 if s.takes_a == 0 else volts / s.takes_a / (volts / s.takes_a + s.lead_ohm) for s in switching.senses]
        )
        """What of its supply's voltage a coil gets, the rest being lost in its own wires."""
        self._stud = np.array([node[a.stud_node] for a in circuit.alternators], dtype=int)
        self._case = np.array([node[a.case_node] for a in circuit.alternators], dtype=int)
        ignition = next(
            (x.from_node for x, c in zip(circuit.loads, self.consumers, strict=True) if c.role in KEEPS_RUNNING), None
        )
        usual_node = ignition or circuit.battery.positive_node
        self._exciter = np.array([node[f.node or usual_node] for f in self.fields], dtype=int)
        self._self_excites = np.array([f.self_excites for f in self.fields])
        self._magnet = np.array([a.kind == "permanent_magnet" for a in circuit.alternators])
        self._field_v = switching.self_excites_v * scale
        self._load_plus = np.array([node[x.from_node] for x in circuit.loads], dtype=int)
        self._load_minus = np.array([node[x.to_node] for x in circuit.loads], dtype=int)
        self._needs_v = np.array([c.needs_v * scale for c in self.consumers])
        self.critical = np.array([c.role in KEEPS_RUNNING for c in self.consumers], dtype=bool)
        self.starters = np.array([x.cranking for x in circuit.loads], dtype=bool)
        self._may_be_off = np.array([_may_be_off(c) for c in self.consumers], dtype=bool)
        self._known = _Known()

    def standing(self, rows: int, bare: Bools | None = None) -> Standing:
        """So many vehicles as they are parked: all controls on, key off, nothing pulled in; bare: which of them, left out none."""
        return Standing(
            np.ones((rows, len(self.switching.controls)), dtype=bool), np.zeros(rows, dtype=bool), np.zeros(rows, dtype=bool),
            np.zeros(rows, dtype=np.int8), np.zeros((rows, len(self.switching.senses)), dtype=bool),
            np.zeros((rows, len(self.circuit.alternators)), dtype=bool), np.zeros(rows, dtype=bool) if bare is None else bare,
        )  # fmt: skip

    def names(self, at: Standing) -> dict[str, Bools]:
        """Everything that conditions may name."""
        columns = {c.id: at.controls[:, k] for k, c in enumerate(self.switching.controls)}
        columns |= {s.id: at.senses[:, k] for k, s in enumerate(self.switching.senses)}
        return columns | {KEY: at.key, START: at.start}

    def positions(self, at: Standing) -> Positions:
        """Where contacts, loads and coils stand there."""
        on, rows = self.names(at), len(at)

        def each(conditions: Sequence[object]) -> Bools:
            columns = [holds(c, on) for c in conditions]  # type: ignore[arg-type]
            return np.stack(columns, axis=1) if columns else np.zeros((rows, 0), dtype=bool)

        loads = each(self._load_when) & (~self.starters | (at.engine == CRANKING)[:, None])
        loads &= ~(at.bare[:, None] & self._may_be_off)
        return Positions(at.engine, each(self._contact_when), loads, each(self._coil_when), at.excited)

    def solve(self, positions: Positions) -> Volts:
        """The network at each position; each is solved once, however often it is asked for."""
        keys = np.ascontiguousarray(positions.keys())
        unique, first, which = np.unique(keys, axis=0, return_index=True, return_inverse=True)
        names = [k.tobytes() for k in unique]
        new = [k for k, n in enumerate(names) if n not in self._known.place]
        if new:
            self._known.place |= {names[k]: len(self._known.place) + j for j, k in enumerate(new)}
            self._known.volts.append(self.wired.solve(positions.of(first[new])))
            if len(self._known.volts) > 1:
                every = self._known.volts
                self._known.volts = [Volts(*(np.concatenate([getattr(v, n) for v in every]) for n in Volts.__dataclass_fields__))]
        places = np.array([self._known.place[n] for n in names])[which.reshape(-1)]
        return self._known.volts[0].of(places)

    def sensed(self, at: Standing, positions: Positions, volts: Volts) -> Bools:
        """Which coils and inputs are on by these voltages: above one threshold, or not yet below the other."""
        across = (volts.node_v[:, self._sense_plus] - volts.node_v[:, self._sense_minus]) * self._share
        across = np.where(positions.coils, across, 0.0)
        return np.asarray((across >= self._on_v) | (at.senses & (across >= self._off_v)))

    def with_field(self, at: Standing, volts: Volts) -> Bools:
        """Which alternators have a field while they turn: fed, or kept by themselves once they had one."""
        on = self.names(at)
        when = np.stack([holds(c, on) for c in self._field_when], axis=1)
        fed = when & (volts.node_v[:, self._exciter] - volts.node_v[:, self._case] >= self._field_v)
        kept = at.excited & self._self_excites & (volts.node_v[:, self._stud] - volts.node_v[:, self._case] >= self._field_v)
        return np.asarray(turning(at.engine)[:, None] & (fed | kept | self._magnet))

    def fed(self, positions: Positions, volts: Volts) -> Bools:
        """Which loads are on and get what they need, (rows, loads)."""
        across = volts.node_v[:, self._load_plus] - volts.node_v[:, self._load_minus]
        return np.asarray(positions.loads & (across >= self._needs_v))

    def step(self, at: Standing) -> tuple[Standing, Positions, Volts]:
        """Where each goes next, and where it is now."""
        positions = self.positions(at)
        volts = self.solve(positions)
        after = replace(at, senses=self.sensed(at, positions, volts), excited=self.with_field(at, volts))
        quiet = (after.senses == at.senses).all(axis=1) & (after.excited == at.excited).all(axis=1)
        starved = turning(at.engine) & quiet & (self.critical & ~self.fed(positions, volts)).any(axis=1)
        engine = np.where(starved, STANDING, at.engine).astype(np.int8)
        return replace(after, engine=engine, excited=after.excited & ~starved[:, None]), positions, volts

    def settle(self, begin: Standing) -> Settled:
        """Every row to where nothing moves any more, or to where it goes round for ever.

        begin: as hands have just set it
        """
        at, rows = begin, np.arange(len(begin))
        chatters = np.zeros(begin.senses.shape, dtype=bool)
        steps = np.zeros(len(begin), dtype=np.int64)
        seen: list[dict[bytes, int]] = [{} for _ in range(len(begin))]
        moved_at: list[list[Bools]] = [[] for _ in range(len(begin))]
        todo = rows
        for turn in range(MOST_STEPS):
            here = at.of(todo)
            after, _, _ = self.step(here)
            moved = (
                (after.senses != here.senses).any(axis=1)
                | (after.excited != here.excited).any(axis=1)
                | (after.engine != here.engine)
            )
            state = np.ascontiguousarray(
                np.concatenate((after.senses, after.excited, after.engine[:, None]), axis=1).astype(np.int8)
            )
            for j in np.flatnonzero(moved).tolist():
                k = int(todo[j])
                moved_at[k].append(after.senses[j] != here.senses[j])
                key = state[j].tobytes()
                if key in seen[k]:
                    # Back where it was: what has moved since then goes on and off for ever.
                    chatters[k] = np.logical_or.reduce(moved_at[k][seen[k][key] + 1 :])
                    moved[j] = False
                seen[k][key] = len(moved_at[k]) - 1
            at = _with(at, todo, after)
            todo = todo[moved]
            steps[todo] = turn + 1
            if not len(todo):
                break
        positions = self.positions(at)
        return Settled(at, positions, self.solve(positions), chatters, steps)


def _with(at: Standing, rows: NDArray[np.int64], some: Standing) -> Standing:
    """The same with some rows replaced."""
    changed = {}
    for n in ("senses", "excited", "engine"):
        changed[n] = getattr(at, n).copy()
        changed[n][rows] = getattr(some, n)
    return replace(at, **changed)


def turning(engine: NDArray[np.int8]) -> Bools:
    """Whether an engine turns by itself, row by row."""
    return np.asarray((engine == IDLING) | (engine == FAST))


def _may_be_off(consumer: SwitchedConsumer) -> bool:
    """Whether a hand may switch a consumer off that neither keeps the engine running nor turns it."""
    condition = read_condition(consumer.when)
    names = frozenset(names_in(condition))
    # Its condition holds with nothing on at all, as that of a run-down resistor: no hand switches that off.
    by_going_off = bool(names) and bool(holds(condition, {n: np.zeros(1, dtype=bool) for n in names})[0])
    return consumer.role is ConsumerRole.OTHER and START not in names and not by_going_off
