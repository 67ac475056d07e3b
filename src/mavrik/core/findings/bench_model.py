"""What every hypothesis would let the meters read, all of them solved at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.circuit import Circuit, as_sound
from mavrik.core.circuit.graph import metal_of, reach
from mavrik.core.findings.hypotheses import Hypothesis, What, fault_table
from mavrik.core.operating.bench_states import IDLE_RPM
from mavrik.core.operating.engine import Engine
from mavrik.core.procedures import BenchState, Point, Setup, half_cca_a, ohmic, state_of

Floats = NDArray[np.float64]
Placed: TypeAlias = tuple[Point, Setup]
"""A measuring point with what is known of the state it is read in."""

OPEN_OHM = 1e7
NO_DRAIN_OHM = 1e9
MOST_OHM = 1.0
"""What a milliohm meter still shows of an open contact."""

LEAST_OHM = 1e-6
"""No metal has less, however far a trial goes below what is sound."""


@dataclass(frozen=True)
class Shift:
    """What is added to the values of every row, beside the changes of its hypothesis."""

    branch_ids: tuple[str, ...]
    more_ohm: Floats
    """(rows, branches)"""
    battery_ids: tuple[str, ...] = ()
    more_emf_v: Floats | None = None
    """(rows, batteries): how far each was charged while an output was read; the other states know nothing of it."""


LIFT_ROUNDS = 4
LIFTED_V = 0.001
"""A stud voltage is met when no meter of the bench would tell."""
LEAST_GAIN = 0.2
"""Of a step the loads take less than this leaves."""

STRAIGHT_V = 0.02
"""So little more of a voltage is found along the slopes as well as by solving again."""


@dataclass(frozen=True)
class At:
    """Where the rows of a fit came to rest in one state of the bench, to begin from the next time."""

    batch: net.Batch
    moved_v: Floats
    """What the batteries were moved by to meet the voltage that was read (rows, batteries)."""


class _Lift:
    """A stud whose voltage was read, in a circuit with links: what is lost on the way the batteries are lower by.

    A link may open at that; what is behind it then takes nothing of the output and stays where the document has it.
    """

    def __init__(self, engine: Engine, alternator_id: str, as_read_v: Floats) -> None:
        """as_read_v: open-circuit voltages with nothing broken, by the network's order."""
        self.engine, self.alternator = engine, next(a for a in engine.circuit.alternators if a.id == alternator_id)
        self.stud_v, self.back_v = engine.state.stud_v[alternator_id], np.asarray(engine.values().emf_v, dtype=float) - as_read_v

    def met(self, network: net.Network, values: net.Values, near: net.Batch | None, sound: net.Batch | None) -> net.Solved:
        """Rows with the voltage met.

        values: of the rows; near: a state at rest that they are near, if any
        sound: the state with nothing broken, which shows what the loads leave of a step; None where there is none
        """
        usual = 1.0
        if sound is not None:
            usual = float(self._gain(network, sound.slopes(), self._reached(network, sound.answer.link_closed))[0])
            usual = usual if usual > LEAST_GAIN else 1.0
        begun = emf = np.asarray(values.emf_v, dtype=float)
        found = network.solve_many(replace(values, emf_v=emf), near, lenient=True)
        before, step = np.zeros(len(emf)), np.zeros(len(emf))
        left = np.arange(len(emf))
        for k in range(LIFT_ROUNDS):
            here = self._short(network, found)[left]
            left, here = left[off := np.abs(here) > LIFTED_V], here[off]
            if not len(left):
                break
            # What hangs on the batteries takes its share of a step, which the one before has shown; anything else than a
            # share was a link that opened or closed on the way.
            gain = np.full(len(left), usual)
            if k:
                share = (before[left] - here) / step[left]
                gain = np.where((share > LEAST_GAIN) & (share < 1.0), share, 1.0)
            step[left], before[left] = here / gain, here
            reached = self._reached(network, found.link_closed[left])
            emf = emf.copy()
            emf[left] = np.where(reached, emf[left] + step[left][:, None], begun[left] + self.back_v)
            some = {n: getattr(values, n)[left] for n in SWEPT}
            again = network.solve_many(replace(values, **{**some, "emf_v": emf[left]}), near, lenient=True)
            found = net.merged(found, left, again)
        return found

    def met_with_slopes(
        self, network: net.Network, values: net.Values, near: net.Batch | None, before: At | None
    ) -> tuple[net.Solved, net.Slopes, At]:
        """The same for a few rows, with slopes along which the voltage stays met.

        before: where the same rows were the last time
        """
        begun = np.asarray(values.emf_v, dtype=float)
        emf = begun if before is None else begun + before.moved_v
        own = np.arange(len(begun))
        near, which = (near, None) if before is None else (before.batch, own)
        for k in range(LIFT_ROUNDS):
            found, slopes, batch = network.solve_with_slopes(replace(values, emf_v=emf), near, which)
            near, which = batch, own
            here = self._short(network, found)
            reached = self._reached(network, found.link_closed)
            gain = self._gain(network, slopes, reached)
            step = np.where(np.abs(here) > LIFTED_V, here / np.where(gain > LEAST_GAIN, gain, 1.0), 0.0)
            if np.abs(here).max() <= STRAIGHT_V or k == LIFT_ROUNDS - 1:
                break
            emf = np.where(step[:, None] == 0.0, emf, np.where(reached, emf + step[:, None], begun + self.back_v))
        # What is left is so little that the slopes carry it.
        last = np.where(reached & (np.abs(here) <= STRAIGHT_V)[:, None], step[:, None], 0.0)
        first = len(network.resistors)
        found = replace(
            found,
            **{
                f.name: getattr(found, f.name) + (getattr(slopes, f.name)[:, :, first:] @ last[:, :, None])[:, :, 0]
                for f in fields(net.Slopes)
            },
        )
        return found, self._held(network, slopes, reached), At(batch, emf + last - begun)

    def _gain(self, network: net.Network, slopes: net.Slopes, reached: NDArray[np.bool_]) -> Floats:
        """What the stud's voltage follows of a step of all the batteries that it reaches, by row."""
        stud, case = network.row[self.alternator.stud_node], network.row[self.alternator.case_node]
        first = len(network.resistors)
        return np.asarray(((slopes.node_v[:, stud, first:] - slopes.node_v[:, case, first:]) * reached).sum(axis=1))

    def _held(self, network: net.Network, slopes: net.Slopes, reached: NDArray[np.bool_]) -> net.Slopes:
        """Slopes with the voltage met whatever moves: the batteries that the stud reaches make good what it would lose."""
        stud, case = network.row[self.alternator.stud_node], network.row[self.alternator.case_node]
        at_stud = slopes.node_v[:, stud] - slopes.node_v[:, case]
        first = len(network.resistors)
        gain = self._gain(network, slopes, reached)
        share = -at_stud / np.where(np.abs(gain) > LEAST_GAIN, gain, np.inf)[:, None]

        def with_lift(own: Floats) -> Floats:
            lifted = np.einsum("sek,sk->se", own[:, :, first:], reached.astype(float))
            return np.asarray(own + lifted[:, :, None] * share[:, None, :])

        return net.Slopes(*(with_lift(getattr(slopes, f.name)) for f in fields(net.Slopes)))

    def _short(self, network: net.Network, found: net.Solved) -> Floats:
        """By how much each row misses the voltage; one without an operating point misses nothing."""
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


def planned(points: Sequence[Point]) -> list[Placed]:
    """Points in the states they are planned for, nothing being known of the day.

    points: of procedures
    """
    return [(p, Setup(p.state)) for p in points]


class BenchModel:
    """A circuit at the states of the bench, assembled once, with a place for every fault."""

    def __init__(
        self, circuit: Circuit, rest_v: Mapping[str, float] | None = None, read: bool = True, checked: bool = False
    ) -> None:
        """Assemble nothing yet.

        rest_v: volts at rest, by battery: how charged they really are
        read: whether those were read, a dead cell and all; otherwise they are what the batteries would have without a fault
        checked: the circuit is known to be one that can be computed
        """
        self._checked = checked
        self._read_ids = frozenset(rest_v or ()) if read else frozenset()
        self.circuit, self._as_drawn = ohmic(circuit), as_sound(circuit)
        self.rest_v = dict(rest_v or {})
        self._at: dict[Setup, tuple[net.Network, net.Values, net.Batch | None]] = {}
        self._lifts: dict[Setup, _Lift] = {}

    def _assembled(self, setup: Setup) -> tuple[net.Network, net.Values, net.Batch | None]:
        if setup not in self._at:
            # A fault may leave a load at any voltage, and a resistance then takes what it gets; at a known output loads are real.
            circuit = self._as_drawn if setup.state is BenchState.AT_OUTPUT else self.circuit
            engine = Engine(circuit, state_of(setup, circuit), self._checked)
            self._checked = True
            drains = [
                net.Resistor(f"drain:{b.id}", b.positive_node, b.negative_node, NO_DRAIN_OHM) for b in self.circuit.batteries
            ]
            # Behind the circuit's own, so that its rows stay where they are.
            network = net.network_of([*engine.elements, *drains], engine.network.reference)
            # At a known output the batteries are where the stud's voltage says.
            at_output = setup.state is BenchState.AT_OUTPUT
            own = engine.settle().values if at_output else engine.values()
            ohm = np.concatenate((np.asarray(own.resistor_ohm, dtype=float), [d.ohm for d in drains]))
            emf = np.array(own.emf_v, dtype=float)
            if not at_output:
                for k, e in enumerate(network.emfs):
                    emf[k] = self.rest_v.get(e.id, emf[k])
            if setup.state is BenchState.ASLEEP and not self.rest_v:
                emf = self._equalised(network, emf)
            values = replace(own, resistor_ohm=ohm, emf_v=emf)
            try:
                rest = network.settle(values)
            except net.NoOperatingPointError:
                rest = None
            self._at[setup] = network, values, rest
            main = self.circuit.alternator.id
            if network.links and main in engine.lifted:
                self._lifts[setup] = _Lift(engine, main, np.asarray(own.emf_v, dtype=float))
        return self._at[setup]

    def _equalised(self, network: net.Network, emf: Floats) -> Floats:
        """Batteries that metal joins have come to one voltage overnight, whatever the document says of each."""
        metal = metal_of(self.circuit.branches)
        plus = {b.id: b.positive_node for b in self.circuit.batteries}
        joined = [[j for j, o in enumerate(network.emfs) if plus[o.id] in reach(metal, plus[e.id])] for e in network.emfs]
        return np.array([emf[own].mean() for own in joined])

    def predict(self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], shift: Shift | None = None) -> Floats:
        """Readings (suspects, points), each in the unit of its quantity; NaN where a circuit has no rest.

        shift: what each row has beside its hypothesis; such rows are near the sound circuit
        """
        found = np.full((len(suspects), len(placed)), np.nan)
        by_network: dict[Setup, list[int]] = {}
        direct = []
        for k, (point, setup) in enumerate(placed):
            if point.indicator:
                found[:, k] = [_indication(self.circuit, point, h) for h in suspects]
            elif point.quantity == "resistance":
                direct.append(k)
            else:
                by_network.setdefault(setup, []).append(k)
        if direct:
            network, own, _ = self._assembled(Setup(BenchState.KEY_ON))
            ohm = np.asarray(_changed(network, own, suspects, self._read_ids, shift).resistor_ohm)
            resistor = {r.id: k for k, r in enumerate(network.resistors)}
            found[:, direct] = np.minimum(ohm[:, [resistor[placed[k][0].element] for k in direct]], MOST_OHM)
        for setup, columns in by_network.items():
            found[:, columns] = self._at_setup(setup, [placed[k][0] for k in columns], suspects, shift)
        return found

    def slopes(
        self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], shift: Shift, before: dict[Setup, At]
    ) -> tuple[Floats, Floats, Floats]:
        """Readings (suspects, points) as `predict` has them, with what each branch and battery of the shift does to them.

        before: where the same rows came to rest the last time, by setup, to begin from; brought up to date
        Returns the readings, their slopes by branch (suspects, points, branches) [1/ohm], and by battery (suspects, points, batteries)
        [1/V]. What no network says, and what is read at rest or under a load of its own, has no slope.
        """
        count, batteries = (len(suspects), len(placed)), len(shift.battery_ids)
        found = np.full(count, np.nan)
        by_branch, by_battery = np.zeros((*count, len(shift.branch_ids))), np.zeros((*count, batteries))
        by_setup: dict[Setup, list[int]] = {}
        plain = []
        for k, (point, setup) in enumerate(placed):
            if point.quantity == "resistance" and not point.indicator:
                by_branch[:, k, [b == point.element for b in shift.branch_ids]] = 1.0
            if point.indicator or point.quantity == "resistance" or setup.state in (BenchState.REST, BenchState.BATTERY_LOAD):
                plain.append(k)
            else:
                by_setup.setdefault(setup, []).append(k)
        if plain:
            found[:, plain] = self.predict([placed[k] for k in plain], suspects, shift)
        for setup, columns in by_setup.items():
            network, own, rest = self._assembled(setup)
            at_output = setup.state is BenchState.AT_OUTPUT
            values = _changed(network, own, suspects, self._read_ids, shift if at_output else replace(shift, more_emf_v=None))
            lift, last = self._lifts.get(setup), before.get(setup)
            if lift is not None:
                solved, slopes, before[setup] = lift.met_with_slopes(network, values, rest, last)
            else:
                near, which = (rest, None) if last is None else (last.batch, np.arange(len(suspects)))
                solved, slopes, batch = network.solve_with_slopes(values, near, which)
                before[setup] = At(batch, np.zeros((1, 1)))
            points = [placed[k][0] for k in columns]
            found[:, columns] = _read(network, solved, points)
            moved = _read(network, slopes, points)
            resistor = {r.id: k for k, r in enumerate(network.resistors)}
            here = [k for k, b in enumerate(shift.branch_ids) if b in resistor]
            by_branch[np.ix_(range(count[0]), columns, here)] = moved[:, :, [resistor[shift.branch_ids[k]] for k in here]]
            if at_output and batteries:
                emf = {e.id: len(network.resistors) + k for k, e in enumerate(network.emfs)}
                by_battery[:, columns] = moved[:, :, [emf[b] for b in shift.battery_ids]]
        return found, by_branch, by_battery

    def _at_setup(self, setup: Setup, points: list[Point], suspects: Sequence[Hypothesis], shift: Shift | None) -> Floats:
        network, own, rest = self._assembled(setup)
        if shift is not None and setup.state is not BenchState.AT_OUTPUT:
            shift = replace(shift, more_emf_v=None)
        values = _changed(network, own, suspects, self._read_ids, shift)
        row = {e.id: k for k, e in enumerate(network.emfs)}
        if setup.state is BenchState.REST:
            # Each battery alone: its own voltage, whatever hangs beside it.
            return np.asarray(values.emf_v, dtype=float)[:, [row[p.element] for p in points]]
        if setup.state is BenchState.BATTERY_LOAD:
            battery = {b.id: b for b in self.circuit.batteries}
            at = [row[p.element] for p in points]
            amps = np.array([half_cca_a(self.circuit, battery[p.element]) for p in points])
            loaded = np.asarray(values.emf_v, dtype=float)[:, at] - amps * np.asarray(values.emf_ohm, dtype=float)[:, at]
            return np.asarray(np.maximum(loaded, 0.0))
        near = rest if shift is not None else None
        lift = self._lifts.get(setup)
        found = network.solve_many(values, near, lenient=True) if lift is None else lift.met(network, values, near, rest)
        return _read(network, found, points)


SWEPT = ("resistor_ohm", "limit_a", "set_point_v", "emf_v", "emf_ohm", "emf_charging_ohm")


def _changed(
    network: net.Network, own: net.Values, suspects: Sequence[Hypothesis], read: frozenset[str], shift: Shift | None
) -> net.Values:
    """The values of every suspect, one row each; a battery in `read` has shown already what a dead cell does to it."""
    rows = {name: np.tile(np.asarray(getattr(own, name), dtype=float), (len(suspects), 1)) for name in SWEPT}
    resistor = {r.id: k for k, r in enumerate(network.resistors)}
    source = {s.id: k for k, s in enumerate(network.sources)}
    emf = {e.id: k for k, e in enumerate(network.emfs)}
    ohm = rows["resistor_ohm"]
    for row, hypothesis in enumerate(suspects):
        for c in hypothesis.changes:
            if c.what is What.MORE_OHM and c.element in resistor:
                ohm[row, resistor[c.element]] += c.amount
            elif c.what is What.OPEN and c.element in resistor:
                ohm[row, resistor[c.element]] = OPEN_OHM
            elif c.what is What.LIMIT_SHARE and c.element in source:
                rows["limit_a"][row, source[c.element]] *= c.amount
            elif c.what is What.SET_POINT and c.element in source:
                rows["set_point_v"][row, source[c.element]] += c.amount
            elif c.what is What.EMF and c.element not in read:
                rows["emf_v"][row, emf[c.element]] += c.amount
            elif c.what is What.OHM_SHARE:
                rows["emf_ohm"][row, emf[c.element]] *= c.amount
                rows["emf_charging_ohm"][row, emf[c.element]] *= c.amount
            elif c.what is What.DRAIN_A:
                ohm[row, resistor[f"drain:{c.element}"]] = rows["emf_v"][row, emf[c.element]] / c.amount
    if shift is not None:
        here = [k for k, i in enumerate(shift.branch_ids) if i in resistor]
        ohm[:, [resistor[shift.branch_ids[k]] for k in here]] += shift.more_ohm[:, here]
        if shift.more_emf_v is not None:
            rows["emf_v"][:, [emf[i] for i in shift.battery_ids]] += shift.more_emf_v
    np.maximum(ohm, LEAST_OHM, out=ohm)
    return replace(own, **rows)


def _read(network: net.Network, found: net.Solved | net.Slopes, points: list[Point]) -> Floats:
    """What meters show of answers (states, points), or how that moves of slopes (states, points, unknowns)."""
    asleep = fault_table().modules_asleep_a if isinstance(found, net.Solved) else 0.0
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
            read = asleep - into if point.state is BenchState.ASLEEP else into
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


def _indication(circuit: Circuit, point: Point, hypothesis: Hypothesis) -> float:
    alternator = next(a for a in circuit.alternators if a.id == point.element)
    usual = {
        "lamp": 1.0,
        "belt": 1.0,
        "plate": alternator.rated_a,
        "shaft": IDLE_RPM * alternator.pulley_ratio,
        "ripple": fault_table().ripple_vpp["none"] * circuit.system_voltage_v / 12,
    }[point.indicator]
    return hypothesis.indications.get((point.indicator, point.element), usual)
