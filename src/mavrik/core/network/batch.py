"""A batch of states on its way to rest.

Everything that is not linear is a handful of straight pieces: a battery charges or discharges, a diode conducts or blocks, a
regulator regulates, is at its limit or is off, a link is open or closed. Each round assumes a piece for each element, solves,
looks whether the answer agrees, and changes those that do not. Loads of constant power and converters are curved; they are
solved by Newton's method along with the rest.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, fields
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core.effort import spend
from mavrik.core.network.assembly import Assembly, Reduction, solve_dense
from mavrik.core.network.elements import Bools, Floats, Mode, NoOperatingPointError, Slopes, Solved

BLOCKED_S = 1e-18
"""What a blocking diode still lets through."""

DROOP_OHM = 1e-6
"""A regulator gives way by 0.1 mV at 100 A, so that two of them on one bar share instead of fighting."""

MOST_ROUNDS = 80
ALL_AT_ONCE_ROUNDS = 12
"""As long as all elements that disagree change together; then one a round, which cannot go in circles."""

TRIP_ROUND = 40
"""Without rest by then, whatever has a cut-off and lies below it is off: that is what the cut-off is for."""

SETTLED_V = 1e-5
"""A tangent that moves by less was at the right place: Newton's method leaves an error of the square of its last step."""

FALLS_AFTER = 4
"""A source that has gone back from its limit so often will not stay."""

CORNER_V = 1e-10
"""A battery without a load lies on the corner between giving and taking, and rounding would turn it for ever."""

NOTHING_A = 1e-9
"""A source that regulates an open circuit gives its leak, or by rounding a little less than nothing: that is no reason to go off."""

COLLAPSED_AFTER = 6
"""So many overshoots are no way down to an operating point. From above Newton's method comes straight down to one, after a step up
where it began too low, and again with each piece that changes: four at most in some ten thousand states of the yard's vehicles."""

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


ROUND_WORK, STATE_WORK, SLOPE_WORK = 300.0, 0.1, 0.2
"""What a round, each state in it, and each slope of a node count for; measured on two networks, rough."""


class Batch:
    """One batch of states on its way to rest."""

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

    def begin_like(self, other: AtRest, which: NDArray[np.int64]) -> None:
        """Assume the pieces and the tangents of states that have come to rest; what has a past keeps its own.

        which: for each state here the one of `other` it is taken to be near; -1 for one that begins by itself
        A load of constant power takes less current at a higher voltage, so that beside a source at its limit there may be two
        operating points. The higher one is meant, and only a beginning from above is sure to find it.
        """
        near = other.mode[which]
        follows = which >= 0
        if self.curved:
            held = follows & ((near == AT_LIMIT) | (near == BY_INPUT)).any(axis=1)
            follows = follows & ~held
            if held.any() and not (self.net.diodes or self.net.links or self.net.converters):
                follows[held] = self._held_back(np.flatnonzero(held), near[held])
        forced = self.mode == FORCED
        for mine, its in (
            (self.charging, other.charging), (self.conducts, other.conducts), (self.load_v, other.load_v), (self.in_v, other.in_v),
            (self.out_v, other.out_v), (self.out_a, other.out_a),
        ):  # fmt: skip
            mine[follows] = its[which[follows]]
        assumed = np.where(forced | (self.limit <= 0), self.mode, np.where(near == FORCED, REGULATING, near))
        self.mode[follows] = assumed[follows]
        self.flat[follows] = False

    def take_over(self, other: Batch, which: NDArray[np.int64]) -> None:
        """Some states as another batch has brought them to rest: what others begin from, and the answers.

        which: the states here, in the order of `other`
        """
        for name in ("v", "mode", "charging", "conducts", "load_on", "load_v", "in_v", "out_v", "out_a"):
            getattr(self, name)[which] = getattr(other, name)
        for f in fields(Solved):
            getattr(self.answer, f.name)[which] = getattr(other.answer, f.name)

    def forget(self, which: NDArray[np.int64]) -> None:
        """No answer for some states: not a number, wherever it would be one."""
        for f in fields(Solved):
            values = getattr(self.answer, f.name)
            if values.dtype == np.float64:
                values[which] = np.nan

    def _held_back(self, t: NDArray[np.int64], near: NDArray[np.int8]) -> Bools:
        """Whether the sources at their limit in `near` are sure to be so in the states `t` too: no higher point is there to miss.

        Regulating, with every load taking what it takes at a voltage above its own, they would already have to give too much.
        """
        self._solve(t)
        too_much = ((near != AT_LIMIT) | (self.x[t] > self.limit[t])).all(axis=1)
        below = self.v[t] @ self.net.across_t[:, self.net.part[2]] <= self.load_v[t]
        return np.asarray(too_much & below.all(axis=1))

    def run(self) -> Solved:
        """To rest, or NoOperatingPointError."""
        todo = self.run_all()
        if len(todo):
            raise self.restless(todo)
        return self.answer

    def run_all(self) -> NDArray[np.int64]:
        """As far as it goes: all states that find rest have it in `answer`; returns those that have none."""
        todo = np.arange(self.states)
        for self.turn in range(MOST_ROUNDS):
            spend(ROUND_WORK + STATE_WORK * len(todo) * (self.n + self.m) ** 2)
            t = ALL if len(todo) == self.states else todo
            self._solve(t)
            moved = self._agree(t)
            if self.eventful and not moved.all():
                # Cut-offs and links answer to voltages that are true, not to those on the way there.
                still = todo[~moved]
                happened = self._events(still)
                moved[~moved] = happened
                self.flips[still[happened]] = 0
            elif self.eventful and self.turn == TRIP_ROUND:
                self._events(todo)
            todo = todo[moved]
            if self.net.loads:
                self._lose(todo)
            if not len(todo):
                break
        self.answer = self.answer_now()
        return todo

    def of_state(self, k: int) -> Batch:
        """One of its states that have come to rest, as a batch of its own."""
        own, one = slice(k, k + 1), copy(self)
        one.states, one.alike = 1, False
        for name in PER_STATE:
            setattr(one, name, getattr(self, name)[own])
        one.given, one.p = ({n: a if len(a) == 1 else a[own] for n, a in values.items()} for values in (self.given, self.p))
        red = ((f.name, getattr(self.red, f.name)) for f in fields(Reduction))
        one.red = Reduction(**{n: a if len(a) == 1 else a[own] for n, a in red})
        one.answer = Solved(**{f.name: getattr(self.answer, f.name)[own] for f in fields(Solved)})
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
        leaders = _among(t, first)
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
                free = free - self._load_currents(_among(t, here), free @ taps, taps.T @ moves) @ moves.T
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
        net, n, own = self.net, self.n, slice(self.k, self.k + len(self.net.converters))
        out_v, out_a, in_v = self.out_v[t], self.out_a[t], self.in_v[t]
        takes, out, rows = net.inputs, net.senses[own], np.arange(n + own.start, n + own.stop)
        held, flat = self.mode[t, own] == BY_INPUT, self.flat[t][:, None]
        by = np.where(held | flat, 0.0, 1.0 / (net.efficiency * in_v))
        # The input current as a tangent in all three voltages and currents; that tangent goes through zero.
        slope = (out_a * by)[:, :, None] * out - (out_v * out_a * by / in_v)[:, :, None] * takes
        a[:, :n, :n] += np.matmul(takes.T, slope)
        a[:, :n, rows] += takes.T * (out_v * by)[:, None, :]
        taken = np.where(held, net.most_in, np.where(flat, out_v * out_a / (net.efficiency * in_v), 0.0))
        b[:, :n] -= taken @ takes
        if not held.any():
            return
        most = net.efficiency * net.most_in
        s, c = np.nonzero(held & ~flat)
        a[s, rows[c], :n] = out_a[s, c][:, None] * out[c] - most[c][:, None] * takes[c]
        a[s, rows[c], rows[c]] = out_v[s, c]
        b[s, rows[c]] = out_v[s, c] * out_a[s, c]
        s, c = np.nonzero(held & flat)
        b[s, rows[c]] = most[c] * in_v[s, c] / out_v[s, c]

    def _agree(self, t: Which) -> Bools:
        """Change the pieces that the answer contradicts; returns which states changed."""
        net, p = self.net, self.p
        across = self.v[t] @ net.across_t
        emfs, diodes, _, _ = net.part
        flips: list[Bools] = []
        if net.emfs:
            above = across[:, emfs] - p["emf_v"][t]
            flips.append(np.where(self.charging[t], -above, above) > CORNER_V)
        if net.diodes:
            flips.append((across[:, diodes] > p["diode_v"][t]) != self.conducts[t])
        wanted = self.mode[t]
        if self.m:
            wanted = self._wanted_modes(t)
            flips.append(wanted != self.mode[t])
        flip = np.concatenate(flips, axis=1) if flips else np.zeros((len(across), 0), dtype=bool)
        if self.turn >= ALL_AT_ONCE_ROUNDS:
            # The lowest that disagrees, alone: least-index pivoting comes to an end where turning all at once may circle.
            alone = self.flips[t] >= ALL_AT_ONCE_ROUNDS
            flip &= (np.cumsum(flip, axis=1) == 1) | ~alone[:, None]
        self.flips[t] += 1
        at = 0
        if net.emfs:
            self.charging[t] ^= flip[:, : len(net.emfs)]
            at += len(net.emfs)
        if net.diodes:
            self.conducts[t] ^= flip[:, at : at + len(net.diodes)]
            at += len(net.diodes)
        back = None
        if self.m:
            if self.curved:
                back = ((self.mode[t] == AT_LIMIT) & (wanted == REGULATING)).any(axis=1)
            self.mode[t] = np.where(flip[:, at:], wanted, self.mode[t])
        moved: Bools = np.asarray(flip.any(axis=1), dtype=bool)
        if self.curved:
            if back is not None and back.any():
                self._fall(t, back)
            if not moved.any():
                moved = self._bend(t, across) | self.flat[t]
                self.flat[t] = False
                return moved
            self.flat[_among(t, moved)] = True
            rest = ~moved
            if rest.any():
                still = _among(t, rest)
                moved[rest] = self._bend(still, across[rest]) | self.flat[still]
                self.flat[still] = False
        return moved

    def _fall(self, t: Which, back: Bools) -> None:
        """From the higher operating point to the lower, where the higher is none any more.

        back: states in which a source left its limit to regulate again
        Just below the current that the higher point takes, a source at its limit seems to lift the voltage over its set point,
        and regulating it asks for more than its limit: round and round. What is there then is the lower point, where the
        batteries give; the state goes on from them discharging.
        """
        self.bounces[t] += back
        falling = back & (self.bounces[t] == FALLS_AFTER)
        if falling.any():
            falls = _among(t, falling)
            self.mode[falls] = np.where(self.mode[falls] == REGULATING, AT_LIMIT, self.mode[falls])
            self.charging[falls] = False
            self.flips[falls] = 0
            lowest = self.p["emf_v"][falls].min(axis=1, initial=np.inf)[:, None]
            for point in (self.load_v, self.in_v):
                point[falls] = np.minimum(point[falls], lowest)

    def _bend(self, t: Which, across: Floats) -> Bools:
        """Move the tangents of what is curved to where the answer lies; returns in which states they moved.

        Only in states whose straight pieces agree, see `flat`. From a voltage above the operating point Newton's method
        comes down to it, and not to the lower one, where a load of constant power has collapsed.
        """
        net, volts = self.net, self.v[t]
        moved = np.zeros(len(across), dtype=bool)
        points = [(self.load_v, across[:, net.part[2]])] if net.loads else []
        if net.converters:
            points += [(self.in_v, volts @ net.inputs.T), (self.out_v, volts @ net.senses[self.k :].T)]
        for point, found in points:
            # A step that goes below a third of the voltage before has overshot.
            least = point[t] / 3
            new = np.maximum(found, least)
            asked: Bools | bool = True
            if point is self.load_v:
                self.wandered[t] += (found > point[t] + SETTLED_V) | (found < least)
                asked = self.load_on[t]
            if point is self.in_v:
                moved |= self._collapse(t, (found < np.maximum(least, net.starves_below)) | (found > self.wild_v))
            moved |= ((np.abs(new - point[t]) > SETTLED_V) & asked).any(axis=1)
            point[t] = new
        if net.converters:
            out_a = np.maximum(self.x[t, self.k :], 0.0)
            moved |= (np.abs(out_a - self.out_a[t]) > SETTLED_V).any(axis=1)
            self.out_a[t] = out_a
        return moved

    def _collapse(self, t: Which, overshot: Bools) -> Bools:
        """Converters whose input finds no voltage above their cut-off stop: that is what it is for. Returns in which states one did.

        From above Newton's method overshoots once, where it comes down to its answer, and again and again where there is none;
        and an answer below the cut-off would not stay.
        """
        if not overshot.any():
            return np.zeros(len(overshot), dtype=bool)
        self.overshoots[t] += overshot
        before = self.starved[t]
        stopped = (self.overshoots[t] >= COLLAPSED_AFTER) & (self.net.starves_below > 0) & ~before
        self.starved[t] = before | stopped
        return np.asarray(stopped.any(axis=1))

    def _events(self, t: NDArray[np.int64]) -> Bools:
        """What happens at voltages that have come to rest: cut-offs that latch, links that turn."""
        net = self.net
        happened = np.zeros(len(t), dtype=bool)
        if net.loads:
            volts = self.v[t] @ net.across[net.part[2]].T
            cut = self.load_on[t] & (volts < self.p["load_cut_off_v"][t])
            self.load_on[t] &= ~cut
            happened |= cut.any(axis=1)
        if net.converters:
            starving = (self.v[t] @ net.inputs.T < net.starves_below) & ~self.starved[t]
            self.starved[t] |= starving
            happened |= starving.any(axis=1)
        if net.links:
            sensed = self.v[t] @ net.link_senses.T
            closed, turns = self.closed[t], self.turns[t]
            flip = np.where(closed, sensed < net.cut_out, (sensed > net.cut_in) & (turns < CHATTERS_AFTER))
            self.closed[t] = closed ^ flip
            self.turns[t] = turns + flip
            happened |= flip.any(axis=1)
        return happened

    def _lose(self, t: NDArray[np.int64]) -> None:
        """Loads whose voltage finds no rest go off, which is what a cut-off is for, of those of one state the one with the highest first."""
        lost = (self.wandered[t] >= COLLAPSED_AFTER).any(axis=1)
        if not lost.any():
            return
        t = t[lost]
        cut_off = np.where(self.load_on[t] & (self.wandered[t] >= COLLAPSED_AFTER), self.p["load_cut_off_v"][t], 0.0)
        first = cut_off.argmax(axis=1)
        has_one = cut_off[np.arange(len(t)), first] > 0
        t = t[has_one]
        self.load_on[t, first[has_one]] = False
        # The others from above again: the higher operating point is meant.
        self.load_v[t], self.flat[t], self.wandered[t] = self.highest_v, True, 0

    def _wanted_modes(self, t: Which) -> NDArray[np.int8]:
        mode, x, limit = self.mode[t], self.x[t], self.limit[t]
        sensed = self.v[t] @ self.net.senses.T
        short = sensed < self.set_point[t]
        regulating, wanted = mode == REGULATING, mode.copy()
        np.copyto(wanted, OFF, where=regulating & (x < -NOTHING_A))
        np.copyto(wanted, AT_LIMIT, where=regulating & (x > limit))
        np.copyto(wanted, REGULATING, where=(mode == AT_LIMIT) & ~short)
        np.copyto(wanted, REGULATING, where=(mode == OFF) & short & (limit > 0))
        if self.net.converters:
            wanted[:, self.k :] = self._wanted_of_converters(t, wanted[:, self.k :], sensed[:, self.k :])
        return wanted

    def _wanted_of_converters(self, t: Which, wanted: NDArray[np.int8], out_v: Floats) -> NDArray[np.int8]:
        net, mode = self.net, self.mode[t, self.k :]
        out_a = self.x[t, self.k :]
        in_v = self.v[t] @ net.inputs.T
        too_much = out_v * out_a > net.efficiency * net.most_in * np.maximum(in_v, 0.1) * (1 + 1e-12)
        giving = (mode == REGULATING) | (mode == AT_LIMIT)
        wanted = np.where(giving & (wanted != OFF) & too_much & (out_a <= self.limit[t, self.k :] + 1e-9), BY_INPUT, wanted)
        held = mode == BY_INPUT
        wanted = np.where(held & (out_a > self.limit[t, self.k :]), AT_LIMIT, wanted)
        wanted = np.where(held & (out_v > self.set_point[t, self.k :]), REGULATING, wanted)
        return np.where(self.starved[t], OFF, wanted)

    def restless(self, todo: NDArray[np.int64]) -> NoOperatingPointError:
        """Which elements ask for too much in the first of some states that find no rest."""
        state = todo[:1]
        across = self.v[state] @ self.net.across_t
        loads = across[0, self.net.part[2]]
        low = [
            x.id
            for x, v, on in zip(self.net.loads, loads, self.load_on[state[0]], strict=True)
            if on and v < 0.6 * self.load_v.max()
        ]
        ids = low or [x.id for x in self.net.loads] or [c.id for c in self.net.converters] or [s.id for s in self.net.sources]
        return NoOperatingPointError(
            f"No operating point: {', '.join(ids)} asks for more than the circuit can deliver, and the voltage collapses.",
            ids,
        )

    def slopes(self) -> Slopes:
        """What each resistance, battery and regulated source does to the answer, all states at rest.

        Source: the nodal equations differentiated; a resistance that changes by dR acts like a current i dR / R injected along it.
        """
        net, k, p = self.net, self.n, self.p
        spend(SLOPE_WORK * self.states * len(net.nodes) * len(net.starts))
        emfs, diodes, _, links = net.part
        ohm = self.given["resistor_ohm"]
        unit = self.answer.resistor_a / ohm
        matrix, _ = self.linear()
        behind = np.where(self.charging, p["emf_charging_ohm"], p["emf_ohm"])
        moved = net.through * unit[:, None, :]
        many, own_emfs, own_sources = moved.shape[2], len(net.emfs), self.k
        at_emf, at_behind, at_set = many, many + own_emfs, many + 2 * own_emfs
        at_limit = at_set + own_sources
        count = at_limit + own_sources
        through_emf = self.answer.emf_a / behind
        pushed = np.zeros((self.states, len(matrix[0]), count))
        pushed[:, :k, :many] = moved[:, :k] - np.matmul(self.red.follows.transpose(0, 2, 1), moved[:, k:])
        pushed[:, :k, at_emf:at_behind] = net.across[emfs].T / behind[:, None, :]
        pushed[:, :k, at_behind:at_set] = net.across[emfs].T * through_emf[:, None, :]
        each = np.arange(own_sources)
        mode = self.mode[:, :own_sources]
        pushed[:, k + each, at_set + each] = mode == REGULATING
        pushed[:, k + each, at_limit + each] = (mode == AT_LIMIT) | (mode == FORCED)
        solved: Floats = np.asarray(np.linalg.solve(matrix, pushed), dtype=float)
        kept = solved[:, :k]
        inner = -np.matmul(self.red.follows, kept)
        if inner.shape[1]:
            inner[:, :, :many] += net.solve_inner(self.red.inner, moved[:, k:])
        coordinates = np.concatenate((kept, inner, np.zeros((self.states, 1, count))), axis=1)
        node_v = coordinates + coordinates.take(net.common, axis=1)
        flow = self.g[:, :, None] * np.matmul(net.across, kept)
        every = np.arange(own_emfs)
        flow[:, every, at_emf + every] -= 1.0 / behind
        flow[:, every, at_behind + every] -= through_emf
        own = np.arange(many)
        resistor_a = (node_v.take(net.starts, axis=1) - node_v.take(net.ends, axis=1)) / ohm[:, :, None]
        resistor_a[:, own, own] -= unit
        return Slopes(node_v, resistor_a, flow[:, emfs], solved[:, k : k + self.k], flow[:, diodes], flow[:, links])

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
        taken = out_a
        if net.converters:
            in_v, out_v = self.v @ net.inputs.T, self.v @ net.senses[self.k :].T
            taken = out_v * out_a / (net.efficiency * np.where(in_v > 0, in_v, 1.0))
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
            converter_in_a=taken,
            converter_mode=self.mode[:, self.k :],
            converter_starved=self.starved,
        )


def _among(t: Which, which: NDArray[np.int64] | Bools | slice) -> Which:
    """Of the states `t` those that `which` picks."""
    if isinstance(which, slice):
        return t
    if isinstance(t, slice):
        return np.flatnonzero(which) if which.dtype == bool else which.astype(np.int64)
    return np.asarray(t[which])
