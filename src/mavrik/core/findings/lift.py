"""A stud whose voltage was read while its output was known: the batteries lie where that voltage says."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.operating.engine import Engine

Floats = NDArray[np.float64]

SWEPT = (
    "resistor_ohm", "limit_a", "set_point_v", "emf_v", "emf_ohm", "emf_charging_ohm", "forced_a", "link_ohm", "converter_limit_a",
    "diode_v",
)  # fmt: skip
"""What differs from one row to the next."""

LIFT_ROUNDS, HELD_ROUNDS = 4, 8
LIFTED_V = 0.001
"""A stud voltage is met when no meter of the bench would tell."""
GAINS, GAINS_HELD = (0.2, 1.0), (1e-4, 1e4)
"""What a step may gain of itself: of a stud's voltage the loads take less than this leaves; a stud that is held gives by another
resistance as soon as a battery turns from taking to giving."""
MISSED_V = 0.02
"""What is farther off after all rounds no charge of the batteries meets."""

STRAIGHT_V = 0.02
"""So little more of a voltage is found along the slopes as well as by solving again."""


class Lift:
    """A stud whose voltage was read, in a circuit with links or one whose output cannot be forced: what is lost on the way the
    batteries are lower by.

    A link may open at that; what is behind it then takes nothing of the output and stays where the document has it.
    """

    def __init__(self, engine: Engine, alternator_id: str, as_read_v: Floats, held: bool) -> None:
        """as_read_v: open-circuit voltages with nothing broken, by the network's order; held: as `Engine.held` says why."""
        self.engine, self.alternator = engine, next(a for a in engine.circuit.alternators if a.id == alternator_id)
        self.held, self.back_v = held, np.asarray(engine.values().emf_v, dtype=float) - as_read_v
        self.rounds, (self.least, self.most) = (HELD_ROUNDS, GAINS_HELD) if held else (LIFT_ROUNDS, GAINS)
        unit = self.alternator
        self.probe: net.Probe = net.Through(alternator_id) if held else net.Across(unit.stud_node, unit.case_node)
        """What is to be met: what the unit gives, or its voltage."""
        self.volts, self.target_v = 1.0, engine.state.stud_v[alternator_id]
        if held:
            # An ampere of a held stud is taken for so many volts of the batteries.
            self.volts = -float(np.asarray(engine.values().emf_charging_ohm, dtype=float).min())
            self.target_v = self.volts * engine.state.output_a[alternator_id]

    def met(self, network: net.Network, values: net.Values, near: net.Batch | None, sound: net.Batch | None) -> net.Solved:
        """Rows with the voltage met.

        values: of the rows; near: a state at rest that they are near, if any
        sound: the state with nothing broken, which shows what the loads leave of a step; None where there is none
        """
        usual, known, probes = 1.0, values, net.Probes(network, [self.probe], [0])
        values = self.engine.holding(values) if self.held else values
        if sound is not None:
            moved = self.volts * probes.slopes(sound, np.zeros(1, dtype=np.int64))[:, 0]
            usual = float(_gain(network, moved, self._reached(network, sound.answer.link_closed))[0])
            usual = usual if usual > self.least else 1.0
        begun = emf = np.asarray(values.emf_v, dtype=float)
        solved = network.solve_many(replace(values, emf_v=emf), near, lenient=True)
        before, step = np.zeros(len(emf)), np.zeros(len(emf))
        left = np.arange(len(emf))
        for k in range(self.rounds):
            here = self._short(probes.read(solved, 1))[left]
            left, here = left[off := np.abs(here) > LIFTED_V], here[off]
            if not len(left):
                break
            # What hangs on the batteries takes its share of a step, which the one before has shown; anything else than a
            # share was a link that opened or closed on the way.
            gain = np.full(len(left), usual)
            if k:
                share = (before[left] - here) / step[left]
                gain = np.where((share > self.least) & (share < self.most), share, usual if self.held else 1.0)
            step[left], before[left] = here / gain, here
            reached = self._reached(network, solved.link_closed[left])
            emf = emf.copy()
            emf[left] = np.where(reached, emf[left] + step[left][:, None], begun[left] + self.back_v)
            some = {n: getattr(values, n)[left] for n in SWEPT}
            again = network.solve_many(replace(values, **{**some, "emf_v": emf[left]}), near, lenient=True)
            solved = net.merged(solved, left, again)
        missed = self._missed(probes.read(solved, 1))
        if missed.any():
            some = {n: getattr(known, n)[missed] for n in SWEPT}
            solved = net.merged(solved, missed, network.solve_many(replace(known, **some), lenient=True))
        return solved

    def _missed(self, shown: Floats) -> NDArray[np.bool_]:
        """Rows whose held stud cannot give what is known of it: something is open, and the output is forced after all."""
        if not self.held:
            return np.zeros(shown.shape[1], dtype=bool)
        return np.asarray(np.isnan(shown[-1]) | (np.abs(self._short(shown)) > MISSED_V))

    def met_with_slopes(
        self, network: net.Network, values: net.Values, sound: net.Batch | None, probes: net.Probes
    ) -> tuple[Floats, Floats, Floats]:
        """The same for a few rows: what probes show, with slopes along which the voltage stays met.

        sound: the state with nothing broken, to begin from; probes: in this one state, `probe` at its end
        Returns what goes into the batteries (rows, batteries), what all probes but the last show (probes, rows), and what each value
        does to that (probes, rows, values).
        """
        known = values
        values = self.engine.holding(values) if self.held else values
        begun = emf = np.asarray(values.emf_v, dtype=float)
        states = np.arange(len(begun))
        near, which = (None, None) if sound is None else (sound.at_rest, np.zeros_like(states))
        for k in range(self.rounds):
            solved, by, near = network.solve_with_slopes(replace(values, emf_v=emf), probes, None, near, which)
            which, shown, slopes = states, probes.read(solved, 1), probes.by_probe(by, 1)
            here, moved = self._short(shown), self.volts * slopes[-1]
            reached = self._reached(network, solved.link_closed)
            gain = _gain(network, moved, reached)
            step = np.where(np.abs(here) > LIFTED_V, here / np.where(gain > self.least, gain, 1.0), 0.0)
            if np.abs(here).max() <= STRAIGHT_V or k == self.rounds - 1:
                break
            emf = np.where(step[:, None] == 0.0, emf, np.where(reached, emf + step[:, None], begun + self.back_v))
        # What is left is so little that the slopes carry it.
        last = np.where(reached & (np.abs(here) <= STRAIGHT_V)[:, None], step[:, None], 0.0)
        emfs = of_emfs(network)
        shown = shown + (slopes[:, :, emfs] * last).sum(axis=2)
        # The batteries that the stud reaches make good what would be lost.
        share = -moved / np.where(np.abs(gain) > self.least, gain, np.inf)[:, None]
        slopes = slopes + (slopes[:, :, emfs] * reached).sum(axis=2)[:, :, None] * share
        into = solved.emf_a
        missed = self._missed(shown)
        if missed.any():
            some = {n: getattr(known, n)[missed] for n in SWEPT}
            forced, along, _ = network.solve_with_slopes(replace(known, **some), probes)
            into = into.copy()
            into[missed], shown[:, missed], slopes[:, missed] = forced.emf_a, probes.read(forced, 1), probes.by_probe(along, 1)
        return into, shown[:-1], slopes[:-1]

    def _short(self, shown: Floats) -> Floats:
        """By how much each row misses what is to be met [V]; one without an operating point misses nothing.

        shown: by the probes, `probe` at their end (probes, rows)
        """
        return np.asarray(np.nan_to_num(self.target_v - self.volts * shown[-1]))

    def _reached(self, network: net.Network, closed: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Which batteries the stud reaches, by row."""
        patterns, which = np.unique(closed, axis=0, return_inverse=True)
        by_pattern = [
            self.engine.reached(self.alternator.stud_node, {x.id for x, c in zip(network.links, pattern, strict=True) if not c})
            for pattern in patterns
        ]
        return np.array(by_pattern, dtype=bool)[which.reshape(-1)]


def _gain(network: net.Network, moved: Floats, reached: NDArray[np.bool_]) -> Floats:
    """What follows of a step of all the batteries that the stud reaches, by row.

    moved: what each value does to what is to be met (rows, values) [V]
    """
    return np.asarray((moved[:, of_emfs(network)] * reached).sum(axis=1))


def of_emfs(network: net.Network) -> slice:
    """Where the batteries' voltages are among the unknowns of a network's slopes."""
    return slice(len(network.resistors), len(network.resistors) + len(network.emfs))
