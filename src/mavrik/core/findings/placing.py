"""Where the unknowns of a vehicle sit among the values of a network, in several states of the bench at once.

A call of numpy costs more than its rows do: all states of one network have their values made, and their slopes chained, together.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from functools import cached_property
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.circuit import Alternator, Circuit
from mavrik.core.findings.changes import What
from mavrik.core.findings.hypotheses import Hypothesis, Unnoted
from mavrik.core.findings.lift import SWEPT, Lift
from mavrik.core.findings.unknowns import LEAST_SHARE, Unknowns
from mavrik.core.operating.bench_states import RUNNING
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.operating.elements import SLIP_UNLOADED
from mavrik.core.operating.state import State
from mavrik.core.procedures import BenchState, Setup

Floats: TypeAlias = NDArray[np.float64]
Places: TypeAlias = NDArray[np.int64]

OPEN_OHM = 1e7
NO_DRAIN_S = 1e-9
LEAST_OHM = 1e-6
"""No metal has less, however far a trial goes below what is sound."""

CONTACT = "contact:"
"""Before the id of a link or of an isolator's way: the resistor that its contacts are."""

BYPASS = "bypass:"
"""Before the id of an isolator's way: what is beside it once it conducts both ways."""

SHORT_OHM = 5e-4
"""Of a diode that has failed short: its metal. Common practice, rough, no source."""

IDLES_BELOW_RPM = 1400.0
"""A unit has what it has at idle up to here, midway to the speed that tests ask for [1/min of the engine]."""

CONSUMERS_OF = {
    BenchState.KEY_ON: What.KEY_ON_A,
    BenchState.IDLE_LOADED: What.CONSUMERS_A,
    BenchState.FAST_LOADED: What.CONSUMERS_A,
}
"""What a state of the bench takes some amperes to be, where no document says."""

MOST_SLIP = 0.9
SLIP_STEP = 0.01


@dataclass(frozen=True)
class Assembled:
    """A circuit at one state of the bench, with the values of its document."""

    setup: Setup
    state: State
    network: net.Network
    values: net.Values
    rest: net.Batch | None
    """With nothing changed; None where it has no operating point."""
    lift: Lift | None
    consumers_a: float
    """What all consumers take that no document lists."""
    slip_shown: float
    """What of a belt's slip shows."""
    off: frozenset[str]
    """Loads that take nothing in this state."""

    @property
    def name(self) -> BenchState:
        """The state's."""
        return self.setup.state


class Placing:
    """The unknowns of a vehicle among the values of a network, in some states of the bench; arrays are (states, suspects, ...)."""

    def __init__(
        self,
        circuit: Circuit,
        unknowns: Unknowns,
        many: Sequence[Assembled],
        slowing: Mapping[str, tuple[Floats, Floats]],
        idle_rpm: float,
    ) -> None:
        """many: states of one network, all of them at a known output or none.

        slowing: how much more slowly batteries take a charge the fuller they are, of those that were not read at rest
        idle_rpm: how fast the engine idles [1/min]
        """
        self.idle_rpm = idle_rpm
        self.circuit, self.unknowns, self.many = circuit, unknowns, tuple(many)
        self.network = many[0].network
        self.at_output = many[0].name is BenchState.AT_OUTPUT
        self.running, self.asleep, self.cranking = (
            np.array([at.name in names for at in many]) for names in (RUNNING, {BenchState.ASLEEP}, {BenchState.CRANKING})
        )
        self.at_idle = self.running & np.array([at.state.engine_rpm < IDLES_BELOW_RPM for at in many])
        self.speed_noted = np.array([at.setup.engine_rpm is not None for at in many])
        self.usual = {name: np.stack([np.asarray(getattr(at.values, name), dtype=float) for at in many]) for name in SWEPT}
        self.rest_v = np.maximum(self.usual["emf_v"], 1.0)
        self.consumers = [
            (s, unknowns.place[CONSUMERS_OF[at.name], circuit.battery.id], at.consumers_a)
            for s, at in enumerate(many)
            if at.consumers_a
        ]
        """States in which consumers are on that no document lists: what is unknown of them, and what they usually take."""
        self.slowing = {k: slowing[e.id] for k, e in enumerate(self.network.emfs) if e.id in slowing}
        resistor = {r.id.removeprefix(CONTACT): k for k, r in enumerate(self.network.resistors)}
        self.resistor = resistor
        here = [(k, resistor[b]) for k, b in enumerate(unknowns.branch_ids) if b in resistor]
        self.metal, self.metal_at = [k for k, _ in here], [row for _, row in here]
        self.drains = [resistor[f"drain:{e.id}"] for e in self.network.emfs]
        self.units = [(k, a) for a in circuit.alternators for k, s in enumerate(self.network.sources) if s.id == a.id]
        self.listed, self.starters = (
            [resistor[x.id] for x in circuit.loads if x.cranking is cranking and x.id in resistor] for cranking in (False, True)
        )

    @cached_property
    def near(self) -> net.AtRest | None:
        """All of them with nothing changed."""
        rests = [at.rest.at_rest for at in self.many if at.rest is not None]
        return net.AtRest.joined(rests) if len(rests) == len(self.many) else None

    @cached_property
    def _others(self) -> dict[str, Floats]:
        """Values that no unknown moves: one row where all states share it."""
        others = {}
        for f in fields(net.Values):
            if f.name not in SWEPT:
                every = [np.asarray(getattr(at.values, f.name)) for at in self.many]
                others[f.name] = every[0] if all(np.array_equal(e, every[0]) for e in every) else np.stack(every)
        return others

    def _of_batteries(self, what: What) -> list[int]:
        return [self.unknowns.place[what, e.id] for e in self.network.emfs]

    @cached_property
    def _charge(self) -> list[int]:
        group = dict(self.unknowns.group_of)
        return [self.unknowns.place[What.CHARGE, group[e.id]] for e in self.network.emfs]

    def _slower(self, rows: Floats) -> Floats:
        """How much more slowly batteries take a charge than is documented, by its natural logarithm (suspects, batteries)."""
        takes_share = rows[:, self._of_batteries(What.TAKES_SHARE)]
        for batteries, common in self._alike[What.TAKES_ALIKE]:
            takes_share[:, batteries] += rows[:, [common]]
        for k, (volts, slower) in self.slowing.items():
            if self.at_output:
                # What they take together is known there, and how such a one shares it is its voltage's alone.
                takes_share[:, k] = 0.0
            else:
                takes_share[:, k] += np.interp(rows[:, self._charge[k]], volts, slower)
        return takes_share

    @cached_property
    def _alike(self) -> dict[What, list[tuple[list[int], int]]]:
        """Which batteries have something in common, and where that is, by what it is."""
        return {
            what: [
                ([k for k, e in enumerate(self.network.emfs) if e.id in group], self.unknowns.place[what, group[0]])
                for group in groups
            ]
            for what, groups in self.unknowns.alike.items()
        }

    @cached_property
    def _charged(self) -> tuple[list[int], list[int]]:
        """Which batteries' charge at a known output is an unknown, and where."""
        u = self.unknowns
        every = [(k, at) for k, e in enumerate(self.network.emfs) if (at := u.at(What.CHARGED, e.id)) is not None]
        return [k for k, _ in every], [at for _, at in every]

    @cached_property
    def _unlevel(self) -> tuple[list[int], list[int]]:
        """Which batteries lie beside others, or behind a way, and where what they are above those is."""
        u = self.unknowns
        every = [(k, at) for k, e in enumerate(self.network.emfs) if (at := u.at(What.UNLEVEL, e.id)) is not None]
        return [k for k, _ in every], [at for _, at in every]

    @cached_property
    def _forward(self) -> tuple[list[int], list[int]]:
        """Which diodes' forward voltage is an unknown, and where what they lose more is."""
        every = [(k, at) for k, d in enumerate(self.network.diodes) if (at := self.unknowns.at(What.FORWARD, d.id)) is not None]
        return [k for k, _ in every], [at for _, at in every]

    @cached_property
    def _main(self) -> int:
        """Which battery is the main one; what hangs on it and no document lists is an unknown."""
        return next(k for k, e in enumerate(self.network.emfs) if e.id == self.circuit.battery.id)

    @property
    def _nominal_v(self) -> float:
        """What a consumer's amperes are said at [V]."""
        return float(self.circuit.system_voltage_v)

    def values(self, suspects: Sequence[Hypothesis], rows: Floats, with_consumers: bool) -> net.Values:
        """The network's values of every suspect with its unknowns: a row each, the suspects of one state behind those of another.

        with_consumers: whether the rows say what consumers take; left out, they are what the bench takes them to be
        """
        states, count = len(self.many), len(suspects)
        parts, present = self._parts(suspects, rows), self._present(suspects)
        ohm = parts["resistor_ohm"]
        asleep_a = self.asleep[:, None] * np.array([self.unknowns.asleep_a[e.id] for e in self.network.emfs])
        siemens = np.maximum(rows[:, self._of_batteries(What.DRAIN_A)] + asleep_a[:, None, :], 0.0) / self.rest_v[:, None, :]
        if not self.at_output:
            siemens[:, :, self._main] += np.maximum(self._load_a(present, rows, with_consumers), 0.0) / self._nominal_v
        ohm[:, :, self.drains] = 1 / (NO_DRAIN_S + siemens)
        place = self.unknowns.place
        for k, a in self.units:
            parts["set_point_v"][:, :, k] += rows[:, place[What.SET_POINT, a.id]]
            parts["limit_a"][:, :, k] *= self._limit_share(a, rows, suspects) * self._slowed(a, suspects)
            if self.at_output and (another := place.get((What.ANOTHERS_A, a.id))) is not None:
                parts["forced_a"][:, :, k] = np.maximum(rows[:, another], 0.0)
        for where, what, column in (
            (self.running, What.LISTED_SHARE, self.listed),
            (self.cranking, What.STARTER_SHARE, self.starters),
        ):
            if column and where.any():
                share = np.exp(rows[:, place[what, self.circuit.battery.id]])
                ohm[:, :, column] /= np.where(where[:, None], share, 1.0)[:, :, None]
        np.maximum(ohm, LEAST_OHM, out=ohm)
        others = {n: column if column.ndim == 1 else np.repeat(column, count, axis=0) for n, column in self._others.items()}
        held = np.array([Unnoted.LINKS_CLOSED in h.unnoted for h in suspects], dtype=bool)
        if held.any():
            closed = (self.running[:, None] & held).reshape(-1, 1)
            others["link_closed"] = np.broadcast_to(others["link_closed"], (len(closed), len(self.network.links))) | closed
        return net.Values(**{name: column.reshape(states * count, -1) for name, column in parts.items()}, **others)

    def _parts(self, suspects: Sequence[Hypothesis], rows: Floats) -> dict[str, Floats]:
        """Every value as usual, but for metal and batteries, which are as each suspect's unknowns have them (states, suspects, ...)."""
        count, present = len(suspects), self._present(suspects)
        parts = {name: np.repeat(usual[:, None, :], count, axis=1) for name, usual in self.usual.items()}
        ohm = parts["resistor_ohm"]
        ohm[:, :, self.metal_at] += rows[:, self.metal] if present is None else rows[:, self.metal] * present[:, :, self.metal]
        for row, c in ((n, c) for n, h in enumerate(suspects) for c in h.at_times):
            if c.element in self.resistor:
                ohm[:, row, self.resistor[c.element]] += c.always
        diodes, forward = self._forward
        if diodes:
            parts["diode_v"][:, :, diodes] = np.maximum(parts["diode_v"][:, :, diodes] + rows[:, forward], 0.0)
        self._open(parts, suspects)
        logarithm = rows[:, self._of_batteries(What.OHM_SHARE)]
        for batteries, common in self._alike[What.OHM_ALIKE]:
            logarithm[:, batteries] += rows[:, [common]]
        share = np.exp(logarithm)
        inner, taking = parts["emf_ohm"], parts["emf_charging_ohm"]
        slower = taking * np.exp(self._slower(rows))
        parts["emf_charging_ohm"] = np.maximum(slower + inner * (share - 1), inner * share)
        parts["emf_ohm"] = inner * share
        self._charge_batteries(parts["emf_v"], suspects, rows)
        return parts

    def parts_alone(self, suspects: Sequence[Hypothesis], rows: Floats) -> dict[str, Floats]:
        """Metal and batteries of the first state, for what is read of one of them by itself (suspects, ...)."""
        parts = {name: rows_of_part[0] for name, rows_of_part in self._parts(suspects, rows).items()}
        parts["resistor_ohm"] = np.maximum(parts["resistor_ohm"], LEAST_OHM)
        return parts

    def _open(self, parts: dict[str, Floats], suspects: Sequence[Hypothesis]) -> None:
        """What is open with each suspect, and what stays off."""
        network = self.network
        link, converter = {x.id: k for k, x in enumerate(network.links)}, {x.id: k for k, x in enumerate(network.converters)}
        for row, h in enumerate(suspects):
            for c in h.stuck:
                if c.what is What.OPEN and c.element in self.resistor:
                    parts["resistor_ohm"][:, row, self.resistor[c.element]] = [
                        np.inf if c.element in at.off else OPEN_OHM for at in self.many
                    ]
                elif c.what is What.SHORTED and f"{BYPASS}{c.element}" in self.resistor:
                    parts["resistor_ohm"][:, row, self.resistor[f"{BYPASS}{c.element}"]] = SHORT_OHM
                elif c.what is What.OPEN and c.element in link:
                    parts["link_ohm"][:, row, link[c.element]] = OPEN_OHM
                elif c.what is What.OFF and c.element in converter:
                    parts["converter_limit_a"][:, row, converter[c.element]] = 0.0

    def _charge_batteries(self, emf_v: Floats, suspects: Sequence[Hypothesis], rows: Floats) -> None:
        """Open-circuit voltages with what is unknown of them; asleep, a fault's part has not levelled out, nor all of the rest."""
        if self.at_output:
            charged, at = self._charged
            emf_v[:, :, charged] += rows[:, at]
            return
        awake = ~self.asleep[:, None, None]
        emf_v += awake * (rows[:, self._of_batteries(What.EMF)] + rows[:, self._charge])
        if self.asleep.any():
            row = {e.id: k for k, e in enumerate(self.network.emfs)}
            less = np.zeros(emf_v.shape[1:])
            for n, h in enumerate(suspects):
                for c in h.changes:
                    if c.what is What.EMF and c.element in row:
                        less[n, row[c.element]] += c.amount
            emf_v += ~awake * less
            which, at = self._unlevel
            emf_v[:, :, which] += ~awake * rows[:, at]

    def _load_a(self, present: Floats | None, rows: Floats, with_consumers: bool) -> Floats:
        """What hangs on the main battery and no document lists (states, suspects) [A]."""
        more = self.unknowns.place[What.MORE_LOAD_A, self.circuit.battery.id]
        amps = self.running[:, None] * rows[:, more]
        if present is not None:
            amps = amps * present[:, :, more]
        for s, at, usual in self.consumers:
            amps[s] += rows[:, at] if with_consumers else usual
        return np.asarray(amps)

    def _present(self, suspects: Sequence[Hypothesis]) -> Floats | None:
        """What share of each unknown is there, by state and suspect: some come and go, some rise with the heat; None: all of all of them."""
        if not any(h.at_times for h in suspects):
            return None
        share = np.ones((len(self.many), len(suspects), len(self.unknowns)))
        for row, h in enumerate(suspects):
            for c in h.at_times:
                if (k := self.unknowns.at(c.what, c.element)) is not None:
                    share[:, row, k] = [c.share_in(at.name) for at in self.many]
        return share

    def present(self, suspects: Sequence[Hypothesis], unknown: int) -> Floats | float:
        """What share of one unknown is there in the first of the states, by suspect."""
        share = self._present(suspects)
        return 1.0 if share is None else np.asarray(share[0, :, unknown])

    def _slip_left(self, a: Alternator, slip: Floats, unloaded: Floats) -> Floats:
        """What of its output a unit has left under a belt that slips by so much where it is hardest to turn (states, suspects).

        unloaded: what of that shows more than usual with nothing on
        """
        share = np.ones((len(self.many), len(slip)))
        lost = np.clip(slip, 0.0, MOST_SLIP)
        if not lost.any():
            return share
        # Of states that differ in what is on alone a belt slips the same.
        alike: dict[tuple[float, float, float], list[int]] = {}
        for s, at in enumerate(self.many):
            if at.slip_shown:
                alike.setdefault((at.state.engine_rpm, at.state.alternator_c, at.slip_shown), []).append(s)
        for (rpm, warm, shown), states in alike.items():
            shaft = rpm * a.pulley_ratio
            part = np.clip(shown + unloaded, 0.0, 1.0) if shown == SLIP_UNLOADED else shown
            limit = unit_output_a(a, np.concatenate(([shaft], shaft * (1 - lost * part))), warm)
            share[states] = limit[1:] / max(float(limit[0]), 1e-9)
        return share

    def _idling(self, suspects: Sequence[Hypothesis]) -> NDArray[np.bool_]:
        """Where the engine idles, in a state that asks for speed too where it was not held there and nobody noted it (states, suspects)."""
        slow = np.array([h.slow for h in suspects], dtype=bool)
        return np.asarray(self.at_idle[:, None] | ((self.running & ~self.speed_noted)[:, None] & slow))

    def _limit_share(self, a: Alternator, rows: Floats, suspects: Sequence[Hypothesis]) -> Floats:
        """What of its documented output a unit has (states, suspects)."""
        place = self.unknowns.place
        logarithm = rows[:, place[What.LIMIT_SHARE, a.id]] + self._idling(suspects) * rows[:, place[What.IDLE_SHARE, a.id]]
        share = np.where(logarithm > np.log(LEAST_SHARE) + 1e-9, np.exp(np.minimum(logarithm, 5.0)), 0.0)
        slip, unloaded = rows[:, place[What.SLIP, a.id]], rows[:, place[What.SLIP_UNLOADED, a.id]]
        return np.asarray(share * self._slip_left(a, slip, unloaded))

    def _slowed(self, a: Alternator, suspects: Sequence[Hypothesis]) -> Floats:
        """What of its output a unit has left at idle, where a state asks for more speed than the engine had (states, suspects)."""
        share = np.ones((len(self.many), len(suspects)))
        slow = self._idling(suspects) & ~self.at_idle[:, None]
        for s in np.flatnonzero(slow.any(axis=1)).tolist():
            state = self.many[s].state
            ends = np.array([self.idle_rpm, state.engine_rpm]) * a.pulley_ratio
            idle, whole = unit_output_a(a, ends, state.alternator_c).tolist()
            share[s, slow[s]] = idle / max(whole, 1e-9)
        return share

    def chained(
        self, suspects: Sequence[Hypothesis], values: net.Values, rows: Floats, emf_a: Floats, moved: Floats, of: Places
    ) -> Floats:
        """What each unknown does to some readings, by what the network's own values do to them (suspects, readings, unknowns).

        values: as `values` has them; emf_a: into the batteries, by the same rows
        moved: by the network's own values (readings, suspects, values); of: in which of the states each of the readings is
        """
        network, u, states, count = self.network, self.unknowns, len(self.many), len(suspects)
        place, main = u.place, self.circuit.battery.id
        resistors, emfs, sources = len(network.resistors), len(network.emfs), len(network.sources)

        def own(name: str) -> Floats:
            return np.asarray(getattr(values, name)).reshape(states, count, -1)

        slopes = np.zeros((len(of), count, len(u)))
        present = self._present(suspects)
        slopes[:, :, self.metal] = moved[:, :, self.metal_at]
        if present is not None:
            slopes[:, :, self.metal] *= present[:, :, self.metal][of]
        by_emf, by_ohm = moved[:, :, resistors : resistors + emfs], moved[:, :, resistors + emfs : resistors + 2 * emfs]
        if self.at_output:
            batteries, at = self._charged
            slopes[:, :, at] = by_emf[:, :, batteries]
        else:
            awake = ~self.asleep[of][:, None]
            slopes[:, :, self._of_batteries(What.EMF)] = by_emf * awake[:, :, None]
            for k, at_charge in enumerate(self._charge):
                slopes[:, :, at_charge] += by_emf[:, :, k] * awake
            which, at = self._unlevel
            slopes[:, :, at] = by_emf[:, :, which] * ~awake[:, :, None]
        own_ohm = self._of_batteries(What.OHM_SHARE)
        slopes[:, :, own_ohm] = by_ohm * own("emf_ohm")[of]
        takes = self._of_batteries(What.TAKES_SHARE)
        charging = emf_a.reshape(states, count, -1) > 0
        taking = np.where(charging, self.usual["emf_charging_ohm"][:, None, :] * np.exp(self._slower(rows)), 0.0)
        slopes[:, :, takes] = by_ohm * taking[of]
        for k, (volts, slower) in self.slowing.items():
            if self.at_output:
                slopes[:, :, takes[k]] = 0.0
                continue
            at_charge = self._charge[k]
            steeper = np.interp(rows[:, at_charge], volts, np.gradient(slower, volts), left=0.0, right=0.0)
            slopes[:, :, at_charge] += slopes[:, :, takes[k]] * steeper
        for own_places, what in ((own_ohm, What.OHM_ALIKE), (takes, What.TAKES_ALIKE)):
            for together, common in self._alike[what]:
                slopes[:, :, common] = slopes[:, :, [own_places[k] for k in together]].sum(axis=2)
        diodes, forward = self._forward
        if diodes:
            # What loses nothing loses no less.
            loses = own("diode_v")[:, :, diodes][of] > 0
            slopes[:, :, forward] = moved[:, :, resistors + 2 * (emfs + sources) :][:, :, diodes] * loses
        ohm = own("resistor_ohm")
        by_siemens = moved[:, :, self.drains] * -(ohm[:, :, self.drains] ** 2)[of]
        slopes[:, :, self._of_batteries(What.DRAIN_A)] = by_siemens / self.rest_v[of][:, None, :]
        if not self.at_output:
            by_amps = by_siemens[:, :, self._main] / self._nominal_v
            more = place[What.MORE_LOAD_A, main]
            slopes[:, :, more] = by_amps * self.running[of][:, None]
            if present is not None:
                slopes[:, :, more] *= present[:, :, more][of]
            for s, at_consumers, _ in self.consumers:
                slopes[of == s, :, at_consumers] = by_amps[of == s]
        first_set = resistors + 2 * emfs
        for k, a in self.units:
            by_limit = moved[:, :, first_set + sources + k]
            if self.at_output:
                if (another := place.get((What.ANOTHERS_A, a.id))) is not None:
                    slopes[:, :, another] = by_limit
                continue
            limit = own("limit_a")[:, :, k]
            slopes[:, :, place[What.SET_POINT, a.id]] = moved[:, :, first_set + k]
            by_share = by_limit * limit[of]
            slopes[:, :, place[What.LIMIT_SHARE, a.id]] = by_share
            slopes[:, :, place[What.IDLE_SHARE, a.id]] = by_share * self._idling(suspects)[of]
            slip = np.maximum(rows[:, place[What.SLIP, a.id]], 0.0)
            unloaded = rows[:, place[What.SLIP_UNLOADED, a.id]]
            there = self._slip_left(
                a, np.concatenate((slip, slip + SLIP_STEP, slip)), np.concatenate((unloaded, unloaded, unloaded + SLIP_STEP))
            )
            left, less, freer = np.split(there, 3, axis=1)
            whole = np.where(left > 0, limit / np.where(left > 0, left, 1.0), 0.0)
            slopes[:, :, place[What.SLIP, a.id]] = by_limit * (whole * (less - left) / SLIP_STEP)[of]
            slopes[:, :, place[What.SLIP_UNLOADED, a.id]] = by_limit * (whole * (freer - left) / SLIP_STEP)[of]
        for where, what, loads in (
            (self.running, What.LISTED_SHARE, self.listed),
            (self.cranking, What.STARTER_SHARE, self.starters),
        ):
            if loads and where.any():
                # One that is off takes nothing, however much it would take.
                on = np.where(where[:, None, None] & np.isfinite(ohm[:, :, loads]), ohm[:, :, loads], 0.0)
                slopes[:, :, place[what, main]] = -(moved[:, :, loads] * on[of]).sum(axis=2)
        return np.asarray(slopes.transpose(1, 0, 2))
