"""Voltages and currents of any network of the trade, for one operating state or for thousands at once.

Modified nodal analysis. Everything that is not linear is a handful of straight pieces: a battery charges or discharges, a
diode conducts or blocks, a regulator regulates, is at its limit or is off, a link is open or closed. Each solve assumes a
piece for each element, looks whether the answer agrees, and changes those that do not. Loads of constant power and
converters are curved; they are solved by Newton's method along with the rest.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from enum import IntEnum
from itertools import pairwise
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats: TypeAlias = NDArray[np.float64]
Bools: TypeAlias = NDArray[np.bool_]

LEAK_S = 1e-12
"""From every node to the reference, so that a part behind open switches sits at 0 V instead of nowhere."""

BLOCKED_S = 1e-18
"""What a blocking diode still lets through."""

DROOP_OHM = 1e-6
"""A regulator gives way by 0.1 mV at 100 A, so that two of them on one bar share instead of fighting."""

MOST_ROUNDS = 80
ALL_AT_ONCE_ROUNDS = 12
TRIP_ROUND = 40
"""Without rest by then, whatever has a cut-off and lies below it is off: that is what the cut-off is for."""

"""As long as all elements that disagree change together; then one a round, which cannot go in circles."""

SETTLED_V = 1e-8
CHATTERS_AFTER = 3
"""A link that has turned so often within one state would go on for ever."""

CHUNK = 1024


class Mode(IntEnum):
    """What a regulated source does."""

    REGULATING = 0
    AT_LIMIT = 1
    OFF = 2
    FORCED = 3
    BY_INPUT = 4
    """A converter that its input current limit holds back."""


REGULATING, AT_LIMIT, OFF, FORCED, BY_INPUT = (int(m) for m in Mode)
"""The same as plain numbers: the solver compares arrays with them in every round, and an enumeration's name costs a look-up."""


@dataclass(frozen=True)
class Resistor:
    """A resistance between two nodes; current counts positive from `start` to `end`."""

    id: str
    start: str
    end: str
    ohm: float


@dataclass(frozen=True)
class CurrentSource:
    """A current driven out of `start` and into `end`, through the source."""

    start: str
    end: str
    ampere: float
    id: str = ""


@dataclass(frozen=True)
class EmfSource:
    """A battery: an electromotive force behind a resistance; current counts positive into the positive post."""

    id: str
    positive: str
    negative: str
    volt: float
    ohm: float
    charging_ohm: float | None = None
    """Resistance while it charges, where it takes a charge more slowly than it gives one; None: the same."""


@dataclass(frozen=True)
class RegulatedSource:
    """An alternator or charger: holds `set_point_v` between its sense nodes as long as that takes 0 to `limit_a`."""

    id: str
    positive: str
    negative: str
    sense_positive: str
    sense_negative: str
    set_point_v: float
    limit_a: float
    forced_a: float | None = None
    """A known output, whatever the voltage: the state a test was made in."""


@dataclass(frozen=True)
class Diode:
    """Blocks, or conducts from `start` to `end` at a forward voltage behind a resistance."""

    id: str
    start: str
    end: str
    forward_v: float
    ohm: float


@dataclass(frozen=True)
class PowerLoad:
    """Takes a constant power, until the voltage falls below its cut-off; it then stays off."""

    id: str
    start: str
    end: str
    watt: float
    cut_off_v: float = 0.0


@dataclass(frozen=True)
class Link:
    """A voltage-sensitive contact: closes above the cut-in, opens below the cut-out, between its sense nodes."""

    id: str
    start: str
    end: str
    ohm: float
    sense_positive: str
    sense_negative: str
    cut_in_v: float
    cut_out_v: float
    closed: bool = False
    """Its position before: between the two thresholds it stays as it was."""


@dataclass(frozen=True)
class Converter:
    """A DC-DC charger: regulates its output within a current limit, takes the power from its input, over its efficiency."""

    id: str
    in_positive: str
    in_negative: str
    out_positive: str
    out_negative: str
    set_point_v: float
    limit_a: float
    efficiency: float
    input_cut_off_v: float = 0.0
    input_limit_a: float = 1e9


ENDS: dict[type, tuple[str, ...]] = {
    Resistor: ("start", "end"),
    CurrentSource: ("start", "end"),
    EmfSource: ("positive", "negative"),
    RegulatedSource: ("positive", "negative", "sense_positive", "sense_negative"),
    Diode: ("start", "end"),
    PowerLoad: ("start", "end"),
    Link: ("start", "end", "sense_positive", "sense_negative"),
    Converter: ("in_positive", "in_negative", "out_positive", "out_negative"),
}
"""The fields of each element that name nodes."""

Element: TypeAlias = Resistor | CurrentSource | EmfSource | RegulatedSource | Diode | PowerLoad | Link | Converter
E = TypeVar("E")


@dataclass(frozen=True)
class Values:
    """Everything of a network that may differ between states, an array each: (elements,) or (states, elements)."""

    resistor_ohm: ArrayLike
    current_a: ArrayLike
    emf_v: ArrayLike
    emf_ohm: ArrayLike
    emf_charging_ohm: ArrayLike
    set_point_v: ArrayLike
    limit_a: ArrayLike
    forced_a: ArrayLike
    """NaN where the source regulates."""
    diode_v: ArrayLike
    diode_ohm: ArrayLike
    load_w: ArrayLike
    load_cut_off_v: ArrayLike
    link_ohm: ArrayLike
    link_closed: ArrayLike
    converter_set_point_v: ArrayLike
    converter_limit_a: ArrayLike


MAY_BE_ENDLESS = ("resistor_ohm", "limit_a", "forced_a")
"""An open switch, a source without a limit; NaN for a source that is not forced."""

VALUE_NAMES = tuple(f.name for f in fields(Values))


@dataclass(frozen=True)
class Solution:
    """What a probe could read, of one state."""

    node_v: Mapping[str, float]
    current_a: Mapping[str, float]
    """Of every element by id; of a converter its output."""
    input_a: Mapping[str, float]
    """Of converters."""
    mode: Mapping[str, Mode]
    """Of regulated sources and converters."""
    open_ids: frozenset[str]
    """Links that are open, loads and converters that their cut-off switched off."""
    chattering: frozenset[str]
    """Links that would open and close for ever; they are left open."""

    def between(self, first: str, second: str) -> float:
        """What a voltmeter shows with its red probe on `first` and its black one on `second` [V]."""
        return self.node_v[first] - self.node_v[second]


@dataclass(frozen=True)
class Solved:
    """Many states at once: arrays (states, elements) in the order of the network."""

    node_v: Floats
    resistor_a: Floats
    emf_a: Floats
    source_a: Floats
    mode: NDArray[np.int8]
    diode_a: Floats
    load_a: Floats
    load_on: Bools
    link_a: Floats
    link_closed: Bools
    link_chatters: Bools
    converter_a: Floats
    converter_in_a: Floats
    converter_mode: NDArray[np.int8]
    converter_starved: Bools


class NoOperatingPointError(ValueError):
    """A network that no voltages and currents satisfy; `ids` are the elements that found no rest."""

    def __init__(self, message: str, ids: Sequence[str] = ()) -> None:
        super().__init__(message)
        self.ids = tuple(ids)


def _as_rows(values: Values) -> dict[str, NDArray[np.float64]]:
    """Every array of values as (states, elements)."""
    return {name: np.atleast_2d(np.asarray(getattr(values, name))) for name in VALUE_NAMES}


class Network:
    """The shape of a network, assembled once and solved for as many states as one likes."""

    def __init__(self, elements: Sequence[Element], reference: str) -> None:
        """elements: in any order; reference: the node that is 0 V. Raises ValueError for an id used twice."""

        groups: dict[type, list[Element]] = {kind: [] for kind in ENDS}
        for e in elements:
            groups[type(e)].append(e)

        def of(kind: type[E]) -> list[E]:
            return groups[kind]  # type: ignore[return-value]

        self.resistors, self.currents, self.emfs = of(Resistor), of(CurrentSource), of(EmfSource)
        self.sources, self.diodes, self.loads = of(RegulatedSource), of(Diode), of(PowerLoad)
        self.links, self.converters = of(Link), of(Converter)
        ids = [e.id for e in elements if e.id]
        if len(ids) != len(set(ids)):
            raise ValueError(f"Two elements have the id {next(i for i in ids if ids.count(i) > 1)}")
        names = {reference}
        for e in elements:
            names.update([getattr(e, end) for end in ENDS[type(e)]])
        names.discard(reference)
        self.nodes = (*sorted(names), reference)
        self._row = {name: k for k, name in enumerate(self.nodes)}
        row = self._row
        two: list[tuple[int, int]] = []
        for group in (self.resistors, self.diodes, self.loads, self.links):
            two += [(row[e.start], row[e.end]) for e in group]
        two[len(self.resistors) : len(self.resistors)] = [(row[e.positive], row[e.negative]) for e in self.emfs]
        count = len(self.nodes)
        # One row a branch: +1 where its current leaves, -1 where it arrives. The reference's column is left out.
        self._incidence = np.zeros((len(two), count))
        for k, (a, b) in enumerate(two):
            self._incidence[k, a] += 1
            self._incidence[k, b] -= 1
        self._inner = np.ascontiguousarray(self._incidence[:, :-1])
        edges = np.cumsum([0, *(len(g) for g in (self.resistors, self.emfs, self.diodes, self.loads, self.links))]).tolist()
        self._part = [slice(a, b) for a, b in pairwise(edges)]
        self._injection = np.zeros((len(self.currents), count))
        for k, c in enumerate(self.currents):
            self._injection[k, row[c.end]] += 1
            self._injection[k, row[c.start]] -= 1
        regulated = [(s.positive, s.negative, s.sense_positive, s.sense_negative) for s in self.sources]
        regulated += [(c.out_positive, c.out_negative, c.out_positive, c.out_negative) for c in self.converters]
        self._gives, self._senses = np.zeros((len(regulated), count)), np.zeros((len(regulated), count))
        for k, (plus, minus, sense_plus, sense_minus) in enumerate(regulated):
            self._gives[k, row[plus]] += 1
            self._gives[k, row[minus]] -= 1
            self._senses[k, row[sense_plus]] += 1
            self._senses[k, row[sense_minus]] -= 1
        self._link_senses = self._difference([(k.sense_positive, k.sense_negative) for k in self.links])
        self._inputs = self._difference([(c.in_positive, c.in_negative) for c in self.converters])
        self.values = Values(
            resistor_ohm=np.array([r.ohm for r in self.resistors]),
            current_a=np.array([c.ampere for c in self.currents]),
            emf_v=np.array([e.volt for e in self.emfs]),
            emf_ohm=np.array([e.ohm for e in self.emfs]),
            emf_charging_ohm=np.array([e.ohm if e.charging_ohm is None else e.charging_ohm for e in self.emfs]),
            set_point_v=np.array([s.set_point_v for s in self.sources]),
            limit_a=np.array([s.limit_a for s in self.sources]),
            forced_a=np.array([np.nan if s.forced_a is None else s.forced_a for s in self.sources]),
            diode_v=np.array([d.forward_v for d in self.diodes]),
            diode_ohm=np.array([d.ohm for d in self.diodes]),
            load_w=np.array([x.watt for x in self.loads]),
            load_cut_off_v=np.array([x.cut_off_v for x in self.loads]),
            link_ohm=np.array([k.ohm for k in self.links]),
            link_closed=np.array([k.closed for k in self.links], dtype=bool),
            converter_set_point_v=np.array([c.set_point_v for c in self.converters]),
            converter_limit_a=np.array([c.limit_a for c in self.converters]),
        )
        self._checked = False
        self._shaped: dict[str, NDArray[np.float64]] = {}
        self._emf_s = 1.0 / np.asarray(self.values.emf_ohm, dtype=float)
        self._emf_drive = (np.asarray(self.values.emf_v, dtype=float) * self._emf_s) @ self._inner[self._part[1]]
        self._cut_in, self._cut_out = np.array([k.cut_in_v for k in self.links]), np.array([k.cut_out_v for k in self.links])
        self._efficiency = np.array([c.efficiency for c in self.converters])
        self._starves_below = np.array([c.input_cut_off_v for c in self.converters])
        self._most_in = np.array([c.input_limit_a for c in self.converters])
        self._inner_t = np.ascontiguousarray(self._inner.T)
        self._diagonal = np.arange(count - 1)

    def _difference(self, pairs: list[tuple[str, str]]) -> Floats:
        found = np.zeros((len(pairs), len(self.nodes)))
        for k, (plus, minus) in enumerate(pairs):
            found[k, self._row[plus]] += 1
            found[k, self._row[minus]] -= 1
        return found

    def _check(self, values: Values) -> None:
        for name, group in (
            ("resistor_ohm", self.resistors), ("emf_ohm", self.emfs), ("emf_charging_ohm", self.emfs), ("diode_ohm", self.diodes),
            ("link_ohm", self.links),
        ):  # fmt: skip
            ohm = np.atleast_2d(np.asarray(getattr(values, name), dtype=float))
            # An infinite resistance is an open switch.
            bad = ~(ohm > 0)
            if bad.any():
                k = int(np.argmax(bad.any(axis=0)))
                raise ValueError(f"{group[k].id}: a resistance is above 0 ohm, not {ohm[bad][0]:g}")
        for name in VALUE_NAMES:
            if name not in MAY_BE_ENDLESS and not np.isfinite(np.asarray(getattr(values, name), dtype=float)).all():
                raise ValueError(f"{name} holds a value that is not finite")

    def solve(self, values: Values | None = None) -> Solution:
        """Solve one state.

        values: left out, those the network was made with
        Raises ValueError for values that cannot be, NoOperatingPointError where nothing satisfies the network.
        """
        found = self.solve_many(self.values if values is None else values)
        current: dict[str, float] = {}
        for group, amps in (
            (self.resistors, found.resistor_a), (self.emfs, found.emf_a), (self.sources, found.source_a), (self.diodes, found.diode_a),
            (self.loads, found.load_a), (self.links, found.link_a), (self.converters, found.converter_a),
        ):  # fmt: skip
            current |= dict(zip((e.id for e in group), amps[0].tolist(), strict=True))
        modes = {s.id: Mode(int(m)) for s, m in zip(self.sources, found.mode[0], strict=True)}
        modes |= {c.id: Mode(int(m)) for c, m in zip(self.converters, found.converter_mode[0], strict=True)}
        is_open = {k.id for k, closed in zip(self.links, found.link_closed[0], strict=True) if not closed}
        is_open |= {x.id for x, on in zip(self.loads, found.load_on[0], strict=True) if not on}
        is_open |= {c.id for c, starved in zip(self.converters, found.converter_starved[0], strict=True) if starved}
        return Solution(
            node_v=dict(zip(self.nodes, found.node_v[0].tolist(), strict=True)),
            current_a=current,
            input_a=dict(zip((c.id for c in self.converters), found.converter_in_a[0].tolist(), strict=True)),
            mode=modes,
            open_ids=frozenset(is_open),
            chattering=frozenset(k.id for k, c in zip(self.links, found.link_chatters[0], strict=True) if c),
        )

    @property
    def straight(self) -> bool:
        """Whether it has nothing that bends: one solve of the matrix is then the answer."""
        bends = self.diodes or self.loads or self.links or self.converters
        return not (
            bends or any(s.forced_a is None for s in self.sources) or any(e.charging_ohm not in (None, e.ohm) for e in self.emfs)
        )

    def solve_straight(self, resistor_ohm: Floats, current_a: Floats) -> tuple[Floats, Floats]:
        """Solve one state of a network that is `straight` and has no sources, for its resistances and driven currents.

        Returns node voltages [V] in the order of `nodes`, and the currents through the resistors [A].
        Raises ValueError for resistances that are not above 0.
        """
        if not (resistor_ohm > 0).all():
            bad = int(np.argmin(resistor_ohm > 0))
            raise ValueError(f"{self.resistors[bad].id}: a resistance is above 0 ohm, not {resistor_ohm[bad]:g}")
        g = np.concatenate((1.0 / resistor_ohm, self._emf_s))
        a = (self._inner_t * g) @ self._inner
        a[self._diagonal, self._diagonal] += LEAK_S
        v = np.zeros(len(self.nodes))
        v[:-1] = np.linalg.solve(a, current_a @ self._injection[:, :-1] + self._emf_drive)
        return v, (self._incidence[self._part[0]] @ v) / resistor_ohm

    def solve_many(self, values: Values) -> Solved:
        """Solve many states: every array of `values` is (elements,) or (states, elements), and they broadcast.

        Errors as for `solve`; one state without an operating point refuses the whole call.
        """
        if values is not self.values or not self._checked:
            self._check(values)
            self._checked = values is self.values
            if self._checked:
                self._shaped = _as_rows(values)
        shaped = self._shaped if values is self.values else _as_rows(values)
        states = max(a.shape[0] for a in shaped.values())
        if states == 1:
            return _Solver(self, shaped, 1).run()
        chunks = []
        # The states of a sweep are alike: all others begin where one of them has come to rest.
        middle = states // 2
        seed = _Solver(self, {n: a if a.shape[0] == 1 else a[middle : middle + 1] for n, a in shaped.items()}, 1)
        seed.run()
        for start in range(0, states, CHUNK):
            end = min(start + CHUNK, states)
            part = {
                n: np.broadcast_to(a if a.shape[0] == 1 else a[start:end], (end - start, a.shape[1])) for n, a in shaped.items()
            }
            chunk = _Solver(self, part, end - start)
            chunk.begin_like(seed)
            chunks.append(chunk.run())
        return Solved(**{f.name: np.concatenate([getattr(c, f.name) for c in chunks]) for f in fields(Solved)})


class _Solver:
    """One batch of states on its way to rest."""

    def __init__(self, net: Network, values: Mapping[str, NDArray[np.float64]], states: int) -> None:
        self.net, self.p, self.states = net, values, states
        self.n = len(net.nodes) - 1
        self.m = len(net._gives)
        self.k = len(net.sources)
        forced = ~np.isnan(values["forced_a"])
        self.mode = np.zeros((states, self.m), dtype=np.int8)
        self.mode[:, : self.k][forced] = FORCED
        self.mode[:, : self.k][~forced & (values["limit_a"] <= 0)] = OFF
        self.charging = np.ones((states, len(net.emfs)), dtype=bool)
        self.conducts = np.ones((states, len(net.diodes)), dtype=bool)
        self.load_on = np.ones((states, len(net.loads)), dtype=bool)
        self.closed = values["link_closed"].astype(bool).copy()
        self.turns = np.zeros(self.closed.shape, dtype=int)
        self.starved = np.zeros((states, len(net.converters)), dtype=bool)
        guess = float(max(np.max(values["emf_v"], initial=0.0), np.max(values["set_point_v"], initial=0.0), 1.0))
        self.load_v = np.full((states, len(net.loads)), guess)
        self.in_v = np.full((states, len(net.converters)), guess)
        self.out_v = values["converter_set_point_v"].astype(float).copy()
        self.out_a = values["converter_limit_a"].astype(float).copy()
        self.v = np.zeros((states, self.n + 1))
        self.x = np.zeros((states, self.m))
        self.g = np.zeros((states, len(net._incidence)))
        self.g[:, net._part[0]] = 1.0 / values["resistor_ohm"]
        self.s = np.zeros((states, len(net._incidence)))
        self.curved = bool(net.loads or net.converters)
        # While straight pieces are still changing, what is curved takes a constant current: a tangent falls as the voltage
        # rises, like a negative resistance, and beside a wrong piece that can outweigh all the rest.
        self.flat = np.full(states, self.curved)
        self.eventful = bool(net.loads or net.converters or net.links)
        self.limit = np.concatenate((values["limit_a"].astype(float), values["converter_limit_a"].astype(float)), axis=1)
        self.forced_a = np.zeros((states, self.m))
        self.forced_a[:, : self.k] = np.where(forced, values["forced_a"], 0.0)
        self.set_point = np.concatenate((values["set_point_v"], values["converter_set_point_v"]), axis=1)

    def begin_like(self, other: _Solver) -> None:
        """Assume the pieces and the tangents of a state that has come to rest; what has a past keeps its own."""
        forced = self.mode == FORCED
        for mine, its in (
            (self.charging, other.charging), (self.conducts, other.conducts), (self.load_v, other.load_v), (self.in_v, other.in_v),
            (self.out_v, other.out_v), (self.out_a, other.out_a),
        ):  # fmt: skip
            mine[:] = its[0]
        self.mode[:] = np.where(forced | (self.limit <= 0), self.mode, np.where(other.mode == FORCED, REGULATING, other.mode))
        self.flat[:] = False

    def run(self) -> Solved:
        """To rest, or NoOperatingPointError."""
        todo = np.arange(self.states)
        for turn in range(MOST_ROUNDS):
            self._solve(todo)
            moved = self._agree(todo, turn < ALL_AT_ONCE_ROUNDS)
            if self.eventful and not moved.all():
                # Cut-offs and links answer to voltages that are true, not to those on the way there.
                moved[~moved] = self._events(todo[~moved])
            elif self.eventful and turn == TRIP_ROUND:
                self._events(todo)
            todo = todo[moved]
            if not len(todo):
                return self._answer()
        raise NoOperatingPointError(*self._restless(todo))

    def _stamps(self, t: NDArray[np.int64]) -> None:
        """Conductance and source term of every two-terminal element, i = g v + s."""
        p, (_, emfs, diodes, loads, links) = self.p, self.net._part
        if self.net.emfs:
            behind = np.where(self.charging[t], p["emf_charging_ohm"][t], p["emf_ohm"][t])
            self.g[t, emfs] = 1.0 / behind
            self.s[t, emfs] = -p["emf_v"][t] / behind
        if self.net.diodes:
            on = self.conducts[t]
            self.g[t, diodes] = np.where(on, 1.0 / p["diode_ohm"][t], BLOCKED_S)
            self.s[t, diodes] = np.where(on, -p["diode_v"][t] / p["diode_ohm"][t], 0.0)
        if self.net.loads:
            watt, v0 = np.where(self.load_on[t], p["load_w"][t], 0.0), self.load_v[t]
            tangent = ~self.flat[t][:, None]
            self.g[t, loads] = np.where(tangent, -watt / v0**2, 0.0)
            self.s[t, loads] = np.where(tangent, 2.0, 1.0) * watt / v0
        if self.net.links:
            self.g[t, links] = np.where(self.closed[t], 1.0 / p["link_ohm"][t], 0.0)

    def _solve(self, t: NDArray[np.int64]) -> None:
        net, n, m = self.net, self.n, self.m
        self._stamps(t)
        g, s = self.g[t], self.s[t]
        a = np.zeros((len(t), n + m, n + m))
        b = np.zeros((len(t), n + m))
        a[:, :n, :n] = np.matmul(net._inner_t * g[:, None, :], net._inner)
        a[:, net._diagonal, net._diagonal] += LEAK_S
        b[:, :n] = self.p["current_a"][t] @ net._injection[:, :-1] - s @ net._inner
        if m:
            a[:, :n, n:] = -net._gives[:, :-1].T
            mode = self.mode[t]
            regulating = mode == REGULATING
            rows = np.arange(n, n + m)
            a[:, n:, :n] = np.where(regulating[:, :, None], net._senses[:, :-1], 0.0)
            a[:, rows, rows] = np.where(regulating, DROOP_OHM, 1.0)
            held = np.where(mode == AT_LIMIT, self.limit[t], np.where(mode == FORCED, self.forced_a[t], 0.0))
            b[:, n:] = np.where(regulating, self.set_point[t], held)
        if net.converters:
            self._stamp_inputs(a, b, t)
        solved = np.linalg.solve(a, b[:, :, None])[:, :, 0]
        self.v[t, :n] = solved[:, :n]
        self.x[t] = solved[:, n:]

    def _stamp_inputs(self, a: Floats, b: Floats, t: NDArray[np.int64]) -> None:
        """What converters take, V_in I_in efficiency = V_out I_out, as its tangent where they were last."""
        net, n = self.net, self.n
        for c, converter in enumerate(net.converters):
            out_v, out_a, in_v = self.out_v[t, c], self.out_a[t, c], self.in_v[t, c]
            takes, out = net._inputs[c, :-1], net._senses[self.k + c, :-1]
            row = n + self.k + c
            held = self.mode[t, self.k + c] == BY_INPUT
            flat = self.flat[t]
            by = np.where(held | flat, 0.0, 1.0 / (converter.efficiency * in_v))
            # The input current as a tangent in all three voltages and currents; that tangent goes through zero.
            slope = np.multiply.outer(out_a * by, out) - np.multiply.outer(out_v * out_a * by / in_v, takes)
            a[:, :n, :n] += takes[None, :, None] * slope[:, None, :]
            a[:, :n, row] += np.multiply.outer(out_v * by, takes)
            taken = np.where(held, converter.input_limit_a, np.where(flat, out_v * out_a / (converter.efficiency * in_v), 0.0))
            b[:, :n] -= np.multiply.outer(taken, takes)
            most = converter.efficiency * converter.input_limit_a
            bent, stiff = held & ~flat, held & flat
            a[bent, row, :n] = np.multiply.outer(out_a[bent], out) - most * takes
            a[bent, row, row] = out_v[bent]
            b[bent, row] = out_v[bent] * out_a[bent]
            b[stiff, row] = most * in_v[stiff] / out_v[stiff]

    def _agree(self, t: NDArray[np.int64], all_at_once: bool) -> Bools:
        """Change the pieces that the answer contradicts; returns which states changed."""
        net, p = self.net, self.p
        across = self.v[t] @ net._incidence.T
        _, emfs, diodes, _, _ = net._part
        flips: list[Bools] = []
        if net.emfs:
            flips.append((across[:, emfs] > p["emf_v"][t]) != self.charging[t])
        if net.diodes:
            flips.append((across[:, diodes] > p["diode_v"][t]) != self.conducts[t])
        wanted = self.mode[t]
        if self.m:
            wanted = self._wanted_modes(t)
            flips.append(wanted != self.mode[t])
        flip = np.concatenate(flips, axis=1) if flips else np.zeros((len(t), 0), dtype=bool)
        if not all_at_once and flip.shape[1]:
            # The lowest that disagrees, alone: least-index pivoting comes to an end where turning all at once may circle.
            flip &= np.cumsum(flip, axis=1) == 1
        at = 0
        if net.emfs:
            self.charging[t] ^= flip[:, : len(net.emfs)]
            at += len(net.emfs)
        if net.diodes:
            self.conducts[t] ^= flip[:, at : at + len(net.diodes)]
            at += len(net.diodes)
        if self.m:
            self.mode[t] = np.where(flip[:, at:], wanted, self.mode[t])
        moved: Bools = np.asarray(flip.any(axis=1), dtype=bool)
        if self.curved:
            self.flat[t[moved]] = True
            rest = ~moved
            if rest.any():
                moved[rest] = self._bend(t[rest], across[rest]) | self.flat[t[rest]]
                self.flat[t[rest]] = False
        return moved

    def _bend(self, t: NDArray[np.int64], across: Floats) -> Bools:
        """Move the tangents of what is curved to where the answer lies; returns in which states they moved.

        Only in states whose straight pieces agree, see `flat`. From a voltage above the operating point Newton's method
        comes down to it, and not to the lower one, where a load of constant power has collapsed.
        """
        net, volts = self.net, self.v[t]
        moved = np.zeros(len(t), dtype=bool)
        # A step that goes below a third of the voltage before has overshot.
        for point, found in (
            (self.load_v, across[:, net._part[3]]),
            (self.in_v, volts @ net._inputs.T),
            (self.out_v, volts @ net._senses[self.k :].T),
        ):
            new = np.maximum(found, point[t] / 3)
            moved |= (np.abs(new - point[t]) > SETTLED_V).any(axis=1)
            point[t] = new
        out_a = np.maximum(self.x[t, self.k :], 0.0)
        moved |= (np.abs(out_a - self.out_a[t]) > SETTLED_V).any(axis=1)
        self.out_a[t] = out_a
        return moved

    def _events(self, t: NDArray[np.int64]) -> Bools:
        """What happens at voltages that have come to rest: cut-offs that latch, links that turn."""
        net = self.net
        happened = np.zeros(len(t), dtype=bool)
        if net.loads:
            volts = self.v[t] @ net._incidence[net._part[3]].T
            cut = self.load_on[t] & (volts < self.p["load_cut_off_v"][t])
            self.load_on[t] &= ~cut
            happened |= cut.any(axis=1)
        if net.converters:
            starving = (self.v[t] @ net._inputs.T < net._starves_below) & ~self.starved[t]
            self.starved[t] |= starving
            happened |= starving.any(axis=1)
        if net.links:
            sensed = self.v[t] @ net._link_senses.T
            closed, turns = self.closed[t], self.turns[t]
            flip = np.where(closed, sensed < net._cut_out, (sensed > net._cut_in) & (turns < CHATTERS_AFTER))
            self.closed[t] = closed ^ flip
            self.turns[t] = turns + flip
            happened |= flip.any(axis=1)
        return happened

    def _wanted_modes(self, t: NDArray[np.int64]) -> NDArray[np.int8]:
        mode, x, limit = self.mode[t], self.x[t], self.limit[t]
        sensed = self.v[t] @ self.net._senses.T
        short = sensed < self.set_point[t]
        asks = np.where(x > limit, AT_LIMIT, np.where(x < 0, OFF, REGULATING))
        wanted = np.where(mode == REGULATING, asks, mode)
        wanted = np.where((mode == AT_LIMIT) & ~short, REGULATING, wanted)
        wanted = np.where((mode == OFF) & short & (limit > 0), REGULATING, wanted)
        if self.net.converters:
            wanted[:, self.k :] = self._wanted_of_converters(t, wanted[:, self.k :], sensed[:, self.k :])
        return wanted.astype(np.int8)

    def _wanted_of_converters(self, t: NDArray[np.int64], wanted: NDArray[np.int8], out_v: Floats) -> NDArray[np.int8]:
        net, mode = self.net, self.mode[t, self.k :]
        out_a = self.x[t, self.k :]
        in_v = self.v[t] @ net._inputs.T
        too_much = out_v * out_a > net._efficiency * net._most_in * np.maximum(in_v, 0.1) * (1 + 1e-12)
        giving = (mode == REGULATING) | (mode == AT_LIMIT)
        wanted = np.where(giving & (wanted != OFF) & too_much & (out_a <= self.limit[t, self.k :] + 1e-9), BY_INPUT, wanted)
        held = mode == BY_INPUT
        wanted = np.where(held & (out_a > self.limit[t, self.k :]), AT_LIMIT, wanted)
        wanted = np.where(held & (out_v > self.set_point[t, self.k :]), REGULATING, wanted)
        return np.where(self.starved[t], OFF, wanted)

    def _restless(self, todo: NDArray[np.int64]) -> tuple[str, list[str]]:
        state = todo[:1]
        across = self.v[state] @ self.net._incidence.T
        loads = across[0, self.net._part[3]]
        low = [
            x.id
            for x, v, on in zip(self.net.loads, loads, self.load_on[state[0]], strict=True)
            if on and v < 0.6 * self.load_v.max()
        ]
        ids = low or [x.id for x in self.net.loads] or [c.id for c in self.net.converters] or [s.id for s in self.net.sources]
        return (
            f"No operating point: {', '.join(ids)} asks for more than the circuit can deliver, and the voltage collapses.",
            ids,
        )

    def _answer(self) -> Solved:
        net = self.net
        across = self.v @ net._incidence.T
        flow = self.g * across + self.s
        resistors, emfs, diodes, loads, links = net._part
        if net.loads:
            flow[:, loads] = np.where(self.load_on, self.p["load_w"] / np.where(self.load_on, across[:, loads], 1.0), 0.0)
        out_a = self.x[:, self.k :]
        taken = out_a
        if net.converters:
            in_v, out_v = self.v @ net._inputs.T, self.v @ net._senses[self.k :].T
            taken = out_v * out_a / (net._efficiency * np.where(in_v > 0, in_v, 1.0))
        return Solved(
            node_v=self.v,
            resistor_a=flow[:, resistors],
            emf_a=flow[:, emfs],
            source_a=self.x[:, : self.k],
            mode=self.mode[:, : self.k],
            diode_a=flow[:, diodes],
            load_a=flow[:, loads],
            load_on=self.load_on,
            link_a=flow[:, links],
            link_closed=self.closed,
            link_chatters=self.turns >= CHATTERS_AFTER,
            converter_a=out_a,
            converter_in_a=taken,
            converter_mode=self.mode[:, self.k :],
            converter_starved=self.starved,
        )


def solve_network(elements: Sequence[Element], reference: str) -> Solution:
    """Solve a network once.

    elements: all with an id of their own
    reference: the node that is 0 V
    Returns node voltages [V] and currents [A] by id, and what every regulated source, link and load does.
    Raises ValueError for values that cannot be, NoOperatingPointError where nothing satisfies the network.
    Source: modified nodal analysis; piecewise-linear elements by changing pieces until the answer agrees.

    >>> s = solve_network([Resistor("a", "p", "n", 2.0), CurrentSource("n", "p", 3.0)], "n")
    >>> round(s.node_v["p"], 6), round(s.current_a["a"], 6)
    (6.0, 3.0)
    """
    return Network(elements, reference).solve()
