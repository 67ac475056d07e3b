"""A batch of states on its way to rest.

Everything that is not linear is a handful of straight pieces: a battery charges or discharges, a diode conducts or blocks, a
regulator regulates, is at its limit or is off, a link is open or closed. Each round assumes a piece for each element, solves,
looks whether the answer agrees, and changes those that do not. Loads of constant power and converters are curved; they are
solved by Newton's method along with the rest.
"""

from __future__ import annotations

from dataclasses import fields

import numpy as np
from numpy.typing import NDArray

from mavrik.core.effort import spend
from mavrik.core.network.elements import Bools, Floats, NoOperatingPointError, Solved
from mavrik.core.network.pieces import (
    ALL,
    AT_LIMIT,
    BY_INPUT,
    CHATTERS_AFTER,
    FORCED,
    OFF,
    REGULATING,
    SETTLED_V,
    AtRest,
    Pieces,
    Which,
    among,
)  # fmt: skip

MOST_ROUNDS = 80
ALL_AT_ONCE_ROUNDS = 12
"""As long as all elements that disagree change together; then one a round, which cannot go in circles."""

TRIP_ROUND = 40
"""Without rest by then, whatever has a cut-off and lies below it is off: that is what the cut-off is for."""

FALLS_AFTER = 4
"""A source that has gone back from its limit so often will not stay."""

CORNER_V = 1e-10
"""A battery without a load lies on the corner between giving and taking, and rounding would turn it for ever."""

NOTHING_A = 1e-9
"""A source that regulates an open circuit gives its leak, or by rounding a little less than nothing: that is no reason to go off."""

COLLAPSED_AFTER = 6
"""So many overshoots are no way down to an operating point. From above Newton's method comes straight down to one, after a step up
where it began too low, and again with each piece that changes: four at most in some ten thousand states of the yard's vehicles."""

ROUND_WORK, STATE_WORK = 300.0, 0.1
"""What a round, and each state in it, count for; measured on two networks, rough."""


class Batch(Pieces):
    """One batch of states on its way to rest."""

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
        mode = self.mode[t]
        if self.m:
            mode = self._wanted_modes(t)
            flips.append(mode != self.mode[t])
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
                back = ((self.mode[t] == AT_LIMIT) & (mode == REGULATING)).any(axis=1)
            self.mode[t] = np.where(flip[:, at:], mode, self.mode[t])
        moved: Bools = np.asarray(flip.any(axis=1), dtype=bool)
        if self.curved:
            if back is not None and back.any():
                self._fall(t, back)
            if not moved.any():
                moved = self._bend(t, across) | self.flat[t]
                self.flat[t] = False
                return moved
            self.flat[among(t, moved)] = True
            rest = ~moved
            if rest.any():
                still = among(t, rest)
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
            falls = among(t, falling)
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
        for point, solution in points:
            # A step that goes below a third of the voltage before has overshot.
            least = point[t] / 3
            new = np.maximum(solution, least)
            within: Bools | bool = True
            if point is self.load_v:
                self.wandered[t] += (solution > point[t] + SETTLED_V) | (solution < least)
                within = self.load_on[t]
            if point is self.in_v:
                moved |= self._collapse(t, (solution < np.maximum(least, net.starves_below)) | (solution > self.wild_v))
            moved |= ((np.abs(new - point[t]) > SETTLED_V) & within).any(axis=1)
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
        regulating, modes = mode == REGULATING, mode.copy()
        np.copyto(modes, OFF, where=regulating & (x < -NOTHING_A))
        np.copyto(modes, AT_LIMIT, where=regulating & (x > limit))
        np.copyto(modes, REGULATING, where=(mode == AT_LIMIT) & ~short)
        np.copyto(modes, REGULATING, where=(mode == OFF) & short & (limit > 0))
        if self.net.converters:
            modes[:, self.k :] = self._wanted_of_converters(t, modes[:, self.k :], sensed[:, self.k :])
        return modes

    def _wanted_of_converters(self, t: Which, modes: NDArray[np.int8], out_v: Floats) -> NDArray[np.int8]:
        net, mode = self.net, self.mode[t, self.k :]
        out_a = self.x[t, self.k :]
        in_v = self.v[t] @ net.inputs.T
        too_much = out_v * out_a > net.efficiency * net.most_in * np.maximum(in_v, 0.1) * (1 + 1e-12)
        giving = (mode == REGULATING) | (mode == AT_LIMIT)
        modes = np.where(giving & (modes != OFF) & too_much & (out_a <= self.limit[t, self.k :] + 1e-9), BY_INPUT, modes)
        held = mode == BY_INPUT
        modes = np.where(held & (out_a > self.limit[t, self.k :]), AT_LIMIT, modes)
        modes = np.where(held & (out_v > self.set_point[t, self.k :]), REGULATING, modes)
        return np.where(self.starved[t], OFF, modes)

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
