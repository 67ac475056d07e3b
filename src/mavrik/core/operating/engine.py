"""A circuit at a state, brought to rest."""

from __future__ import annotations

from collections.abc import Collection, Generator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.effort import spend
from mavrik.core.operating.crossing import crossing
from mavrik.core.operating.elements import charged_before, device_elements
from mavrik.core.operating.state import State, check_state, is_on
from mavrik.core.operating.warm_cables import SETTLED_K, WARM_ROUNDS
from mavrik.core.operating.wiring import Wirings

T = TypeVar("T")
Settling: TypeAlias = Generator[tuple[net.Values, net.Batch | None], net.Batch, T]
"""Steps on the way to something: each asks for values to be brought to rest, near a state where there is one."""


BRANCH_WORK = 30.0
"""What a branch of a circuit at a state counts for; measured, rough."""


class Engine:
    """A circuit at a state, its branches as measured where they were, assembled once: solved as it is, or swept over arrays of values."""

    def __init__(
        self,
        circuit: Circuit,
        state: State,
        checked: bool = False,
        extra_ohm: Mapping[str, float] | None = None,
        extra_emf_v: Mapping[str, float] | None = None,
        wirings: Wirings | None = None,
        off_too: bool = False,
    ) -> None:
        """Assemble it.

        checked: the circuit has passed `check_circuit` already, as for another state of it
        extra_ohm: resistance beyond that of the document, by branch id [ohm]
        extra_emf_v: open-circuit voltage beyond what the document's charge gives, by battery id [V]
        wirings: where the branches' elements are kept for other states of the circuit
        off_too: see `device_elements`
        Raises CircuitError for a circuit that cannot be computed or a state that names what is not there.
        """
        problems = (not checked and check_circuit(circuit)) or check_state(circuit, state)
        if problems:
            raise CircuitError(problems)
        spend(BRANCH_WORK * len(circuit.branches))
        self.circuit, self.state = circuit, state
        self._wiring = wiring = (wirings or Wirings()).of(circuit, state)
        self.elements = [*(charged_before(e, state) for e in wiring.elements), *device_elements(circuit, state, off_too)]
        self.network = net.network_of(self.elements, circuit.alternator.case_node)
        values = net.values_of(self.elements)
        if extra_emf_v:
            charged = np.array([extra_emf_v.get(e.id, 0.0) for e in self.network.emfs])
            values = replace(values, emf_v=np.asarray(values.emf_v, dtype=float) + charged)
        if extra_ohm and self.network.diodes:
            more = np.array([extra_ohm.get(d.id, 0.0) for d in self.network.diodes])
            values = replace(values, diode_ohm=np.asarray(values.diode_ohm, dtype=float) + more)
        self._own = values
        # A network has the branches' resistances first, as they were made.
        self.warm = wiring.warm
        self._rows = np.arange(len(self.warm.branches))
        self._extra: NDArray[np.float64] | float = 0.0
        if extra_ohm:
            self._extra = np.array([extra_ohm.get(b.id, 0.0) for b in self.warm.branches])
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
        for a in self.circuit.alternators:
            if a.id in self.state.output_a and self._between(rest, a.stud_node, a.case_node) > NOWHERE_V:
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

    def _as_charged(self, rest: net.Batch, values: net.Values) -> Settling[tuple[net.Batch, net.Values]]:
        """Bring the batteries to where the voltage read at a stud says they are.

        A known output goes into a battery whatever its voltage; how charged the batteries were that day only the reading tells.
        All that the stud reaches through closed metal move together: what one has over another stays as the document has it.
        """
        for a in self.circuit.alternators:
            lifted = self.lifted.get(a.id)
            if lifted is None or not lifted.any():
                continue
            emf_v = np.array(values.emf_v, dtype=float)
            rest, values = yield from self._lift(rest, values, emf_v, lifted, a.id)
            # A battery behind a link that has opened takes nothing of the output: it stays where the document has it.
            still = lifted * self.reached(a.stud_node, self._open(rest))
            if still.any() and (still != lifted).any():
                emf_v = np.where(still > 0, np.asarray(values.emf_v), self._own.emf_v)
                rest, values = yield from self._lift(rest, values, emf_v, still, a.id)
        return rest, values

    def _lift(
        self, rest: net.Batch, values: net.Values, start: NDArray[np.float64], lifted: NDArray[np.float64], alternator_id: str
    ) -> Settling[tuple[net.Batch, net.Values]]:
        """Move some batteries together until the stud has the voltage that was read.

        start: volts to begin with, of every battery; lifted: which move
        """
        a = next(a for a in self.circuit.alternators if a.id == alternator_id)
        if (start != np.asarray(values.emf_v)).any():
            # Afresh: what has cut off at a voltage that never was is on again.
            values = replace(values, emf_v=start)
            rest = yield values, None
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
            rest = yield values, rest
        return rest, values

    def reached(self, stud: str, open_ids: Collection[str]) -> NDArray[np.float64]:
        """Which batteries a stud reaches through what is closed, 1 or 0 in the network's order.

        stud: node; open_ids: of branches, beside those that the document has open
        """
        nodes = self._wiring.reached(stud, open_ids)
        plus = {b.id: b.positive_node for b in self.circuit.batteries}
        return np.array([float(plus[e.id] in nodes) for e in self.network.emfs])

    def _open(self, rest: net.Batch) -> list[str]:
        """Links that are open in a state at rest."""
        return [k.id for k, closed in zip(self.network.links, rest.answer.link_closed[0], strict=True) if not closed]

    @cached_property
    def held(self) -> tuple[str, NDArray[np.float64]] | None:
        """The stud that can be held at the voltage that was read, and the batteries it reaches; None where none need be.

        What takes a power takes less current as the voltage rises. Beside a full battery, with R P / V2 above 1, that makes the
        voltage that was read a point that a forced current runs away from; a regulator had held it, and held it is steady.
        """
        if not (self.network.loads or self.network.converters):
            return None
        return next(((name, lifted) for name, lifted in self.lifted.items() if lifted.any()), None)

    def holding(self, values: net.Values) -> net.Values:
        """The same with the stud held at what was read, giving what that takes, instead of what is known to be given."""
        assert self.held is not None
        name, _ = self.held
        k = next(k for k, s in enumerate(self.network.sources) if s.id == name)
        set_point, limit, forced = (np.array(a, dtype=float) for a in (values.set_point_v, values.limit_a, values.forced_a))
        # With the little that a regulated source of the network droops.
        set_point[..., k] = self.state.stud_v[name] + net.DROOP_OHM * self.state.output_a[name]
        limit[..., k], forced[..., k] = np.inf, np.nan
        return replace(values, set_point_v=set_point, limit_a=limit, forced_a=forced)

    def _hold(self, values: net.Values) -> Settling[tuple[net.Batch, net.Values] | None]:
        """At rest with the stud held, and the batteries where they take what is known of the output; None where that cannot be."""
        if self.held is None:
            return None
        name, lifted = self.held
        values, start = self.holding(values), self._own.emf_v
        stud = next(a.stud_node for a in self.circuit.alternators if a.id == name)
        try:
            rest, values = yield from self._met(values, start, lifted, name)
            still = lifted * self.reached(stud, self._open(rest))
            if still.any() and (still != lifted).any():
                rest, values = yield from self._met(values, start, still, name)
        except (net.NoOperatingPointError, NotMetError):
            return None
        return rest, values

    def _met(
        self, values: net.Values, start: ArrayLike, lifted: NDArray[np.float64], name: str
    ) -> Settling[tuple[net.Batch, net.Values]]:
        """Move some batteries together until a held stud gives what is known of it: the higher they are, the less it gives."""
        k = next(k for k, s in enumerate(self.network.sources) if s.id == name)
        emf = np.asarray(start, dtype=float)
        # A full battery that is said to take much is as far below as its resistance to a charge makes it.
        low = -HELD_SPAN_V - self.state.output_a[name] * float(np.max(values.emf_charging_ohm))
        search, rests = crossing(low, HELD_SPAN_V, HELD_V, MET_A), dict[float, net.Batch]()

        def too_much_a(lift: float) -> float:
            return float(rests[lift].answer.source_a[0, k]) - self.state.output_a[name]

        try:
            lift = next(search)
            while True:
                near = rests[min(rests, key=lambda tried: abs(tried - lift))] if rests else None
                rests[lift] = yield replace(values, emf_v=emf + lift * lifted), near
                lift = search.send(too_much_a(lift))
        except StopIteration as done:
            volts: float | None = done.value
        # Where none is found, it rises with the charge, or a link or a cut-off turned there, no charge goes with both readings.
        if volts is None or too_much_a(low) < 0 or abs(too_much_a(volts)) > HELD_A:
            raise NotMetError
        return rests[volts], replace(values, emf_v=emf + volts * lifted)

    def freed(self, values: net.Values) -> net.Values:
        """Undoes `holding`: what is known of the output is forced again."""
        return replace(values, **{n: getattr(self._own, n) for n in ("set_point_v", "limit_a", "forced_a")})

    def _between(self, rest: net.Batch, plus: str, minus: str) -> float:
        if rest.net is not self.network:
            return self.network.named(rest).between(plus, minus)
        volts, row = rest.answer.node_v[0], self.network.row
        return float(volts[row[plus]] - volts[row[minus]])

    def settle(self) -> Settled:
        """Bring the circuit to rest, with its cables warmed up where the state says so. Raises NoOperatingPointError."""
        settling = self.settling()
        try:
            question = next(settling)
            while True:
                try:
                    rest = self.network.settle(*question)
                except net.NoOperatingPointError as error:
                    question = settling.throw(error)
                else:
                    question = settling.send(rest)
        except StopIteration as done:
            return done.value  # type: ignore[no-any-return]

    def settling(self) -> Settling[Settled]:
        """As `settle`, step by step: every yield asks for the network with some values, near a state if any, to be brought to rest.

        So that the steps of many engines can be made together, see `mavrik.core.operating.together`.
        """
        values = self.values(self._around_c)
        if self.lifted:
            values = self._guessed(values)
        rest = yield values, None
        self._check_outputs(rest)
        temperature, rest, values = yield from self._warmed(rest, values)
        rest, values = yield from self._as_charged(rest, values)
        settled = self._settled(temperature, rest, values)
        if self.held is None or not self._cut_off(settled):
            return settled
        # What is cut off may be so because a forced output ran away from the voltage that was read.
        held = yield from self._hold(self.values(self._around_c))
        if held is not None and self.state.warmed_up:
            temperature, _, _ = yield from self._warmed(*held)
            held = yield from self._hold(self.values(temperature))
        if held is None:
            return settled
        steady = self._settled(temperature, *held)
        return steady if len(self._cut_off(steady)) < len(self._cut_off(settled)) else settled

    def _cut_off(self, settled: Settled) -> frozenset[str]:
        """What takes a power and does not, for want of a voltage."""
        return settled.solution.open_ids & {*(x.id for x in self.network.loads), *(c.id for c in self.network.converters)}

    def _warmed(self, rest: net.Batch, values: net.Values) -> Settling[tuple[NDArray[np.float64], net.Batch, net.Values]]:
        """Branches at the temperatures they settle at, where the state says so, beside it at rest with them."""
        temperature = self._around_c
        for _ in range(WARM_ROUNDS if self.state.warmed_up else 0):
            amps = rest.answer.resistor_a[0, self._rows]
            hotter = self.warm.settled_c(amps, self._around_c)
            if np.abs(hotter - temperature).max(initial=0.0) < SETTLED_K:
                break
            temperature = hotter
            values = replace(values, resistor_ohm=self.values(temperature).resistor_ohm)
            rest = yield values, rest
        return temperature, rest, values

    def _settled(self, temperature: NDArray[np.float64], rest: net.Batch, values: net.Values) -> Settled:
        by_id = {b.id: t for b, t in zip(self.warm.branches, temperature.tolist(), strict=True)}
        settled = Settled(self, self.network.named(rest), rest, values, by_id)
        if not settled.held or self.held is None:
            return settled
        modes = {**settled.solution.mode, self.held[0]: net.Mode.FORCED}
        return replace(settled, solution=replace(settled.solution, mode=modes))


LIFT_ROUNDS = 12
LIFTED_V = 1e-5
"""A stud voltage is met when it is met far below any meter's last digit."""

HELD_SPAN_V = 12.0
"""How far batteries are looked for from where the document has them, beside what the output lifts them by."""
HELD_V, MET_A, HELD_A = 1e-10, 1e-7, 1e-3
"""A known output is met when it is met far below any clamp's last digit; behind little resistance that takes less than a microvolt."""


class NotMetError(ValueError):
    """A stud's voltage and its output that no charge of the batteries goes with."""


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
    def held(self) -> bool:
        """Whether a stud is held at the voltage that was read, see `Engine.held`."""
        known = np.isnan(np.asarray(self.engine.freed(self.values).forced_a))
        return bool((np.isnan(np.asarray(self.values.forced_a)) & ~known).any())

    @property
    def ohm(self) -> list[float]:
        """Resistances in the order of the network's resistors [ohm]."""
        return np.asarray(self.values.resistor_ohm, dtype=float).tolist()  # type: ignore[no-any-return]


NOWHERE_V = 10_000.0
"""A known output drives a full battery to some hundred volts in the reckoning; what is beyond this meets an open circuit."""
