"""A stud whose voltage was read while its output was known: the batteries lie where that voltage says."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.operating.engine import Engine

Floats = NDArray[np.float64]

SWEPT = (
    "resistor_ohm", "limit_a", "set_point_v", "emf_v", "emf_ohm", "emf_charging_ohm", "forced_a", "link_ohm", "converter_limit_a",
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
        self.stud_v, self.back_v = engine.state.stud_v[alternator_id], np.asarray(engine.values().emf_v, dtype=float) - as_read_v
        self.held, self.output_a = held, engine.state.output_a[alternator_id]
        self.rounds, (self.least, self.most) = (HELD_ROUNDS, GAINS_HELD) if held else (LIFT_ROUNDS, GAINS)
        self.own = next(k for k, s in enumerate(engine.network.sources) if s.id == alternator_id)
        self.per_amp = float(np.asarray(engine.values().emf_charging_ohm, dtype=float).min())
        """Volts of the batteries that an ampere of a held stud is taken for."""

    def met(self, network: net.Network, values: net.Values, near: net.Batch | None, sound: net.Batch | None) -> net.Solved:
        """Rows with the voltage met.

        values: of the rows; near: a state at rest that they are near, if any
        sound: the state with nothing broken, which shows what the loads leave of a step; None where there is none
        """
        usual, known = 1.0, values
        values = self.engine.holding(values) if self.held else values
        if sound is not None:
            usual = float(self._gain(network, sound.slopes(), self._reached(network, sound.answer.link_closed))[0])
            usual = usual if usual > self.least else 1.0
        begun = emf = np.asarray(values.emf_v, dtype=float)
        found = network.solve_many(replace(values, emf_v=emf), near, lenient=True)
        before, step = np.zeros(len(emf)), np.zeros(len(emf))
        left = np.arange(len(emf))
        for k in range(self.rounds):
            here = self._short(network, found)[left]
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
            reached = self._reached(network, found.link_closed[left])
            emf = emf.copy()
            emf[left] = np.where(reached, emf[left] + step[left][:, None], begun[left] + self.back_v)
            some = {n: getattr(values, n)[left] for n in SWEPT}
            again = network.solve_many(replace(values, **{**some, "emf_v": emf[left]}), near, lenient=True)
            found = net.merged(found, left, again)
        missed = self._missed(network, found)
        if missed.any():
            some = {n: getattr(known, n)[missed] for n in SWEPT}
            found = net.merged(found, missed, network.solve_many(replace(known, **some), lenient=True))
        return found

    def _missed(self, network: net.Network, found: net.Solved) -> NDArray[np.bool_]:
        """Rows whose held stud cannot give what is known of it: something is open, and the output is forced after all."""
        if not self.held:
            return np.zeros(len(found.node_v), dtype=bool)
        return np.isnan(found.source_a[:, self.own]) | (np.abs(self._short(network, found)) > MISSED_V)

    def met_with_slopes(self, network: net.Network, values: net.Values, sound: net.Batch | None) -> tuple[net.Solved, net.Slopes]:
        """The same for a few rows, with slopes along which the voltage stays met.

        sound: the state with nothing broken, to begin from
        """
        known = values
        values = self.engine.holding(values) if self.held else values
        begun = emf = np.asarray(values.emf_v, dtype=float)
        own = np.arange(len(begun))
        near, which = (None, None) if sound is None else (sound.at_rest, np.zeros_like(own))
        for k in range(self.rounds):
            found, slopes, near = network.solve_with_slopes(replace(values, emf_v=emf), near, which)
            which = own
            here = self._short(network, found)
            reached = self._reached(network, found.link_closed)
            gain = self._gain(network, slopes, reached)
            step = np.where(np.abs(here) > LIFTED_V, here / np.where(gain > self.least, gain, 1.0), 0.0)
            if np.abs(here).max() <= STRAIGHT_V or k == self.rounds - 1:
                break
            emf = np.where(step[:, None] == 0.0, emf, np.where(reached, emf + step[:, None], begun + self.back_v))
        # What is left is so little that the slopes carry it.
        last = np.where(reached & (np.abs(here) <= STRAIGHT_V)[:, None], step[:, None], 0.0)
        emfs = of_emfs(network)
        found = replace(
            found,
            **{
                f.name: getattr(found, f.name) + (getattr(slopes, f.name)[:, :, emfs] @ last[:, :, None])[:, :, 0]
                for f in fields(net.Slopes)
            },
        )
        slopes = self._made_good(network, slopes, reached)
        missed = self._missed(network, found)
        if missed.any():
            some = {n: getattr(known, n)[missed] for n in SWEPT}
            forced, along, _ = network.solve_with_slopes(replace(known, **some))
            found, slopes = net.merged(found, missed, forced), net.merged(slopes, missed, along)
        return found, slopes

    def _moved(self, network: net.Network, slopes: net.Slopes) -> Floats:
        """What each unknown does to what is to be met: the stud's voltage, or what it gives as volts of the batteries, by row."""
        if self.held:
            return np.asarray(-slopes.source_a[:, self.own] * self.per_amp)
        stud, case = network.row[self.alternator.stud_node], network.row[self.alternator.case_node]
        return np.asarray(slopes.node_v[:, stud] - slopes.node_v[:, case])

    def _gain(self, network: net.Network, slopes: net.Slopes, reached: NDArray[np.bool_]) -> Floats:
        """What that follows of a step of all the batteries that the stud reaches, by row."""
        return np.asarray((self._moved(network, slopes)[:, of_emfs(network)] * reached).sum(axis=1))

    def _made_good(self, network: net.Network, slopes: net.Slopes, reached: NDArray[np.bool_]) -> net.Slopes:
        """Slopes with it met whatever moves: the batteries that the stud reaches make good what would be lost."""
        emfs = of_emfs(network)
        gain = self._gain(network, slopes, reached)
        share = -self._moved(network, slopes) / np.where(np.abs(gain) > self.least, gain, np.inf)[:, None]

        def with_lift(own: Floats) -> Floats:
            lifted = np.einsum("sek,sk->se", own[:, :, emfs], reached.astype(float))
            return np.asarray(own + lifted[:, :, None] * share[:, None, :])

        return net.Slopes(*(with_lift(getattr(slopes, f.name)) for f in fields(net.Slopes)))

    def _short(self, network: net.Network, found: net.Solved) -> Floats:
        """By how much each row misses what is to be met [V]; one without an operating point misses nothing."""
        if self.held:
            return np.nan_to_num((found.source_a[:, self.own] - self.output_a) * self.per_amp)
        stud, case = network.row[self.alternator.stud_node], network.row[self.alternator.case_node]
        return np.nan_to_num(self.stud_v - (found.node_v[:, stud] - found.node_v[:, case]))

    def _reached(self, network: net.Network, closed: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Which batteries the stud reaches, by row."""
        patterns, which = np.unique(closed, axis=0, return_inverse=True)
        by_pattern = [
            self.engine.reached(self.alternator.stud_node, {x.id for x, c in zip(network.links, own, strict=True) if not c})
            for own in patterns
        ]
        return np.array(by_pattern, dtype=bool)[which.reshape(-1)]


def of_emfs(network: net.Network) -> slice:
    """Where the batteries' voltages are among the unknowns of a network's slopes."""
    return slice(len(network.resistors), len(network.resistors) + len(network.emfs))
