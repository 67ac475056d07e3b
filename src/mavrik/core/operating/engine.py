"""A circuit at a state, brought to rest."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.operating.elements import elements_of
from mavrik.core.operating.state import State, check_state, is_on
from mavrik.core.operating.warm_cables import SETTLED_K, WARM_ROUNDS, WarmCables


class Engine:
    """A circuit at a state, its branches as measured where they were, assembled once: solved as it is, or swept over arrays of values."""

    def __init__(
        self,
        circuit: Circuit,
        state: State,
        checked: bool = False,
        extra_ohm: Mapping[str, float] | None = None,
        extra_emf_v: Mapping[str, float] | None = None,
    ) -> None:
        """Assemble it.

        checked: the circuit has passed `check_circuit` already, as for another state of it
        extra_ohm: resistance beyond that of the document, by branch id [ohm]
        extra_emf_v: open-circuit voltage beyond what the document's charge gives, by battery id [V]
        Raises CircuitError for a circuit that cannot be computed or a state that names what is not there.
        """
        problems = (not checked and check_circuit(circuit)) or check_state(circuit, state)
        if problems:
            raise CircuitError(problems)
        self.circuit, self.state = circuit, state
        self.elements = elements_of(circuit, state)
        self.network = net.network_of(self.elements, circuit.alternator.case_node)
        own = net.values_of(self.elements)
        charged = np.array([(extra_emf_v or {}).get(e.id, 0.0) for e in self.network.emfs])
        self._own = replace(own, emf_v=np.asarray(own.emf_v, dtype=float) + charged)
        by_id = {b.id: b for b in circuit.branches}
        metal = [(k, by_id[r.id]) for k, r in enumerate(self.network.resistors) if r.id in by_id]
        self._rows = np.array([k for k, _ in metal], dtype=int)
        self._extra = np.array([(extra_ohm or {}).get(b.id, 0.0) for _, b in metal])
        self.warm = WarmCables([b for _, b in metal], measured=True)
        self._around_c = self.warm.around_c(state.engine_space_c, state.ambient_c)

    def values(self, temperature_c: NDArray[np.float64] | None = None) -> net.Values:
        """The network's values with branches at their temperatures, or at that of their surroundings."""
        ohm = np.array(self._own.resistor_ohm, dtype=float)
        ohm[self._rows] = self.warm.ohm(self._around_c if temperature_c is None else temperature_c) + self._extra
        return net.Values(**{**self._own.__dict__, "resistor_ohm": ohm})

    def _check_outputs(self, rest: net.Batch) -> None:
        """Raises NoOperatingPointError for a known output that has nowhere to go."""
        if not self.state.output_a:
            return
        found = self.network.named(rest)
        for a in self.circuit.alternators:
            if a.id in self.state.output_a and found.between(a.stud_node, a.case_node) > NOWHERE_V:
                amps = self.state.output_a[a.id]
                raise net.NoOperatingPointError(
                    f"{a.label} is said to give {amps:g} A, and nothing is connected that could take it.", [a.id]
                )

    @cached_property
    def lifted(self) -> dict[str, NDArray[np.float64]]:
        """Which batteries each stud with a voltage that was read reaches, 1 or 0 in the network's order."""
        if not self.state.stud_v:
            return {}
        studs = {a.id: a.stud_node for a in self.circuit.alternators if a.id in self.state.stud_v}
        return {i: self.reached(stud, ()) for i, stud in studs.items()}

    def _guessed(self, values: net.Values) -> net.Values:
        """Batteries about where a stud's voltage says they are: what nothing else takes of its output goes into them."""
        emf, ohm = np.array(values.emf_v, dtype=float), np.asarray(values.emf_charging_ohm, dtype=float)
        bank = self.state.bank.current_a if self.state.bank else 0.0
        left = sum(self.state.output_a.values()) - bank
        left -= sum(x.current_a for x in self.circuit.loads if is_on(x, self.state))
        for name, lifted in self.lifted.items():
            if lifted.any():
                into = max(left, 0.0) / float(lifted @ (1.0 / ohm))
                emf += lifted * (self.state.stud_v[name] - into - float(lifted @ emf) / lifted.sum())
        return replace(values, emf_v=emf)

    def _as_charged(self, rest: net.Batch, values: net.Values) -> tuple[net.Batch, net.Values]:
        """Bring the batteries to where the voltage read at a stud says they are.

        A known output goes into a battery whatever its voltage; how charged the batteries were that day only the reading tells.
        All that the stud reaches through closed metal move together: what one has over another stays as the document has it.
        """
        for a in self.circuit.alternators:
            lifted = self.lifted.get(a.id)
            if lifted is None or not lifted.any():
                continue
            own = np.array(values.emf_v, dtype=float)
            rest, values = self._lift(rest, values, own, lifted, a.id)
            # A battery behind a link that has opened takes nothing of the output: it stays where the document has it.
            still = lifted * self.reached(a.stud_node, self.network.named(rest).open_ids)
            if still.any() and (still != lifted).any():
                rest, values = self._lift(
                    rest, values, np.where(still > 0, np.asarray(values.emf_v), self._own.emf_v), still, a.id
                )
        return rest, values

    def _lift(
        self, rest: net.Batch, values: net.Values, start: NDArray[np.float64], lifted: NDArray[np.float64], alternator_id: str
    ) -> tuple[net.Batch, net.Values]:
        """Move some batteries together until the stud has the voltage that was read.

        start: volts to begin with, of every battery; lifted: which move
        """
        a = next(a for a in self.circuit.alternators if a.id == alternator_id)
        if (start != np.asarray(values.emf_v)).any():
            # Afresh: what has cut off at a voltage that never was is on again.
            values = replace(values, emf_v=start)
            rest = self.network.settle(values)
        # The first step falls short on purpose: one too far would open a link that holds.
        lift, step, before, gain = 0.0, 0.0, 0.0, 1.25
        for k in range(LIFT_ROUNDS):
            short = self.state.stud_v[a.id] - self._between(rest, a.stud_node, a.case_node)
            if abs(short) < LIFTED_V:
                break
            # What hangs on the batteries takes its share of each step, which the step before has shown; anything else than
            # a share was a link that opened or closed on the way.
            if k:
                share = (before - short) / step
                gain = share if 0 < share < 1 else 1.0
            step, before = short / gain, short
            lift += step
            values = replace(values, emf_v=start + lift * lifted)
            rest = self.network.settle(values, rest)
        return rest, values

    def reached(self, stud: str, open_ids: Collection[str]) -> NDArray[np.float64]:
        """Which batteries a stud reaches through what is closed, 1 or 0 in the network's order.

        stud: node; open_ids: of branches, beside those that the document has open
        """
        found = reach(graph_of(b for b in self.circuit.branches if b.id not in open_ids), stud)
        plus = {b.id: b.positive_node for b in self.circuit.batteries}
        return np.array([float(plus[e.id] in found) for e in self.network.emfs])

    def _between(self, rest: net.Batch, plus: str, minus: str) -> float:
        if rest.net is not self.network:
            return self.network.named(rest).between(plus, minus)
        volts, row = rest.answer.node_v[0], self.network.row
        return float(volts[row[plus]] - volts[row[minus]])

    def settle(self) -> Settled:
        """Bring the circuit to rest, with its cables warmed up where the state says so. Raises NoOperatingPointError."""
        temperature = self._around_c
        values = self.values(temperature)
        if self.lifted:
            values = self._guessed(values)
        rest = self.network.settle(values)
        self._check_outputs(rest)
        if self.state.warmed_up:
            for _ in range(WARM_ROUNDS):
                amps = rest.answer.resistor_a[0, self._rows]
                hotter = self.warm.settled_c(amps, self._around_c)
                if np.abs(hotter - temperature).max(initial=0.0) < SETTLED_K:
                    break
                temperature = hotter
                values = replace(values, resistor_ohm=self.values(temperature).resistor_ohm)
                rest = self.network.settle(values, rest)
        rest, values = self._as_charged(rest, values)
        by_id = {b.id: t for b, t in zip(self.warm.branches, temperature.tolist(), strict=True)}
        return Settled(self, self.network.named(rest), rest, values, by_id)


LIFT_ROUNDS = 12
LIFTED_V = 1e-5
"""A stud voltage is met when it is met far below any meter's last digit."""


@dataclass(frozen=True)
class Settled:
    """A circuit at rest: what a probe could read, and what further questions begin from."""

    engine: Engine
    solution: net.Solution
    rest: net.Batch
    values: net.Values
    temperature_c: Mapping[str, float]
    """Of the branches, by id."""

    @property
    def ohm(self) -> list[float]:
        """Resistances in the order of the network's resistors [ohm]."""
        return np.asarray(self.values.resistor_ohm, dtype=float).tolist()  # type: ignore[no-any-return]


NOWHERE_V = 10_000.0
"""A known output drives a full battery to some hundred volts in the reckoning; what is beyond this meets an open circuit."""
