"""What every hypothesis would let the meters read, all of them solved at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.circuit import Circuit, DiodeBranch, LinkBranch
from mavrik.core.diagnosis.hypotheses import Hypothesis, What, fault_table
from mavrik.core.operating import Engine
from mavrik.core.procedures import Ask, BenchState, Unit, half_cca_a, ohmic, state_of
from mavrik.core.procedures.states import IDLE_RPM
from mavrik.core.topology import neighbours, reach

Floats = NDArray[np.float64]
OPEN_OHM = 1e7
NO_DRAIN_OHM = 1e9
MOST_MOHM = 1000.0
"""What a milliohm meter still shows of an open contact."""


class BenchModel:
    """A circuit at the states of the bench, assembled once, with a place for every fault."""

    def __init__(
        self,
        circuit: Circuit,
        rest_v: Mapping[str, float] | None = None,
        read: bool = True,
        output_a: float | None = None,
        checked: bool = False,
    ) -> None:
        """Assemble nothing yet.

        rest_v: volts at rest, by battery: how charged they really are
        output_a: the known output of a drop test [A]
        checked: the circuit is known to be sound as a document
        read: whether those were read, a dead cell and all; otherwise they are what the batteries would have without a fault
        """
        self.output_a, self._checked = output_a, checked
        self._read_ids = frozenset(rest_v or ()) if read else frozenset()
        self.circuit = ohmic(circuit)
        self.rest_v = dict(rest_v or {})
        self._at: dict[BenchState, tuple[Engine, net.Network, net.Values]] = {}

    def _engine(self, state: BenchState) -> tuple[Engine, net.Network, net.Values]:
        if state not in self._at:
            engine = Engine(self.circuit, state_of(state, self.circuit, self.output_a), self._checked)
            self._checked = True
            drains = [
                net.Resistor(f"drain:{b.id}", b.positive_node, b.negative_node, NO_DRAIN_OHM) for b in self.circuit.batteries
            ]
            # Behind the circuit's own, so that its rows stay where they are.
            network = net.Network([*engine.elements, *drains], engine.network.reference)
            own = engine.values()
            ohm = np.concatenate((np.asarray(own.resistor_ohm, dtype=float), [d.ohm for d in drains]))
            emf = np.array(own.emf_v, dtype=float)
            for k, e in enumerate(network.emfs):
                emf[k] = self.rest_v.get(e.id, emf[k])
            if state is BenchState.ASLEEP and not self.rest_v:
                emf = self._equalised(network, emf)
            self._at[state] = engine, network, replace(own, resistor_ohm=ohm, emf_v=emf)
        return self._at[state]

    def _equalised(self, network: net.Network, emf: Floats) -> Floats:
        """Batteries that metal joins have come to one voltage overnight, whatever the document says of each."""
        near = neighbours(b for b in self.circuit.branches if not isinstance(b, DiodeBranch | LinkBranch))
        plus = {b.id: b.positive_node for b in self.circuit.batteries}
        joined = [[j for j, o in enumerate(network.emfs) if plus[o.id] in reach(plus[e.id], near)] for e in network.emfs]
        return np.array([emf[own].mean() for own in joined])

    def predict(self, asks: Sequence[Ask], suspects: Sequence[Hypothesis]) -> Floats:
        """Readings (suspects, asks), each in the unit of its ask; NaN where a circuit has no rest."""
        found = np.full((len(suspects), len(asks)), np.nan)
        direct = [k for k, a in enumerate(asks) if a.unit is Unit.MILLIOHM]
        if direct:
            _, network, own = self._engine(BenchState.KEY_ON)
            ohm = np.asarray(_changed(network, own, suspects, self._read_ids).resistor_ohm)
            resistor = {r.id: k for k, r in enumerate(network.resistors)}
            found[:, direct] = np.minimum(ohm[:, [resistor[asks[k].element] for k in direct]] * 1000, MOST_MOHM)
        for state in dict.fromkeys(a.state for a in asks if not a.sign and a.unit is not Unit.MILLIOHM):
            columns = [k for k, a in enumerate(asks) if a.state is state and not a.sign and a.unit is not Unit.MILLIOHM]
            found[:, columns] = self._at_state(state, [asks[k] for k in columns], suspects)
        for k, ask in enumerate(asks):
            if ask.sign:
                found[:, k] = [_sign(self.circuit, ask, h) for h in suspects]
        return found

    def _at_state(self, state: BenchState, asks: list[Ask], suspects: Sequence[Hypothesis]) -> Floats:
        _, network, own = self._engine(state)
        values = _changed(network, own, suspects, self._read_ids)
        if state is BenchState.REST:
            # Each battery alone: its own voltage, whatever hangs beside it.
            alone = {e.id: k for k, e in enumerate(network.emfs)}
            return np.asarray(values.emf_v, dtype=float)[:, [alone[a.element] for a in asks]]
        if state is BenchState.BATTERY_LOAD:
            own_battery = {b.id: b for b in self.circuit.batteries}
            row = {e.id: k for k, e in enumerate(network.emfs)}
            at = [row[a.element] for a in asks]
            amps = np.array([half_cca_a(self.circuit, own_battery[a.element]) for a in asks])
            loaded = np.asarray(values.emf_v, dtype=float)[:, at] - amps * np.asarray(values.emf_ohm, dtype=float)[:, at]
            return np.asarray(np.maximum(loaded, 0.0))
        return _read(network, network.solve_many(values, lenient=True), asks)


SWEPT = ("resistor_ohm", "limit_a", "set_point_v", "emf_v", "emf_ohm", "emf_charging_ohm")


def _changed(network: net.Network, own: net.Values, suspects: Sequence[Hypothesis], read: frozenset[str]) -> net.Values:
    """The values of every suspect, one row each; a battery in `read` has shown already what a dead cell does to it."""
    rows = {name: np.tile(np.asarray(getattr(own, name), dtype=float), (len(suspects), 1)) for name in SWEPT}
    resistor = {r.id: k for k, r in enumerate(network.resistors)}
    source = {s.id: k for k, s in enumerate(network.sources)}
    emf = {e.id: k for k, e in enumerate(network.emfs)}
    for row, hypothesis in enumerate(suspects):
        for c in hypothesis.changes:
            if c.what in (What.MORE_OHM, What.OPEN) and c.element in resistor:
                ohm = rows["resistor_ohm"][row]
                ohm[resistor[c.element]] = OPEN_OHM if c.what is What.OPEN else ohm[resistor[c.element]] + c.amount
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
                rows["resistor_ohm"][row, resistor[f"drain:{c.element}"]] = rows["emf_v"][row, emf[c.element]] / c.amount
    return replace(own, **rows)


def _read(network: net.Network, found: net.Solved, asks: list[Ask]) -> Floats:
    source = {s.id: k for k, s in enumerate(network.sources)}
    emf = {e.id: k for k, e in enumerate(network.emfs)}
    resistor = {r.id: k for k, r in enumerate(network.resistors)}
    columns = []
    for ask in asks:
        if ask.red:
            read = found.node_v[:, network.row[ask.red]] - found.node_v[:, network.row[ask.black]]
        elif ask.element in source:
            read = found.source_a[:, source[ask.element]]
        elif ask.element in emf:
            # Asleep a drain is read, out of the battery; running, what goes into it.
            into = found.emf_a[:, emf[ask.element]]
            read = fault_table().modules_asleep_a - into if ask.state is BenchState.ASLEEP else into
        else:
            read = found.resistor_a[:, resistor[ask.element]]
        columns.append(read)
    return np.stack(columns, axis=1)


def _sign(circuit: Circuit, ask: Ask, hypothesis: Hypothesis) -> float:
    alternator = next(a for a in circuit.alternators if a.id == ask.element)
    usual = {
        "lamp": 1.0,
        "belt": 1.0,
        "plate": alternator.rated_a,
        "shaft": IDLE_RPM * alternator.pulley_ratio,
        "ripple": fault_table().ripple_vpp["none"] * circuit.system_voltage_v / 12,
    }[ask.sign]
    return hypothesis.signs.get((ask.sign, ask.element), usual)
