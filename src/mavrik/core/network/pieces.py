"""States at assumed pieces: what is linear then, solved for all of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, fields
from typing import Self, TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core.network.assembly import Assembly, Reduction, solve_dense
from mavrik.core.network.elements import Bools, Floats, Mode, NoOperatingPointError, Solved

BLOCKED_S = 1e-18
"""What a blocking diode still lets through."""

DROOP_OHM = 1e-6
"""A regulator gives way by 0.1 mV at 100 A, so that two of them on one bar share instead of fighting."""

SETTLED_V = 1e-5
"""A tangent that moves by less was at the right place: Newton's method leaves an error of the square of its last step."""

WILD_TIMES = 3.0
"""No voltage is so many times what any source has."""

CHATTERS_AFTER = 3
"""A link that has turned so often within one state would go on for ever."""

UNTOUCHED = ("resistor_ohm", "current_a")
"""What only the reduction asks for; it keeps one row where all states share it."""

INNER_ROUNDS = 6
CAREFUL_AFTER = 6
"""Rounds after which tangents of states that share a factorisation move one step a round: where a piece has no operating point,
several steps at once run past the one that would have shown it."""

IN_MATRIX = ("emf_ohm", "emf_charging_ohm", "diode_ohm", "link_ohm")
MOST_BITS = 50
"""So many pieces still make one number that names the pattern exactly."""

REGULATING, AT_LIMIT, OFF, FORCED, BY_INPUT = (int(m) for m in Mode)
"""The same as plain numbers: a round compares arrays with them, and an enumeration's name costs a look-up."""

PER_STATE = (
    "mode", "forced_a", "limit", "set_point", "charging", "conducts", "load_on", "closed", "starved", "load_v", "in_v", "out_v", "out_a",
    "v", "x", "g", "s", "flat",
)  # fmt: skip
"""What a batch keeps a row of for each of its states, but for what it counts on its way."""

Which: TypeAlias = NDArray[np.int64] | slice
"""Some of the states; all of them as a slice, which numpy looks at in place instead of copying."""

ALL = slice(None)


@dataclass(frozen=True)
class AtRest:
    """Where states came to rest: their pieces and tangents, for others to begin from."""

    net: Assembly
    charging: Bools
    conducts: Bools
    mode: NDArray[np.int8]
    load_v: Floats
    in_v: Floats
    out_v: Floats
    out_a: Floats

    @classmethod
    def joined(cls, some: Sequence[AtRest]) -> AtRest:
        """Those of several batches of one network, one behind the other."""
        arrays = [f.name for f in fields(cls) if f.name != "net"]
        return cls(some[0].net, **{name: np.concatenate([getattr(a, name) for a in some]) for name in arrays})

    def of_state(self, k: int) -> AtRest:
        """One of the states."""
        arrays = [f.name for f in fields(self) if f.name != "net"]
        return AtRest(self.net, **{name: getattr(self, name)[k : k + 1] for name in arrays})


class Pieces:
    """Some states of one network, each element at a straight piece and what is curved at a tangent; `Batch` brings them to rest."""

    def __init__(
        self, net: Assembly, values: Mapping[str, NDArray[np.float64]], states: int, reduction: Reduction | None = None
    ) -> None:
        """values: every array with one row for all states or one for each; reduction: where it is known already."""
        self.red = reduction or net.reduce(values)
        self.given = values
        values = {
            n: a if len(a) == states or n in UNTOUCHED else np.broadcast_to(a, (states, a.shape[1])) for n, a in values.items()
        }
        self.net, self.p, self.states = net, values, states
        self.n = net.kept
        self.m = len(net.gives)
        self.k = len(net.sources)
        self.curved = bool(net.loads or net.converters)
        self.eventful = bool(net.loads or net.converters or net.links)
        self.turn = 0
        self._begin_sources()
        self.charging = np.ones((states, len(net.emfs)), dtype=bool)
        self.conducts = np.ones((states, len(net.diodes)), dtype=bool)
        self.load_on = np.ones((states, len(net.loads)), dtype=bool)
        self.closed = values["link_closed"].astype(bool)
        self.turns = np.zeros(self.closed.shape, dtype=int)
        self.starved = np.zeros((states, len(net.converters)), dtype=bool)
        guess = 1.0
        if self.curved:
            guess = float(max(np.max(values["emf_v"], initial=0.0), np.max(values["set_point_v"], initial=0.0), guess))
        self.load_v = np.full((states, len(net.loads)), guess)
        self.in_v = np.full((states, len(net.converters)), guess)
        self.out_v = values["converter_set_point_v"].astype(float)
        self.out_a = values["converter_limit_a"].astype(float)
        self.highest_v, self.wild_v = guess, WILD_TIMES * guess
        self.overshoots = np.zeros(self.in_v.shape, dtype=int)
        self.wandered = np.zeros(self.load_v.shape, dtype=int)
        """How often the voltage of a load rose or overshot."""
        self.bounces = np.zeros(states, dtype=int)
        """How often a source at its limit went back to regulating."""
        self.flips = np.zeros(states, dtype=int)
        """Rounds since anything last happened to the state."""
        self.v = np.zeros((states, self.n))
        self.x = np.zeros((states, self.m))
        self.answer: Solved
        """Once at rest."""
        self.alike = False
        self._weights: Floats = np.zeros(0)
        if states > 1 and not net.converters:
            # States that share all resistances differ in their matrix only by the pieces their elements are at.
            rows = (self.red.base, *(self.given[name] for name in IN_MATRIX))
            bits = len(net.emfs) + len(net.diodes) + len(net.links) + self.m
            self.alike = bits < MOST_BITS and all(len(a) == 1 for a in rows)
            self._weights = np.asarray(2.0 ** np.arange(bits))
        self.g = np.zeros((states, len(net.across)))
        self.s = np.zeros((states, len(net.across)))
        # While straight pieces are still changing, what is curved takes a constant current: a tangent falls as the voltage
        # rises, like a negative resistance, and beside a wrong piece that can outweigh all the rest.
        self.flat = np.full(states, self.curved)

    def _begin_sources(self) -> None:
        """What regulated sources and converters are asked for, and the modes they are first taken to be in."""
        values, k = self.p, self.k
        self.mode = np.zeros((self.states, self.m), dtype=np.int8)
        self.forced_a = np.zeros((self.states, self.m))
        if k:
            given = values["forced_a"]
            forced = ~np.isnan(given)
            if forced.any():
                self.mode[:, :k][forced] = FORCED
                self.forced_a[:, :k] = np.where(forced, given, 0.0)
            self.mode[:, :k][~forced & (values["limit_a"] <= 0)] = OFF
        self.limit, self.set_point = values["limit_a"], values["set_point_v"]
        if self.m > k:
            self.limit = np.concatenate((self.limit, values["converter_limit_a"]), axis=1)
            self.set_point = np.concatenate((self.set_point, values["converter_set_point_v"]), axis=1)

    @property
    def at_rest(self) -> AtRest:
        """Where its states are now."""
        return AtRest(self.net, self.charging, self.conducts, self.mode, self.load_v, self.in_v, self.out_v, self.out_a)

    def of_state(self, k: int) -> Self:
        """One of its states that have come to rest, as a batch of its own."""
        state, one = slice(k, k + 1), copy(self)
        one.states, one.alike = 1, False
        for name in PER_STATE:
            setattr(one, name, getattr(self, name)[state])
        one.given, one.p = ({n: a if len(a) == 1 else a[state] for n, a in values.items()} for values in (self.given, self.p))
        one.red, one.answer = self.red.of_states(state), self.answer.of_state(k)
        return one

    def linear(self) -> tuple[Floats, Floats]:
        """The matrix and the right side that its states have come to rest with, everything at its piece and tangent."""
        self.alike = False
        self._stamps(ALL)
        right, matrix = self._right_side(ALL, self.s), self._matrix(ALL, self.g)
        if self.net.converters:
            self._stamp_inputs(matrix, right, ALL)
        return matrix, right

    def _stamps(self, t: Which) -> None:
        """Conductance and source term of every two-terminal element, i = g v + s."""
        p, (emfs, diodes, loads, links) = self.p, self.net.part
        if self.net.emfs:
            behind = np.where(self.charging[t], p["emf_charging_ohm"][t], p["emf_ohm"][t])
            self.g[t, emfs] = 1.0 / behind
            self.s[t, emfs] = -p["emf_v"][t] / behind
        if self.net.diodes:
            on = self.conducts[t]
            self.g[t, diodes] = np.where(on, 1.0 / p["diode_ohm"][t], BLOCKED_S)
            self.s[t, diodes] = np.where(on, -p["diode_v"][t] / p["diode_ohm"][t], 0.0)
        if self.net.loads and not self.alike:
            watt, v0 = np.where(self.load_on[t], p["load_w"][t], 0.0), self.load_v[t]
            tangent = ~self.flat[t][:, None]
            self.g[t, loads] = np.where(tangent, -watt / v0**2, 0.0)
            self.s[t, loads] = np.where(tangent, 2.0, 1.0) * watt / v0
        if self.net.links:
            self.g[t, links] = np.where(self.closed[t], 1.0 / p["link_ohm"][t], 0.0)

    def _solve(self, t: Which) -> None:
        try:
            self._eliminate(t)
        except np.linalg.LinAlgError:
            message = "No operating point: a part of the circuit is driven and has no way back, so no voltages satisfy it."
            raise NoOperatingPointError(message) from None

    def _eliminate(self, t: Which) -> None:
        self._stamps(t)
        b = self._right_side(t, self.s[t])
        if self.alike:
            solved = self._solve_alike(t, b)
        else:
            a = self._matrix(t, self.g[t])
            if self.net.converters:
                self._stamp_inputs(a, b, t)
            solved = solve_dense(a[0], b[0])[None] if len(a) == 1 else np.asarray(np.linalg.solve(a, b[:, :, None])[:, :, 0])
        self.v[t] = solved[:, : self.n]
        self.x[t] = solved[:, self.n :]

    def _right_side(self, t: Which, s: Floats) -> Floats:
        n, drive = self.n, self.red.drive
        b = np.empty((len(s), n + self.m))
        b[:, :n] = (drive if len(drive) == 1 else drive[t]) - s @ self.net.across
        if self.m:
            mode, held = self.mode[t], b[:, n:]
            held[:] = self.set_point[t]
            np.copyto(held, self.limit[t], where=mode == AT_LIMIT)
            np.copyto(held, self.forced_a[t], where=mode > AT_LIMIT)
        return b

    def _matrix(self, t: Which, g: Floats) -> Floats:
        """Conductances of the branches `g` over the reduced resistances, and a row for each regulated source."""
        net, n, m, base = self.net, self.n, self.m, self.red.base
        a = np.zeros((len(g), n + m, n + m))
        a[:, :n, :n] = np.matmul(net.across_t * g[:, None, :], net.across)
        a[:, :n, :n] += base if len(base) == 1 else base[t]
        if m:
            a[:, :n, n:] = -net.gives.T
            regulating = self.mode[t] == REGULATING
            rows = np.arange(n, n + m)
            a[:, n:, :n] = regulating[:, :, None] * net.senses
            a[:, rows, rows] = np.where(regulating, DROOP_OHM, 1.0)
        return a

    def _solve_alike(self, t: Which, b: Floats) -> Floats:
        """One factorisation for all states at the same pieces.

        Seen from the loads of constant power each such group is a few voltages behind a few resistances, the same for all of
        its states; their currents are found there and brought back by superposition.
        """
        net, n, loads = self.net, self.n, self.net.part[2]
        pieces = (self.charging[t], self.conducts[t], self.closed[t], self.mode[t] == REGULATING)
        codes = np.concatenate(pieces, axis=1) @ self._weights
        first, which = np.zeros(1, dtype=np.int64), np.zeros(len(codes), dtype=np.int64)
        if (codes != codes[0]).any():
            _, first, which = np.unique(codes, return_index=True, return_inverse=True)
        leaders = among(t, first)
        g = self.g[leaders]
        g[:, loads] = 0.0
        taps = np.zeros((b.shape[1], len(net.loads)))
        taps[:n] = net.across[loads].T
        solved = np.empty_like(b)
        for k, a in enumerate(self._matrix(leaders, g)):
            here: slice | Bools = which == k if len(first) > 1 else slice(None)
            free = solve_dense(a, b[here].T).T
            if net.loads:
                moves = solve_dense(a, taps)
                free = free - self._load_currents(among(t, here), free @ taps, taps.T @ moves) @ moves.T
            solved[here] = free
        return solved

    def _load_currents(self, t: Which, free_v: Floats, tied: Floats) -> Floats:
        """What loads of constant power take behind the voltages `free_v` and the resistances `tied` they share.

        Tangents move here as `_bend` moves them, so that it finds them where the answer lies.
        """
        watt, v0 = np.where(self.load_on[t], self.p["load_w"][t], 0.0), self.load_v[t]
        tangent = ~self.flat[t][:, None]
        for _ in range(INNER_ROUNDS if self.turn < CAREFUL_AFTER else 1):
            g = np.where(tangent, -watt / v0**2, 0.0)
            s = np.where(tangent, 2.0, 1.0) * watt / v0
            u = free_v - s @ tied.T
            if len(tied) == 1:
                u = u / (1.0 + tied * g)
            else:
                u = np.linalg.solve(np.eye(len(tied)) + tied * g[:, None, :], u[:, :, None])[:, :, 0]
            new = np.where(tangent, np.maximum(u, v0 / 3), v0)
            self.load_v[t] = v0
            if np.abs(new - v0).max() < SETTLED_V:
                break
            v0 = new
        return np.asarray(g * u + s)

    def _stamp_inputs(self, a: Floats, b: Floats, t: Which) -> None:
        """What converters take, V_in I_in efficiency = V_out I_out, as its tangent where they were last."""
        net, n, columns = self.net, self.n, slice(self.k, self.k + len(self.net.converters))
        out_v, out_a, in_v = self.out_v[t], self.out_a[t], self.in_v[t]
        takes, out, rows = net.inputs, net.senses[columns], np.arange(n + columns.start, n + columns.stop)
        held, flat = self.mode[t, columns] == BY_INPUT, self.flat[t][:, None]
        by = np.where(held | flat, 0.0, 1.0 / (net.efficiency * in_v))
        # The input current as a tangent in all three voltages and currents; that tangent goes through zero.
        slope = (out_a * by)[:, :, None] * out - (out_v * out_a * by / in_v)[:, :, None] * takes
        a[:, :n, :n] += np.matmul(takes.T, slope)
        a[:, :n, rows] += takes.T * (out_v * by)[:, None, :]
        in_a = np.where(held, net.most_in, np.where(flat, out_v * out_a / (net.efficiency * in_v), 0.0))
        b[:, :n] -= in_a @ takes
        if not held.any():
            return
        most = net.efficiency * net.most_in
        s, c = np.nonzero(held & ~flat)
        a[s, rows[c], :n] = out_a[s, c][:, None] * out[c] - most[c][:, None] * takes[c]
        a[s, rows[c], rows[c]] = out_v[s, c]
        b[s, rows[c]] = out_v[s, c] * out_a[s, c]
        s, c = np.nonzero(held & flat)
        b[s, rows[c]] = most[c] * in_v[s, c] / out_v[s, c]

    def answer_now(self) -> Solved:
        """Voltages and currents where it stands."""
        net = self.net
        across = self.v @ net.across_t
        flow = self.g * across + self.s
        emfs, diodes, loads, links = net.part
        if net.loads:
            fed = self.load_on & (across[:, loads] != 0)
            flow[:, loads] = np.where(fed, self.p["load_w"] / np.where(fed, across[:, loads], 1.0), 0.0)
        out_a = self.x[:, self.k :]
        in_a = out_a
        if net.converters:
            in_v, out_v = self.v @ net.inputs.T, self.v @ net.senses[self.k :].T
            in_a = out_v * out_a / (net.efficiency * np.where(in_v > 0, in_v, 1.0))
        node_v = net.node_voltages(np.concatenate((self.v, self.red.inner_v(self.v), np.zeros((self.states, 1))), axis=1))
        resistor_a = (node_v.take(net.starts, axis=1) - node_v.take(net.ends, axis=1)) / self.given["resistor_ohm"]
        return Solved(
            node_v=node_v,
            resistor_a=resistor_a,
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
            converter_in_a=in_a,
            converter_mode=self.mode[:, self.k :],
            converter_starved=self.starved,
        )


def among(t: Which, which: NDArray[np.int64] | Bools | slice) -> Which:
    """Of the states `t` those that `which` picks."""
    if isinstance(which, slice):
        return t
    if isinstance(t, slice):
        return np.flatnonzero(which) if which.dtype == bool else which.astype(np.int64)
    return np.asarray(t[which])
