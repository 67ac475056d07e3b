"""What every hypothesis would let the meters read, all of them solved at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from functools import cached_property
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.catalogue.sources import output_limit_a
from mavrik.core.circuit import Alternator, Circuit, as_sound
from mavrik.core.findings.charge import as_charged
from mavrik.core.findings.hypotheses import Hypothesis, What, fault_table
from mavrik.core.findings.lift import SWEPT, Lift
from mavrik.core.findings.unknowns import LEAST_SHARE, Unknowns
from mavrik.core.operating.bench_states import IDLE_RPM
from mavrik.core.operating.elements import slip_shown
from mavrik.core.operating.engine import Engine
from mavrik.core.operating.state import State
from mavrik.core.procedures import BenchState, Point, Setup, half_cca_a, ohmic, state_of

Floats = NDArray[np.float64]
Placed: TypeAlias = tuple[Point, Setup]
"""A measuring point with what is known of the state it is read in."""

OPEN_OHM = 1e7
NO_DRAIN_S = 1e-9
MOST_OHM = 1.0
"""What a milliohm meter still shows of an open contact."""

LEAST_OHM = 1e-6
"""No metal has less, however far a trial goes below what is sound."""

RUNNING = frozenset({BenchState.IDLE, BenchState.IDLE_LOADED, BenchState.FAST, BenchState.FAST_LOADED, BenchState.FULL_OUTPUT})
AT_IDLE = frozenset({BenchState.IDLE, BenchState.IDLE_LOADED})
CONSUMERS_OF = {
    BenchState.KEY_ON: What.KEY_ON_A,
    BenchState.IDLE_LOADED: What.CONSUMERS_A,
    BenchState.FAST_LOADED: What.CONSUMERS_A,
}
"""What a state of the bench takes some amperes to be, where no document says."""

MOST_SLIP = 0.9
SLIP_STEP = 0.01


def planned(points: Sequence[Point]) -> list[Placed]:
    """Points in the states they are planned for, nothing being known of the day.

    points: of procedures
    """
    return [(p, Setup(p.state)) for p in points]


@dataclass(frozen=True)
class Assembled:
    """A circuit at one state of the bench, with the values of its document."""

    setup: Setup
    state: State
    network: net.Network
    own: net.Values
    rest: net.Batch | None
    """With nothing changed; None where it has no operating point."""
    lift: Lift | None
    consumers_a: float
    """What all consumers take that no document lists."""
    slip_shown: float
    """What of a belt's slip shows."""
    branch_ids: tuple[str, ...]
    """Of the metal whose resistances are unknowns."""
    off: frozenset[str]
    """Loads that take nothing in this state."""

    @property
    def name(self) -> BenchState:
        """The state's."""
        return self.setup.state

    @cached_property
    def resistor(self) -> dict[str, int]:
        """Where each resistor is among its network's, without loads that are off."""
        return {r.id: k for k, r in enumerate(self.network.resistors) if r.id not in self.off}

    @cached_property
    def source(self) -> dict[str, int]:
        """Where each regulated source is."""
        return {s.id: k for k, s in enumerate(self.network.sources)}

    @cached_property
    def by_value(self) -> dict[str, Floats]:
        """What its unknowns move of its values, as arrays."""
        return {name: np.asarray(getattr(self.own, name), dtype=float) for name in SWEPT}

    @cached_property
    def metal(self) -> tuple[list[int], list[int]]:
        """Which of the metal's unknowns are in its network, and where there."""
        here = [(k, self.resistor[b]) for k, b in enumerate(self.branch_ids) if b in self.resistor]
        return [k for k, _ in here], [row for _, row in here]


class BenchModel:
    """A circuit at the states of the bench, assembled once, with a place for every unknown."""

    def __init__(
        self,
        circuit: Circuit,
        rest_v: Mapping[str, float] | None = None,
        checked: bool = False,
        idle: frozenset[str] = frozenset(),
    ) -> None:
        """Assemble nothing yet.

        rest_v: volts at rest, by battery: how charged they really are
        checked: the circuit is known to be one that can be computed
        idle: voltage links that were open, and DC-DC chargers that did not run, while an output was read
        """
        self._checked, self.idle = checked, idle
        self.rest_v = dict(rest_v or {})
        self.document = circuit
        charged = as_charged(circuit, self.rest_v)
        self.circuit, self._as_drawn = ohmic(charged), as_sound(charged)
        self.unknowns = Unknowns.of(circuit)
        self._at: dict[Setup, Assembled] = {}

    def assembled(self, setup: Setup) -> Assembled:
        """The circuit in a state of the bench."""
        if setup not in self._at:
            self._at[setup] = self._assemble(setup)
        return self._at[setup]

    def _assemble(self, setup: Setup) -> Assembled:
        # A fault may leave a load at any voltage, and a resistance then takes what it gets; at a known output loads are real.
        at_output = setup.state is BenchState.AT_OUTPUT
        circuit = self._as_drawn if at_output else self.circuit
        state, consumers = state_of(setup, circuit), 0.0
        slip = slip_shown(circuit, state)
        if setup.state in CONSUMERS_OF and state.bank is not None:
            consumers = state.bank.current_a
            state = state.model_copy(update={"bank": None})
        if at_output and self.idle:
            shut = {b.id: b.model_copy(update={"override": "open"}) for b in circuit.branches if b.id in self.idle}
            circuit = circuit.model_copy(update={"branches": tuple(shut.get(b.id, b) for b in circuit.branches)})
            if any(c.id in self.idle for c in circuit.converters):
                state = state.model_copy(update={"converters_on": False})
        engine = Engine(circuit, state, self._checked)
        self._checked = True
        drains = [net.Resistor(f"drain:{b.id}", b.positive_node, b.negative_node, 1 / NO_DRAIN_S) for b in circuit.batteries]
        # At a known output the batteries are where the stud's voltage says.
        own = engine.settle().values if at_output else engine.values()
        resistors = [*engine.network.resistors, *drains]
        ohm = np.concatenate((np.asarray(own.resistor_ohm, dtype=float), [d.ohm for d in drains]))
        off = frozenset[str]()
        if not at_output:
            resistors, ohm, off = self._with_all_loads(resistors, ohm)
        others = [e for e in engine.elements if not isinstance(e, net.Resistor)]
        network = net.network_of([*others, *resistors], engine.network.reference)
        emf = np.array(own.emf_v, dtype=float)
        if not at_output:
            for k, e in enumerate(network.emfs):
                emf[k] = self.rest_v.get(e.id, emf[k])
        if setup.state is BenchState.ASLEEP:
            emf = self._equalised(network, emf)
        values = replace(own, resistor_ohm=ohm, emf_v=emf)
        try:
            rest = network.settle(values)
        except net.NoOperatingPointError:
            rest = None
        main = circuit.alternator.id
        lifted = Lift(engine, main, np.asarray(own.emf_v, dtype=float)) if network.links and main in engine.lifted else None
        return Assembled(setup, state, network, values, rest, lifted, consumers, slip, self.unknowns.branch_ids, off)

    @cached_property
    def _loads_off(self) -> dict[str, net.Resistor]:
        """All loads, switched off."""
        found: dict[str, net.Resistor] = {}
        for name in (BenchState.IDLE_LOADED, BenchState.CRANKING):
            state = state_of(Setup(name), self.circuit).model_copy(update={"bank": None})
            every = {r.id: r for r in Engine(self.circuit, state, True).network.resistors}
            found |= {x.id: replace(every[x.id], ohm=np.inf) for x in self.circuit.loads if x.id in every}
        return found

    def _with_all_loads(self, resistors: list[net.Resistor], ohm: Floats) -> tuple[list[net.Resistor], Floats, frozenset[str]]:
        """The same with those loads that are off, all loads last: so the states of the bench are one network, and solved together."""
        loads = {r.id: (r, float(o)) for r, o in zip(resistors, ohm, strict=True) if r.id in self._loads_off}
        every = [(r, float(o)) for r, o in zip(resistors, ohm, strict=True) if r.id not in self._loads_off]
        every += [loads.get(i, (r, np.inf)) for i, r in self._loads_off.items()]
        return [r for r, _ in every], np.array([o for _, o in every]), frozenset(self._loads_off.keys() - loads.keys())

    def _equalised(self, network: net.Network, emf: Floats) -> Floats:
        """Batteries that metal joins have come to one voltage overnight; a cell that is dead is a fault's to say."""
        group = dict(self.unknowns.group_of)
        return np.array(
            [max(v for o, v in zip(network.emfs, emf, strict=True) if group[o.id] == group[e.id]) for e in network.emfs]
        )

    def documented_emf_v(self) -> dict[str, float]:
        """Open-circuit voltage by battery, as charged as the document says."""
        bare = state_of(BenchState.REST, self.document)
        network = Engine(as_sound(self.document), bare, True)
        return {e.id: float(v) for e, v in zip(network.network.emfs, np.asarray(network.values().emf_v), strict=True)}

    def predict(self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], rows: Floats | None = None) -> Floats:
        """Readings (suspects, points), each in the unit of its quantity; NaN where a circuit has no rest.

        rows: the unknowns of each suspect; left out, each has its middle magnitudes and all else is as the document has it
        """
        near = rows is not None
        amounts = self.unknowns.rows(suspects) if rows is None else rows
        found = np.full((len(suspects), len(placed)), np.nan)
        by_network: dict[Setup, list[int]] = {}
        by_itself: dict[Setup, net.Values] = {}
        for k, (point, setup) in enumerate(placed):
            if point.indicator:
                found[:, k] = self._indicated(point, suspects, amounts)
            elif point.quantity == "resistance" or setup.state in (BenchState.REST, BenchState.BATTERY_LOAD):
                found[:, k] = self._by_itself(point, setup, suspects, amounts, by_itself)[0]
            else:
                by_network.setdefault(setup, []).append(k)
        for setup, columns in by_network.items():
            at = self.assembled(setup)
            values = self._values(at, suspects, amounts, near)
            rest = at.rest if near else None
            if at.lift is None:
                solved = at.network.solve_many(values, rest, lenient=True)
            else:
                solved = at.lift.met(at.network, values, rest, at.rest)
            found[:, columns] = _read(at.network, solved, [placed[k][0] for k in columns])
        return found

    def slopes(self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], rows: Floats) -> tuple[Floats, Floats]:
        """Readings (suspects, points) as `predict` has them, and what each unknown does to them (suspects, points, unknowns).

        What is looked at and no network says has no slope, a shaft's speed aside.
        """
        found = np.full((len(suspects), len(placed)), np.nan)
        by_unknown = np.zeros((*found.shape, len(self.unknowns)))
        by_setup: dict[Setup, list[int]] = {}
        by_itself: dict[Setup, net.Values] = {}
        for k, (point, setup) in enumerate(placed):
            if point.indicator:
                found[:, k] = self._indicated(point, suspects, rows)
                if point.indicator == "shaft" and (slip := self.unknowns.at(What.SLIP, point.element)) is not None:
                    by_unknown[:, k, slip] = -self._shaft_rpm(point.element)
            elif point.quantity == "resistance" or setup.state in (BenchState.REST, BenchState.BATTERY_LOAD):
                found[:, k], by_unknown[:, k] = self._by_itself(point, setup, suspects, rows, by_itself)
            else:
                by_setup.setdefault(setup, []).append(k)
        values = {setup: self._values(self.assembled(setup), suspects, rows, True) for setup in by_setup}
        for setup, (solved, slopes) in self._solved_together(values).items():
            at, columns = self.assembled(setup), by_setup[setup]
            points = [placed[k][0] for k in columns]
            found[:, columns] = _read(at.network, solved, points)
            by_unknown[:, columns] = self._by_unknown(
                at, suspects, values[setup], rows, solved, _read(at.network, slopes, points)
            )
        return found, by_unknown

    def _solved_together(self, values: Mapping[Setup, net.Values]) -> dict[Setup, tuple[net.Solved, net.Slopes]]:
        """States of the bench solved with their slopes: those of one network at once, a call costs more than its rows do."""
        found: dict[Setup, tuple[net.Solved, net.Slopes]] = {}
        alike: dict[tuple[net.Network, bool], list[Setup]] = {}
        for setup, own in values.items():
            at = self.assembled(setup)
            if at.lift is not None:
                found[setup] = at.lift.met_with_slopes(at.network, own, at.rest)
            else:
                alike.setdefault((at.network, at.rest is None), []).append(setup)
        for (network, _), setups in alike.items():
            many = [values[s] for s in setups]
            counts = [len(np.asarray(v.resistor_ohm)) for v in many]
            rests = [rest.at_rest for s in setups if (rest := self.assembled(s).rest) is not None]
            near = net.AtRest.joined(rests) if rests else None
            solved, slopes, _ = network.solve_with_slopes(_stacked(many, counts), near, np.repeat(np.arange(len(setups)), counts))
            first = 0
            for setup, count in zip(setups, counts, strict=True):
                rows = slice(first, first + count)
                first += count
                found[setup] = _rows_of(solved, rows), _rows_of(slopes, rows)
        return found

    def _shaft_rpm(self, alternator: str) -> float:
        return IDLE_RPM * next(a.pulley_ratio for a in self.circuit.alternators if a.id == alternator)

    def _indicated(self, point: Point, suspects: Sequence[Hypothesis], rows: Floats) -> Floats:
        """What is looked at, not solved: a lamp, a belt, a plate, a shaft's speed, ripple."""
        if point.indicator == "shaft":
            slip = self.unknowns.at(What.SLIP, point.element)
            lost = np.zeros(len(suspects)) if slip is None else np.clip(rows[:, slip], 0.0, MOST_SLIP)
            return np.asarray(self._shaft_rpm(point.element) * (1 - lost))
        alternator = next(a for a in self.circuit.alternators if a.id == point.element)
        usual = {
            "lamp": 1.0,
            "belt": 1.0,
            "plate": alternator.rated_a,
            "ripple": fault_table().usual_ripple_vpp * self.circuit.system_voltage_v / 12,
            "clear": 1.0,
        }[point.indicator]
        return np.array([h.indications.get((point.indicator, point.element), usual) for h in suspects])

    def _by_itself(
        self, point: Point, setup: Setup, suspects: Sequence[Hypothesis], rows: Floats, made: dict[Setup, net.Values]
    ) -> tuple[Floats, Floats]:
        """A contact under a milliohm meter, or a battery alone, at rest or under a load of its own; with what each unknown does to it.

        made: values of the states that others of these suspects were asked in, added to
        """

        def values_at(at: Assembled) -> net.Values:
            if at.setup not in made:
                made[at.setup] = self._values(at, suspects, rows, True)
            return made[at.setup]

        u, slopes = self.unknowns, np.zeros((len(suspects), len(self.unknowns)))
        if point.quantity == "resistance":
            k = u.branch_ids.index(point.element) if point.element in u.branch_ids else None
            at = self.assembled(Setup(BenchState.KEY_ON))
            ohm = np.asarray(values_at(at).resistor_ohm)[:, at.resistor[point.element]]
            if k is not None:
                present = self._present(at.name, suspects)
                slopes[:, k] = (ohm < MOST_OHM) * (1.0 if present is None else present[:, k])
            return np.minimum(ohm, MOST_OHM), slopes
        at = self.assembled(Setup(BenchState.REST))
        row = next(j for j, e in enumerate(at.network.emfs) if e.id == point.element)
        values = values_at(at)
        volts = np.asarray(values.emf_v)[:, row].copy()
        for what in (What.EMF, What.CHARGE):
            if (k := u.at(what, dict(u.group_of)[point.element] if what is What.CHARGE else point.element)) is not None:
                slopes[:, k] = 1.0
        if setup.state is BenchState.BATTERY_LOAD:
            battery = next(b for b in self.circuit.batteries if b.id == point.element)
            sags = half_cca_a(self.circuit, battery) * np.asarray(values.emf_ohm)[:, row]
            volts -= sags
            slopes[:, u.place[What.OHM_SHARE, point.element]] = -sags
            slopes[volts < 0] = 0.0
        return np.maximum(volts, 0.0), slopes

    def _slip_left(self, at: Assembled, a: Alternator, slip: Floats) -> Floats:
        """What of its output a unit has left in a state, under a belt that slips by so much where it is hardest to turn."""
        lost = np.clip(slip, 0.0, MOST_SLIP) * at.slip_shown
        if not lost.any():
            return np.ones(len(lost))
        shaft = at.state.engine_rpm * a.pulley_ratio
        magnet = a.kind == "permanent_magnet"
        warm = at.state.alternator_c
        whole = float(output_limit_a(a.rated_a, shaft, warm, a.curve, magnet))
        return np.asarray(output_limit_a(a.rated_a, shaft * (1 - lost), warm, a.curve, magnet) / max(whole, 1e-9))

    def _load_a(self, at: Assembled, present: Floats | None, rows: Floats, with_consumers: bool) -> Floats:
        """What hangs on the main battery and no document lists [A]."""
        u, main = self.unknowns, self.circuit.battery.id
        more = u.place[What.MORE_LOAD_A, main]
        amps = np.zeros(len(rows)) if at.name not in RUNNING else rows[:, more]
        if present is not None:
            amps = amps * present[:, more]
        if at.consumers_a:
            # Left out of the rows, the consumers are what the bench takes them to be.
            amps = amps + (rows[:, u.place[CONSUMERS_OF[at.name], main]] if with_consumers else at.consumers_a)
        return np.asarray(amps)

    def _values(self, at: Assembled, suspects: Sequence[Hypothesis], rows: Floats, with_consumers: bool) -> net.Values:
        """The network's values of every suspect with its unknowns, one row each."""
        network, own, u, place, resistor = at.network, at.own, self.unknowns, self.unknowns.place, at.resistor
        found = {name: np.repeat(usual[None], len(suspects), axis=0) for name, usual in at.by_value.items()}
        ohm, (of, at_row) = found["resistor_ohm"], at.metal
        present = self._present(at.name, suspects)
        ohm[:, at_row] += rows[:, of] if present is None else rows[:, of] * present[:, of]
        link, converter = {x.id: k for k, x in enumerate(network.links)}, {x.id: k for k, x in enumerate(network.converters)}
        for row, h in enumerate(suspects):
            for c in h.changes:
                if c.what is What.OPEN and c.element in resistor:
                    ohm[row, resistor[c.element]] = OPEN_OHM
                elif c.what is What.OPEN and c.element in link:
                    found["link_ohm"][row, link[c.element]] = OPEN_OHM
                elif c.what is What.OFF and c.element in converter:
                    found["converter_limit_a"][row, converter[c.element]] = 0.0
        group, at_output, asleep = dict(u.group_of), at.name is BenchState.AT_OUTPUT, at.name is BenchState.ASLEEP
        asleep_a = fault_table().modules_asleep_a if asleep else 0.0
        drains = {e.id: np.maximum(rows[:, place[What.DRAIN_A, e.id]] + asleep_a, 0.0) for e in network.emfs}
        rest_v = np.maximum(np.asarray(own.emf_v, dtype=float), 1.0)
        loads = {e.id: np.zeros(len(suspects)) for e in network.emfs}
        if not at_output:
            loads[self.circuit.battery.id] = np.maximum(self._load_a(at, present, rows, with_consumers), 0.0)
        for k, e in enumerate(network.emfs):
            share = np.exp(rows[:, place[What.OHM_SHARE, e.id]])
            inner, taking = np.asarray(own.emf_ohm, dtype=float)[k], np.asarray(own.emf_charging_ohm, dtype=float)[k]
            found["emf_ohm"][:, k] = inner * share
            slower = np.exp(rows[:, place[What.TAKES_SHARE, e.id]])
            found["emf_charging_ohm"][:, k] = np.maximum(taking * slower + inner * (share - 1), inner * share)
            if at_output:
                if (charged := place.get((What.CHARGED, e.id))) is not None:
                    found["emf_v"][:, k] += rows[:, charged]
            elif asleep:
                found["emf_v"][:, k] += [
                    sum(c.amount for c in h.changes if c.what is What.EMF and c.element == e.id) for h in suspects
                ]
            else:
                found["emf_v"][:, k] += rows[:, place[What.EMF, e.id]] + rows[:, place[What.CHARGE, group[e.id]]]
            ohm[:, resistor[f"drain:{e.id}"]] = 1 / (NO_DRAIN_S + drains[e.id] / rest_v[k] + loads[e.id] / self._nominal_v)
        for a in self.circuit.alternators:
            if a.id not in at.source:
                continue
            k = at.source[a.id]
            found["set_point_v"][:, k] += rows[:, place[What.SET_POINT, a.id]]
            found["limit_a"][:, k] *= self._limit_share(at, a, rows) * self._slowed(at, a, suspects)
            if at_output and (another := place.get((What.ANOTHERS_A, a.id))) is not None:
                found["forced_a"][:, k] = np.maximum(rows[:, another], 0.0)
        if at.name in RUNNING:
            listed = [resistor[x.id] for x in self.circuit.loads if not x.cranking and x.id in resistor]
            ohm[:, listed] /= np.exp(rows[:, [place[What.LISTED_SHARE, self.circuit.battery.id]]])
        if at.name is BenchState.CRANKING:
            starters = [resistor[x.id] for x in self.circuit.loads if x.cranking and x.id in resistor]
            ohm[:, starters] /= np.exp(rows[:, [place[What.STARTER_SHARE, self.circuit.battery.id]]])
        np.maximum(ohm, LEAST_OHM, out=ohm)
        return replace(own, **found)

    def _present(self, state: BenchState, suspects: Sequence[Hypothesis]) -> Floats | None:
        """What share of each unknown is there in a state, by suspect: some come and go, some rise with the heat; None: all of all of them."""
        if all(c.states is None for h in suspects for c in h.changes):
            return None
        found = np.ones((len(suspects), len(self.unknowns)))
        for row, h in enumerate(suspects):
            for c in h.changes:
                if c.states is not None and (k := self.unknowns.at(c.what, c.element)) is not None:
                    found[row, k] = c.share_in(state)
        return found

    @property
    def _nominal_v(self) -> float:
        """What a consumer's amperes are said at [V]."""
        return float(self.circuit.system_voltage_v)

    def _limit_share(self, at: Assembled, a: Alternator, rows: Floats) -> Floats:
        """What of its documented output a unit has."""
        place = self.unknowns.place
        logarithm = rows[:, place[What.LIMIT_SHARE, a.id]].copy()
        if at.name in AT_IDLE:
            logarithm += rows[:, place[What.IDLE_SHARE, a.id]]
        share = np.where(logarithm > np.log(LEAST_SHARE) + 1e-9, np.exp(np.minimum(logarithm, 5.0)), 0.0)
        return np.asarray(share * self._slip_left(at, a, rows[:, place[What.SLIP, a.id]]))

    def _slowed(self, at: Assembled, a: Alternator, suspects: Sequence[Hypothesis]) -> Floats:
        """What of its output a unit has left at idle, where a state asks for more speed than the engine had."""
        slow = np.array([any(c.what is What.SLOW for c in h.changes) for h in suspects], dtype=bool)
        if at.state.engine_rpm <= IDLE_RPM or not slow.any():
            return np.ones(len(suspects))
        ends = (IDLE_RPM * a.pulley_ratio, at.state.engine_rpm * a.pulley_ratio)
        idle, whole = (
            float(output_limit_a(a.rated_a, rpm, at.state.alternator_c, a.curve, a.kind == "permanent_magnet")) for rpm in ends
        )
        return np.where(slow, idle / max(whole, 1e-9), 1.0)

    def _by_unknown(
        self,
        at: Assembled,
        suspects: Sequence[Hypothesis],
        values: net.Values,
        rows: Floats,
        solved: net.Solved,
        moved: Floats,
    ) -> Floats:
        """What each unknown does to some readings, by what the network's own values do to them (suspects, points, unknowns).

        moved: by the network's own values
        """
        network, place, u, resistor = at.network, self.unknowns.place, self.unknowns, at.resistor
        resistors, emfs, sources = len(network.resistors), len(network.emfs), len(network.sources)
        found = np.zeros((*moved.shape[:2], len(u)))
        ohm, (of, at_row) = np.asarray(values.resistor_ohm), at.metal
        present = self._present(at.name, suspects)
        found[:, :, of] = moved[:, :, at_row] if present is None else moved[:, :, at_row] * present[:, None, of]
        group, at_output = dict(u.group_of), at.name is BenchState.AT_OUTPUT
        for k, e in enumerate(network.emfs):
            by_emf, by_ohm = moved[:, :, resistors + k], moved[:, :, resistors + emfs + k]
            if at_output:
                if (charged := place.get((What.CHARGED, e.id))) is not None:
                    found[:, :, charged] = by_emf
            elif at.name is not BenchState.ASLEEP:
                found[:, :, place[What.EMF, e.id]] = by_emf
                found[:, :, place[What.CHARGE, group[e.id]]] += by_emf
            inner = np.asarray(values.emf_ohm)[:, k]
            found[:, :, place[What.OHM_SHARE, e.id]] = by_ohm * inner[:, None]
            taking = np.where(
                solved.emf_a[:, k] > 0,
                np.asarray(at.own.emf_charging_ohm, dtype=float)[k] * np.exp(rows[:, place[What.TAKES_SHARE, e.id]]),
                0.0,
            )
            found[:, :, place[What.TAKES_SHARE, e.id]] = by_ohm * taking[:, None]
            drain = resistor[f"drain:{e.id}"]
            by_siemens = moved[:, :, drain] * -(ohm[:, drain] ** 2)[:, None]
            found[:, :, place[What.DRAIN_A, e.id]] = by_siemens / max(float(np.asarray(at.own.emf_v)[k]), 1.0)
            by_amps = by_siemens / self._nominal_v
            if e.id == self.circuit.battery.id and not at_output:
                if at.name in RUNNING:
                    more = place[What.MORE_LOAD_A, e.id]
                    found[:, :, more] = by_amps if present is None else by_amps * present[:, [more]]
                if at.consumers_a:
                    found[:, :, place[CONSUMERS_OF[at.name], e.id]] = by_amps
        first_set = resistors + 2 * emfs
        for a in self.circuit.alternators:
            if a.id not in at.source:
                continue
            k = at.source[a.id]
            by_limit = moved[:, :, first_set + sources + k]
            if at_output:
                if (another := place.get((What.ANOTHERS_A, a.id))) is not None:
                    found[:, :, another] = by_limit
                continue
            limit = np.asarray(values.limit_a)[:, k]
            found[:, :, place[What.SET_POINT, a.id]] = moved[:, :, first_set + k]
            found[:, :, place[What.LIMIT_SHARE, a.id]] = by_limit * limit[:, None]
            if at.name in AT_IDLE:
                found[:, :, place[What.IDLE_SHARE, a.id]] = by_limit * limit[:, None]
            slip = np.maximum(rows[:, place[What.SLIP, a.id]], 0.0)
            left, less = self._slip_left(at, a, slip), self._slip_left(at, a, slip + SLIP_STEP)
            whole = np.where(left > 0, limit / np.where(left > 0, left, 1.0), 0.0)
            found[:, :, place[What.SLIP, a.id]] = by_limit * (whole * (less - left) / SLIP_STEP)[:, None]
        main = self.circuit.battery.id
        for name, what, cranking in (
            (at.name in RUNNING, What.LISTED_SHARE, False),
            (at.name is BenchState.CRANKING, What.STARTER_SHARE, True),
        ):
            if name:
                for x in self.circuit.loads:
                    if x.cranking is cranking and x.id in resistor:
                        found[:, :, place[what, main]] -= moved[:, :, resistor[x.id]] * ohm[:, None, resistor[x.id]]
        return found


def _stacked(many: Sequence[net.Values], counts: Sequence[int]) -> net.Values:
    """Values of several states of one network, one behind the other; each has so many rows."""

    def joined(name: str) -> Floats:
        own = [np.atleast_2d(np.asarray(getattr(v, name))) for v in many]
        return np.concatenate([np.broadcast_to(a, (n, a.shape[1])) for a, n in zip(own, counts, strict=True)])

    return many[0] if len(many) == 1 else net.Values(**{f.name: joined(f.name) for f in fields(net.Values)})


R = TypeVar("R", net.Solved, net.Slopes)


def _rows_of(found: R, rows: slice) -> R:
    return type(found)(**{f.name: getattr(found, f.name)[rows] for f in fields(found)})


def _read(network: net.Network, found: net.Solved | net.Slopes, points: list[Point]) -> Floats:
    """What meters show of answers (states, points), or how that moves of slopes (states, points, unknowns)."""
    source = {s.id: k for k, s in enumerate(network.sources)}
    emf = {e.id: k for k, e in enumerate(network.emfs)}
    resistor = {r.id: k for k, r in enumerate(network.resistors)}
    diode = {d.id: k for k, d in enumerate(network.diodes)}
    link = {x.id: k for k, x in enumerate(network.links)}
    columns = []
    for point in points:
        if point.red:
            read = found.node_v[:, network.row[point.red]] - found.node_v[:, network.row[point.black]]
        elif point.element in source:
            read = found.source_a[:, source[point.element]]
        elif point.element in emf:
            # Asleep a drain is read, out of the battery; running, what goes into it.
            into = found.emf_a[:, emf[point.element]]
            read = -into if point.state is BenchState.ASLEEP else into
        elif point.element in resistor:
            read = found.resistor_a[:, resistor[point.element]]
        elif point.element in diode:
            read = found.diode_a[:, diode[point.element]]
        elif point.element in link:
            read = found.link_a[:, link[point.element]]
        else:
            read = np.zeros_like(found.node_v[:, 0])
        columns.append(read)
    return np.stack(columns, axis=1)
