"""What every hypothesis would let the meters read, all of them solved at once."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import chain
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.circuit import Circuit, LinkBranch, as_sound
from mavrik.core.findings.changes import What
from mavrik.core.findings.charge import as_charged, slowing
from mavrik.core.findings.day import Day
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.hypotheses import Hypothesis
from mavrik.core.findings.lift import Lift
from mavrik.core.findings.placing import BYPASS, CONSUMERS_OF, CONTACT, MOST_SLIP, NO_DRAIN_S, Assembled, Placing
from mavrik.core.findings.served import Served
from mavrik.core.findings.unknowns import Unknowns
from mavrik.core.operating.bench_states import AT_IDLE, IDLE_RPM, RUNNING
from mavrik.core.operating.elements import slip_shown
from mavrik.core.operating.engine import Engine
from mavrik.core.operating.state import State
from mavrik.core.operating.wiring import Wirings
from mavrik.core.procedures import BenchState, Point, Setup, load_test_a, ohmic, state_of

Floats = NDArray[np.float64]
Placed: TypeAlias = tuple[Point, Setup]
"""A measuring point with what is known of the state it is read in."""

MOST_OHM = 1.0
"""What a milliohm meter still shows of an open contact."""

FLOATING_OHM = 2e5
"""What a meter and a unit at rest, a charger that is off or a link that looks at its sides, take of a stud that nothing feeds. Common practice, rough, no source."""

MOST_KEPT = 64
"""So many lists of readings are kept with where they are among the answers."""

MOST_SLOPES = 2**20
"""Of all unknowns on all nodes of all states together: 8 MB, of which there are a few at once."""


CONTACT_SHARE = 0.5
"""Of the resistance of a closed link, or of an isolator's way, so much is taken as that of its contacts, which may have too much: all of
it would leave nothing between."""


def planned(points: Sequence[Point]) -> list[Placed]:
    """Points in the states they are planned for, nothing being known of the day.

    points: of procedures
    """
    return [(p, Setup(p.state)) for p in points]


def as_it_ran(circuit: Circuit, state: State, idle: frozenset[str] | None) -> tuple[Circuit, State]:
    """A circuit and a state with what closes and runs by itself as it was.

    idle: voltage links that were open, and DC-DC chargers that did not run; all other links were closed. None: each as its voltage has it
    """
    if idle is None:
        return circuit, state
    links = {
        b.id: b.model_copy(update={"override": "open" if b.id in idle else "closed"})
        for b in circuit.branches
        if isinstance(b, LinkBranch) and b.override == "none"
    }
    if links:
        circuit = circuit.model_copy(update={"branches": tuple(links.get(b.id, b) for b in circuit.branches)})
    if any(c.id in idle for c in circuit.converters):
        state = state.model_copy(update={"converters_on": False})
    return circuit, state


class BenchModel:
    """A circuit at the states of the bench, assembled once, with a place for every unknown."""

    def __init__(
        self,
        circuit: Circuit,
        day: Day | None = None,
        checked: bool = False,
        idle: frozenset[str] | None = None,
    ) -> None:
        """Assemble nothing yet.

        day: what was read of it; left out, nothing was
        checked: the circuit is known to be one that can be computed
        idle: what was open or did not run while an output was read, as for `as_it_ran`
        """
        self.day = day or Day()
        self._served = Served(circuit, self.day.running_v)
        self._checked, self.idle = checked, idle
        self.document = circuit
        charged = as_charged(circuit, self.day.rest_v)
        self.circuit, self._as_drawn = ohmic(charged), as_sound(charged)
        self.unknowns = Unknowns.of(charged, self.day.rest_v.keys() - self.day.banked, self.day.levelled)
        self._slowing = {b.id: slowing(charged, b) for b in charged.batteries if b.id not in self.day.rest_v}
        self._wirings = Wirings()
        self._at: dict[Setup, Assembled] = {}
        self._placings: dict[tuple[Setup, ...], Placing] = {}
        self._groups: dict[tuple[bool, tuple[int, ...]], tuple[tuple[Placed, ...], list[_Group]]] = {}

    def assembled(self, setup: Setup) -> Assembled:
        """The circuit in a state of the bench."""
        if setup not in self._at:
            self._at[setup] = self._assemble(setup)
        return self._at[setup]

    def _assemble(self, setup: Setup) -> Assembled:
        # A fault may leave a load at any voltage, and a resistance then takes what it gets; at a known output loads are real.
        at_output = setup.state is BenchState.AT_OUTPUT
        circuit = self._as_drawn if at_output else self.circuit
        idles = setup.state in AT_IDLE and setup.engine_rpm is None
        state, consumers = state_of(replace(setup, engine_rpm=self.day.idle_rpm) if idles else setup, circuit), 0.0
        slip = slip_shown(circuit, state)
        if setup.state in CONSUMERS_OF and state.bank is not None:
            consumers = state.bank.current_a
            state = state.model_copy(update={"bank": None})
        if at_output:
            circuit, state = as_it_ran(circuit, state, self.idle)
        engine = Engine(circuit, state, self._checked, wirings=self._wirings)
        self._checked = True
        beside = [net.Resistor(f"drain:{b.id}", b.positive_node, b.negative_node, 1 / NO_DRAIN_S) for b in circuit.batteries]
        # A meter at a stud that nothing feeds reads next to nothing.
        beside += [net.Resistor(f"floating:{a.id}", a.stud_node, a.case_node, FLOATING_OHM) for a in circuit.alternators]
        beside += [net.Resistor(f"floating:{c.id}", c.in_node, c.ground_node, FLOATING_OHM) for c in circuit.converters]
        beside += [
            net.Resistor(f"floating:{b.id}:{node}", node, circuit.battery.negative_node, FLOATING_OHM)
            for b in circuit.branches
            if b.by_voltage
            for node in (b.from_node, b.to_node)
        ]
        # At a known output the batteries are where the stud's voltage says.
        settled = engine.settle() if at_output else None
        at_rest, held = (engine.values(), False) if settled is None else (engine.freed(settled.values), settled.held)
        resistors = [*engine.network.resistors, *beside]
        ohm = np.concatenate((np.asarray(at_rest.resistor_ohm, dtype=float), [r.ohm for r in beside]))
        off = frozenset[str]()
        if not at_output:
            resistors, ohm, off = self._with_all_loads(resistors, ohm)
            served = [None if r.id in off else self._served.ohm(r.id, setup.state) for r in resistors]
            ohm = np.array([o if at is None else at for o, at in zip(ohm.tolist(), served, strict=True)])
        others = [e for e in engine.elements if not isinstance(e, net.Resistor)]
        # What contacts have too much stands in series with what voltage opens and closes; beside a diode, what it is once it is shorted.
        worked = [e for e in others if isinstance(e, net.Link | net.Diode)]
        contacts = [net.Resistor(f"{CONTACT}{e.id}", f"{CONTACT}{e.id}", e.end, CONTACT_SHARE * e.ohm) for e in worked]
        contacts += [
            net.Resistor(f"{BYPASS}{e.id}", e.start, f"{CONTACT}{e.id}", np.inf) for e in worked if isinstance(e, net.Diode)
        ]
        others = [replace(e, end=f"{CONTACT}{e.id}") if isinstance(e, net.Link | net.Diode) else e for e in others]
        resistors, ohm = [*resistors, *contacts], np.concatenate((ohm, [c.ohm for c in contacts]))
        between = {n: (1 - CONTACT_SHARE) * np.asarray(getattr(at_rest, n), dtype=float) for n in ("link_ohm", "diode_ohm")}
        amps = np.asarray(at_rest.current_a, dtype=float)
        if not at_output and not any(isinstance(e, net.CurrentSource) for e in others):
            # A load bank that takes nothing: so this is one network with the states that have one.
            post = circuit.battery
            others.append(net.CurrentSource(post.positive_node, post.negative_node, 0.0, "bank", takes=True))
            amps = np.zeros(1)
        network = net.network_of([*others, *resistors], engine.network.reference)
        emf = np.array(at_rest.emf_v, dtype=float)
        if not at_output:
            for k, e in enumerate(network.emfs):
                emf[k] = self.day.rest_v.get(e.id, emf[k])
        if setup.state is BenchState.ASLEEP:
            emf = self._equalised(network, emf)
        values = replace(at_rest, resistor_ohm=ohm, emf_v=emf, current_a=amps, **between)
        try:
            rest = network.settle(engine.holding(values) if held else values)
        except net.NoOperatingPointError:
            rest = None
        main = circuit.alternator.id
        moves = main in engine.lifted and (held or network.links)
        lifted = Lift(engine, main, np.asarray(at_rest.emf_v, dtype=float), held) if moves else None
        return Assembled(setup, state, network, values, rest, lifted, consumers, slip, off)

    @cached_property
    def _loads_off(self) -> dict[str, net.Resistor]:
        """All loads, switched off."""
        leaks: dict[str, net.Resistor] = {}
        for name in (BenchState.IDLE_LOADED, BenchState.CRANKING):
            state = state_of(Setup(name), self.circuit).model_copy(update={"bank": None})
            every = {r.id: r for r in Engine(self.circuit, state, True, wirings=self._wirings).network.resistors}
            leaks |= {x.id: replace(every[x.id], ohm=np.inf) for x in self.circuit.loads if x.id in every}
        return leaks

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
        predicted = np.full((len(suspects), len(placed)), np.nan)
        by_itself: dict[Setup, Mapping[str, Floats]] = {}
        for k, (point, setup) in enumerate(placed):
            if point.indicator:
                predicted[:, k] = self._indicated(point, suspects, amounts)
            elif _alone(point, setup):
                predicted[:, k] = self._by_itself(point, setup, suspects, amounts, by_itself)[0]
        for group in self._grouped(placed, apart=True):
            values = group.placing.values(suspects, amounts, near)
            at = group.placing.many[0]
            rest = at.rest if near else None
            if at.lift is None:
                solved = at.network.solve_many(values, rest, lenient=True)
            else:
                solved = at.lift.met(at.network, values, rest, at.rest)
            predicted[:, group.columns] = group.read(solved, 1).T
        for k, there in _at_sense_wires(placed, suspects):
            predicted[:, k] *= there
        for k, unknown, with_it in self._along_sense_wires(placed, suspects):
            predicted[:, k] -= with_it * amounts[:, unknown]
        return predicted

    def slopes(self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], rows: Floats) -> tuple[Floats, Floats]:
        """Readings (suspects, points) as `predict` has them, and what each unknown does to them (suspects, points, unknowns).

        What is looked at and no network says has no slope, a shaft's speed aside.
        """
        # Every unknown moves every node of every state: of a large vehicle a few suspects at a time.
        each = sum(len(g.placing.many) for g in self._grouped(placed)) * len(self.circuit.nodes) * len(self.unknowns)
        at_once = max(1, MOST_SLOPES // max(each, 1))
        parts = [
            self._slopes(placed, suspects[k : k + at_once], rows[k : k + at_once])
            for k in range(0, max(len(suspects), 1), at_once)
        ]
        return np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts])

    def _slopes(self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], rows: Floats) -> tuple[Floats, Floats]:
        predicted = np.full((len(suspects), len(placed)), np.nan)
        by_unknown = np.zeros((*predicted.shape, len(self.unknowns)))
        by_itself: dict[Setup, Mapping[str, Floats]] = {}
        for k, (point, setup) in enumerate(placed):
            if point.indicator:
                predicted[:, k] = self._indicated(point, suspects, rows)
                if point.indicator == "shaft" and (slip := self.unknowns.at(What.SLIP, point.element)) is not None:
                    turns = np.array([h.indications.get(("shaft", point.element), 1.0) for h in suspects])
                    by_unknown[:, k, slip] = -self._shaft_rpm(point.element) * turns
            elif _alone(point, setup):
                predicted[:, k], by_unknown[:, k] = self._by_itself(point, setup, suspects, rows, by_itself)
        for group in self._grouped(placed):
            at, states = group.placing.many[0], len(group.placing.many)
            values = group.placing.values(suspects, rows, True)
            if at.lift is None:
                which = np.repeat(np.arange(states), len(suspects))
                solved, slopes, _ = at.network.solve_with_slopes(values, group.probes, which, group.placing.near, which)
                shown, moved, emf_a = group.probes.read(solved, states), group.probes.by_probe(slopes, states), solved.emf_a
            else:
                emf_a, shown, moved = at.lift.met_with_slopes(at.network, values, at.rest, group.probes)
            polarity, of = group.polarity, group.probes.of[: len(group.columns)]
            predicted[:, group.columns] = (shown * polarity[:, None]).T
            moved = moved * polarity[:, None, None]
            by_unknown[:, group.columns] = group.placing.chained(suspects, values, rows, emf_a, moved, of)
        for k, there in _at_sense_wires(placed, suspects):
            predicted[:, k] *= there
            by_unknown[:, k] *= there[:, None]
        for k, unknown, with_it in self._along_sense_wires(placed, suspects):
            predicted[:, k] -= with_it * rows[:, unknown]
            by_unknown[:, k, unknown] -= with_it
        return predicted, by_unknown

    def _along_sense_wires(self, placed: Sequence[Placed], suspects: Sequence[Hypothesis]) -> list[tuple[int, int, Floats]]:
        """Readings at the end of a sense wire with the engine running: by place, the set point they lie below the battery by, and with
        which hypotheses they do. What is lost along the wire is what the battery gets too much."""
        return [
            (k, at, np.array([("sense_drop", p.element) in h.indications for h in suspects], dtype=float))
            for k, (p, setup) in enumerate(placed)
            if p.sense_wire and setup.state in RUNNING and (at := self.unknowns.at(What.SET_POINT, p.element)) is not None
        ]

    def _grouped(self, placed: Sequence[Placed], apart: bool = False) -> list[_Group]:
        """Readings that a network says, by the states that are solved together: those of one network, a call costs more than its rows do.

        apart: every state by itself
        """
        # By what they are, not by what they hold: to hash that takes longer than all else here.
        key = apart, tuple(map(id, chain.from_iterable(placed)))
        if len(self._groups) > MOST_KEPT:
            self._groups.clear()
        if key not in self._groups:
            by_setup: dict[Setup, list[int]] = {}
            for k, (point, setup) in enumerate(placed):
                if not point.indicator and not _alone(point, setup):
                    by_setup.setdefault(setup, []).append(k)
            together: dict[Hashable, list[Setup]] = {}
            for setup in by_setup:
                at = self.assembled(setup)
                alike = (at.network, at.rest is None, setup.state is BenchState.AT_OUTPUT)
                together.setdefault(setup if apart or at.lift is not None else alike, []).append(setup)
            # Kept with them: as long as they live no other has their names.
            made = [self._group(placed, {s: by_setup[s] for s in setups}) for setups in together.values()]
            self._groups[key] = tuple(placed), made
        return self._groups[key][1]

    def _group(self, placed: Sequence[Placed], columns: Mapping[Setup, list[int]]) -> _Group:
        every = [k for column in columns.values() for k in column]
        of = np.repeat(np.arange(len(columns)), [len(column) for column in columns.values()])
        placing, points = self._placing(tuple(columns)), [placed[k][0] for k in every]
        probes: list[net.Probe] = [net.Across(p.red, p.black) if p.red else net.Through(p.element) for p in points]
        # Asleep a drain is read, out of the battery; running, what goes into it.
        batteries = {e.id for e in placing.network.emfs}
        out = [not p.red and p.element in batteries and p.state is BenchState.ASLEEP for p in points]
        if (lift := placing.many[0].lift) is not None:
            probes, of = [*probes, lift.probe], np.append(of, 0)
        return _Group(every, placing, net.Probes(placing.network, probes, of.tolist()), np.where(out, -1.0, 1.0))

    def _placing(self, setups: tuple[Setup, ...]) -> Placing:
        if setups not in self._placings:
            states = [self.assembled(s) for s in setups]
            self._placings[setups] = Placing(self.circuit, self.unknowns, states, self._slowing, self.day.idle_rpm)
        return self._placings[setups]

    def _shaft_rpm(self, alternator: str) -> float:
        return IDLE_RPM * next(a.pulley_ratio for a in self.circuit.alternators if a.id == alternator)

    def _indicated(self, point: Point, suspects: Sequence[Hypothesis], rows: Floats) -> Floats:
        """What is looked at, not solved: a lamp, a belt, a plate, a shaft's speed, ripple; how likely who drives it has noticed what he is asked."""
        if point.indicator == "shaft":
            slip = self.unknowns.at(What.SLIP, point.element)
            lost = np.zeros(len(suspects)) if slip is None else np.clip(rows[:, slip], 0.0, MOST_SLIP)
            turns = np.array([h.indications.get(("shaft", point.element), 1.0) for h in suspects])
            return np.asarray(self._shaft_rpm(point.element) * (1 - lost) * turns)
        if point.hearsay:
            return np.array([h.noticed.get(point.indicator, fault_table().noticed[point.indicator]) for h in suspects])
        alternator = next(a for a in self.circuit.alternators if a.id == point.element)
        usual = {
            "lamp": 1.0,
            "belt": 1.0,
            "plate": alternator.rated_a,
            "ripple": fault_table().usual_ripple_vpp * self.circuit.system_voltage_v / 12,
            "clear": 1.0,
            "phases": 1.0,
        }[point.indicator]
        return np.array([h.indications.get((point.indicator, point.element), usual) for h in suspects])

    def _by_itself(
        self, point: Point, setup: Setup, suspects: Sequence[Hypothesis], rows: Floats, made: dict[Setup, Mapping[str, Floats]]
    ) -> tuple[Floats, Floats]:
        """A contact under a milliohm meter, or a battery alone: at rest, under a load of its own, its cold cranking current by a conductance
        tester, which goes with the conductance; with what each unknown does to it.

        made: values of the states that others of these suspects were asked in, added to
        """

        u, slopes = self.unknowns, np.zeros((len(suspects), len(self.unknowns)))
        there = Setup(BenchState.KEY_ON if point.quantity == "resistance" else BenchState.REST)
        placing = self._placing((there,))
        if there not in made:
            made[there] = placing.parts_alone(suspects, rows)
        values = made[there]
        if point.quantity == "resistance":
            k = u.branch_ids.index(point.element) if point.element in u.branch_ids else None
            ohm = values["resistor_ohm"][:, placing.resistor[point.element]]
            if k is not None:
                slopes[:, k] = (ohm < MOST_OHM) * placing.present(suspects, k)
            return np.minimum(ohm, MOST_OHM), slopes
        row = next(j for j, e in enumerate(placing.network.emfs) if e.id == point.element)
        if point.quantity == "stated_current":
            battery = next(b for b in self.circuit.batteries if b.id == point.element)
            # Of one that is as sound as its rating lets expect it shows the rating.
            expected = np.exp(u.centre[u.place[What.OHM_SHARE, point.element]])
            sound_ohm = np.asarray(placing.many[0].values.emf_ohm)[..., row] * expected
            cca_a = (battery.cca_a or 0.0) * battery.parallel * sound_ohm / values["emf_ohm"][:, row]
            self._by_ohm(slopes, point.element, -cca_a)
            return cca_a, slopes
        volts = values["emf_v"][:, row].copy()
        for what in (What.EMF, What.CHARGE):
            if (k := u.at(what, dict(u.group_of)[point.element] if what is What.CHARGE else point.element)) is not None:
                slopes[:, k] = 1.0
        if setup.state is BenchState.BATTERY_LOAD:
            battery = next(b for b in self.circuit.batteries if b.id == point.element)
            sags = load_test_a(battery) * values["emf_ohm"][:, row]
            volts -= sags
            self._by_ohm(slopes, point.element, -sags)
            slopes[volts < 0] = 0.0
        return np.maximum(volts, 0.0), slopes

    def _by_ohm(self, slopes: Floats, battery: str, moved: Floats) -> None:
        """What a battery's own resistance does to a reading of it alone, by the natural logarithm of that."""
        u = self.unknowns
        slopes[:, u.place[What.OHM_SHARE, battery]] = moved
        for group in u.alike[What.OHM_ALIKE]:
            if battery in group:
                slopes[:, u.place[What.OHM_ALIKE, group[0]]] = moved


@dataclass(frozen=True)
class _Group:
    """Readings whose states are solved together."""

    columns: list[int]
    """Which of all."""
    placing: Placing
    probes: net.Probes
    """Where meters are, and behind them what is to be met where a stud's voltage was read."""
    polarity: Floats
    """-1 where a reading is against the element's direction."""

    def read(self, solved: net.Solved, states: int) -> Floats:
        """What meters show of answers (readings, suspects)."""
        return np.asarray(self.probes.read(solved, states)[: len(self.columns)] * self.polarity[:, None])


def _alone(point: Point, setup: Setup) -> bool:
    """Whether a reading is of a contact, or of a battery alone, for which nothing has to be solved."""
    return point.quantity == "resistance" or setup.state in (BenchState.REST, BenchState.BATTERY_LOAD)


def _at_sense_wires(placed: Sequence[Placed], suspects: Sequence[Hypothesis]) -> list[tuple[int, Floats]]:
    """Readings at the end of a sense wire, by place, and what of the voltage is there with each hypothesis."""
    return [
        (k, np.array([h.indications.get(("sense", p.element), 1.0) for h in suspects]))
        for k, (p, _) in enumerate(placed)
        if p.sense_wire
    ]
