"""The network of a circuit with everything that is switched in it, for as many switch positions at once as one likes."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.isolation.documents import Switching
from mavrik.core.operating import Engine, State
from mavrik.core.operating.bench_states import ohmic

Bools: TypeAlias = NDArray[np.bool_]
Floats: TypeAlias = NDArray[np.float64]

OFF_OHM = 1e7
"""What is off still lets about a microampere through, as everything real does: what is cut off on one side lies where its other
side is. Our choice, no source."""

STANDING, IDLING, FAST, CRANKING = 0, 1, 2, 3
"""What the engine does: stands, turns by itself at idle or under way, is turned by the starter."""


@dataclass(frozen=True)
class Positions:
    """Many positions, a row each."""

    engine: NDArray[np.int8]
    contacts: Bools
    """Closed, (rows, contacts) in the switching's order."""
    loads: Bools
    """On, (rows, loads) in the circuit's order."""
    coils: Bools
    """Joined to their supply, (rows, senses)."""
    excited: Bools
    """With a field, (rows, alternators)."""

    def keys(self) -> NDArray[np.int8]:
        """All of it as one array, a row each."""
        parts = (self.engine[:, None], self.contacts, self.loads, self.coils, self.excited)
        return np.concatenate([p.astype(np.int8) for p in parts], axis=1)

    def of(self, rows: NDArray[np.int64]) -> Positions:
        """Some of them."""
        return Positions(self.engine[rows], self.contacts[rows], self.loads[rows], self.coils[rows], self.excited[rows])


@dataclass(frozen=True)
class Volts:
    """What the network says of many positions."""

    node_v: Floats
    """Against the first alternator's case, (rows, nodes) in the circuit's order."""
    battery_a: Floats
    """Into each battery, (rows, batteries)."""
    source_a: Floats
    """Of each alternator, (rows, alternators)."""
    contact_a: Floats
    """Through each contact, (rows, contacts)."""
    none: Bools
    """Whether no voltages satisfy it."""

    def of(self, rows: NDArray[np.int64]) -> Volts:
        """Some of them."""
        return Volts(*(getattr(self, f.name)[rows] for f in fields(self)))


class Wired:
    """A circuit with all its contacts closed and all its loads there: what is open or off is so in a row's values alone."""

    def __init__(self, circuit: Circuit, switching: Switching) -> None:
        """circuit: the document; switching: checked. Raises CircuitError for a circuit that cannot be computed."""
        # Whatever voltage is left, a load takes of it what its resistance does.
        self.circuit, self.switching = ohmic(circuit), switching
        closed = {c.branch_id: True for c in switching.contacts}
        on = {x.id: True for x in circuit.loads if not x.cranking}
        kinds = [
            State(engine_rpm=0.0, contacts=closed, loads_on=on, chargers_on=False, converters_on=False),
            State(engine_rpm=switching.idle_rpm, contacts=closed, loads_on=on, chargers_on=False),
            State(engine_rpm=switching.fast_rpm, contacts=closed, loads_on=on, chargers_on=False),
            State(engine_rpm=0.0, cranking=True, contacts=closed, loads_on=on, chargers_on=False, converters_on=False),
        ]
        engines = [Engine(self.circuit, s, checked=k > 0, off_too=True) for k, s in enumerate(kinds)]
        volts = circuit.system_voltage_v
        coils = [
            net.Resistor(f"coil:{s.id}", s.plus_node, s.minus_node, volts / s.takes_a + s.lead_ohm)
            for s in switching.senses
            if s.takes_a > 0
        ]
        # What has electronics in it leaks as a consumer does that is off.
        across = [(a.id, a.stud_node, a.case_node) for a in circuit.alternators]
        across += [(c.id, c.out_node, c.ground_node) for c in circuit.converters]
        leaks = [net.Resistor(f"leak:{i}", plus, minus, OFF_OHM) for i, plus, minus in across]
        elements = [[*e.elements, *leaks, *coils] for e in engines]
        self.network = net.network_of(elements[0], circuit.alternator.case_node)
        values = [net.values_of(e) for e in elements]
        self._ohm = np.array([self._with_warmth(e, v, len(leaks) + len(coils)) for e, v in zip(engines, values, strict=True)])
        self._base = values[0]
        self._limit = np.array([np.asarray(v.limit_a, dtype=float) for v in values])
        self._converter_limit = np.array([np.asarray(v.converter_limit_a, dtype=float) for v in values])
        row = {r.id: k for k, r in enumerate(self.network.resistors)}
        self._of_contact = np.array([row[c.branch_id] for c in switching.contacts], dtype=int)
        self._of_load = np.array([row[x.id] for x in circuit.loads], dtype=int)
        self._coils = np.array([k for k, s in enumerate(switching.senses) if s.takes_a > 0], dtype=int)
        self._of_coil = np.array([row[c.id] for c in coils], dtype=int)
        units = {s.id: k for k, s in enumerate(self.network.sources)}
        self._of_unit = np.array([units[a.id] for a in circuit.alternators], dtype=int)
        batteries = {e.id: k for k, e in enumerate(self.network.emfs)}
        self._of_battery = np.array([batteries[b.id] for b in circuit.batteries], dtype=int)
        # A node that only open contacts and nothing else touches is in no network: it lies at 0 V.
        self._of_node = np.array([self.network.row.get(n.id, -1) for n in circuit.nodes], dtype=int)
        self.node = {n.id: k for k, n in enumerate(circuit.nodes)}

    @staticmethod
    def _with_warmth(engine: Engine, values: net.Values, more: int) -> Floats:
        """Branches at the temperature of the air round them; a starter that does not crank is there and open in all rows alike."""
        ohm = np.array(values.resistor_ohm, dtype=float)
        ohm[: len(ohm) - more] = engine.values().resistor_ohm
        return ohm

    def solve(self, at: Positions) -> Volts:
        """Every position at rest.

        at: the positions
        """
        rows = len(at.engine)
        engine = at.engine.astype(int)
        ohm = self._ohm[engine].copy()
        # Of a load the row says whether it is on; its resistance is that of a state in which it is.
        ohm[:, self._of_load] = np.where(at.loads, self._ohm[:, self._of_load].min(axis=0), OFF_OHM)
        ohm[:, self._of_contact] = np.where(at.contacts, ohm[:, self._of_contact], np.inf)
        ohm[:, self._of_coil] = np.where(at.coils[:, self._coils], ohm[:, self._of_coil], np.inf)
        limit = self._limit[engine].copy()
        limit[:, self._of_unit] = np.where(at.excited, limit[:, self._of_unit], 0.0)
        values = replace(self._base, resistor_ohm=ohm, limit_a=limit, converter_limit_a=self._converter_limit[engine])
        solved = self.network.solve_many(values, lenient=True)
        none: Bools = np.asarray(~np.isfinite(solved.node_v).all(axis=1))
        node_v = np.concatenate((np.nan_to_num(solved.node_v), np.zeros((rows, 1))), axis=1)[:, self._of_node]
        return Volts(
            node_v, np.nan_to_num(solved.emf_a[:, self._of_battery]), np.nan_to_num(solved.source_a[:, self._of_unit]),
            np.nan_to_num(solved.resistor_a[:, self._of_contact]), none,
        )  # fmt: skip
