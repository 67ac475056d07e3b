"""A fault to ground, from the first moment to the end: its current, which fuse opens and how soon, what the cables bear."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated

import numpy as np
from pydantic import Field

from mavrik.core import network as net
from mavrik.core.catalogue.fuses import NEVER, Opening, breaker_opening, fuse_table, interrupting_at, opening, seconds_in_words
from mavrik.core.catalogue.sources import least_inner_ohm
from mavrik.core.circuit import BreakerBranch, Circuit, ConductorBranch, FuseBranch
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.operating import DeadShort, Engine, State, check_state, supplies_of
from mavrik.core.operating.warm_cables import curve_of, surroundings_c
from mavrik.core.thermal.heat import FAILED_C, short_circuit_final_c

Protector = FuseBranch | BreakerBranch

BRIEF_S = 5.0
"""For so long an insulation bears its short-circuit temperature (IEC 60364-5-54); beyond, its class."""

WARM_C = 25.0
"""No battery gives more by being warmer than this."""

CLEARED_A = 1.0
LONG_S = 3600.0
"""A fault that nothing opens is followed for so long."""


@dataclass(frozen=True)
class FuseOpens:
    """A fuse or breaker in a fault."""

    branch_id: str
    label: str
    rating_a: float
    current_a: float
    least_s: Annotated[float | None, Field(description="It opens no sooner [s]; null: never")]
    most_s: Annotated[float | None, Field(description="It opens no later [s]; null: perhaps never")]
    interrupting_a: float
    can_interrupt: bool
    words: str


@dataclass(frozen=True)
class CableFate:
    """A conductor at the end of a stage, at the latest moment its fuse may open."""

    branch_id: str
    label: str
    current_a: float
    from_c: float
    to_c: Annotated[float, Field(description="At most 250 degC, where every insulation has failed")]
    limit_c: Annotated[float, Field(description="What its insulation bears for so long [degC]")]
    seconds_to_limit: Annotated[float | None, Field(description="From the start of the stage; null: it stays below")]
    survives: bool


@dataclass(frozen=True)
class FaultStage:
    """From one opening to the next."""

    fault_a: Annotated[float, Field(description="Through the fault [A]")]
    given: Annotated[dict[str, float], Field(description="By each source, by id [A]")]
    opens: FuseOpens | None
    least_s: Annotated[float | None, Field(description="Since the fault began [s]; null: never")]
    most_s: float | None
    cables: Annotated[tuple[CableFate, ...], Field(description="Those the fault warms by more than 1 K, the hottest first")]


@dataclass(frozen=True)
class FaultCourse:
    """A fault from its first moment to its end."""

    fault: DeadShort
    stages: tuple[FaultStage, ...]
    cleared: bool
    survives: bool
    headline: str
    words: tuple[str, ...]


def _finite(seconds: float) -> float | None:
    return seconds if math.isfinite(seconds) else None


def interrupting_rating(branch: Protector, system_voltage_v: float) -> tuple[float, float]:
    """Largest current a fuse or breaker can break in a system [A], and the voltage that it is rated for so [V].

    branch: the fuse or breaker; system_voltage_v: nominal [V]
    Source: the families' data file.
    """
    table = fuse_table()
    ratings = table.breaker if isinstance(branch, BreakerBranch) else table.families[branch.family]
    return interrupting_at(ratings.interrupting_a, system_voltage_v)


def at_their_strongest(circuit: Circuit) -> Circuit:
    """The same circuit with every battery new, warm, full and of the least inner resistance its size is likely to have.

    circuit: the document; a battery that it gives less to keeps that
    A fuse has to break the most that can come, not what comes from the battery of the day.
    """
    strong = (
        b.model_copy(
            update={
                "state_of_charge": 1.0,
                "age": 0.0,
                "temperature_c": max(b.temperature_c, WARM_C),
                "internal_mohm": min(b.internal_mohm, 1000 * least_inner_ohm(b.chemistry.value, b.capacity_ah, b.cca_a)),
            }
        )
        for b in circuit.batteries
    )
    return circuit.model_copy(update={"batteries": tuple(strong)})


def opens_at(branch: Protector, current_a: float) -> Opening:
    """How soon a fuse or breaker opens at a current; a breaker without a known rating never does.

    branch: the fuse or breaker
    current_a: through it [A]
    """
    if isinstance(branch, FuseBranch):
        return opening(branch.family, branch.rating_a, current_a)
    return breaker_opening(branch.rating_a, current_a) if branch.rating_a else NEVER


def protectors(circuit: Circuit) -> list[Protector]:
    """Fuses and breakers of a circuit, in the document's order."""
    return [b for b in circuit.branches if isinstance(b, FuseBranch | BreakerBranch)]


class FaultSolver:
    """A circuit with faults that may be in it, one at a time, solved again as its fuses open."""

    def __init__(self, circuit: Circuit, state: State, faults: Sequence[DeadShort]) -> None:
        """state: what runs and what is on. Raises CircuitError for what is not there."""
        self.circuit, self.state, self.faults = circuit, state, tuple(faults)
        for fault in self.faults:
            if problems := check_state(circuit, state.model_copy(update={"fault": fault})):
                raise CircuitError(problems)
        engine = Engine(circuit, state.model_copy(update={"fault": None}))
        # Each fault is a contact that is open in all states but its own: so all of them are one network.
        shorts = [net.Resistor(f"fault:{k}", f.from_node, f.to_node, math.inf) for k, f in enumerate(self.faults)]
        elements = [*engine.elements, *shorts]
        self._network = net.network_of(elements, circuit.alternator.case_node)
        values = net.values_of(elements)
        ohm = np.array(values.resistor_ohm, dtype=float)
        ohm[: len(ohm) - len(shorts)] = engine.values().resistor_ohm
        self._values = replace(values, resistor_ohm=ohm)
        self._row = {r.id: k for k, r in enumerate(self._network.resistors)}
        self.protectors = {p.id: p for p in protectors(circuit) if p.id in self._row}

    def solve(self, opened: frozenset[str], fault: int = 0) -> net.Solution:
        """With one of the faults, by its number, and some fuses and breakers open.

        Converters and loads of constant power that the collapsed voltage cannot feed have stopped. Raises
        NoOperatingPointError where the circuit has no rest even so.
        """
        return self.solve_each([(fault, opened)])[0]

    def solve_each(self, cases: Sequence[tuple[int, frozenset[str]]]) -> list[net.Solution]:
        """As `solve`, several faults at once.

        cases: of each the fault by its number, and what is open
        """
        cases_values = [self._with(fault, opened) for fault, opened in cases]
        settled = self._network.settle_each([(values, None) for values in cases_values])
        return [
            self._named(fault, self._stopped(values) if isinstance(rest, net.NoOperatingPointError) else rest)
            for (fault, _), values, rest in zip(cases, cases_values, settled, strict=True)
        ]

    def _with(self, fault: int, opened: frozenset[str]) -> net.Values:
        ohm = np.array(self._values.resistor_ohm, dtype=float)
        ohm[self._row[f"fault:{fault}"]] = self.faults[fault].resistance_mohm / 1000
        for branch_id in opened:
            ohm[self._row[branch_id]] = math.inf
        return replace(self._values, resistor_ohm=ohm)

    def _stopped(self, values: net.Values) -> net.Batch:
        stopped = {n: 0.0 * np.asarray(getattr(values, n), dtype=float) for n in ("converter_limit_a", "load_w")}
        return self._network.settle(replace(values, **stopped))

    def _named(self, fault: int, rest: net.Batch) -> net.Solution:
        """The solution with its one fault under that name."""
        solution = self._network.named(rest)
        amps = {i: a for i, a in solution.current_a.items() if not i.startswith("fault:")}
        return replace(solution, current_a={**amps, "fault": solution.current_a[f"fault:{fault}"]})

    def given(self, solution: net.Solution, fault: int = 0) -> dict[str, float]:
        """What each source gives one of the faults [A], those that give anything."""
        shares = supplies_of(self.circuit, self.state.model_copy(update={"fault": self.faults[fault]}), solution)
        return {source: amps for (source, taker), amps in shares.items() if taker == "fault" and amps > CLEARED_A}


@dataclass
class _Course:
    """A fault on its way: what is open, how warm the cables are, how long it took."""

    solver: FaultSolver
    warm_c: dict[str, float]
    opened: set[str] = field(default_factory=set)
    least_s: float = 0.0
    most_s: float = 0.0

    def stage(self) -> FaultStage:
        solution = self.solver.solve(frozenset(self.opened))
        first: tuple[Protector, Opening] | None = None
        for branch in self.solver.protectors.values():
            if branch.id not in self.opened:
                band = opens_at(branch, solution.current_a[branch.id])
                if math.isfinite(band.most_s) and (first is None or band.most_s < first[1].most_s):
                    first = branch, band
        lasts = first[1].most_s if first else LONG_S
        cables = self._warm(solution, lasts, self.most_s + lasts)
        opens = None
        if first:
            branch, band = first
            amps = abs(solution.current_a[branch.id])
            most = interrupting_rating(branch, self.solver.circuit.system_voltage_v)[0]
            opens = FuseOpens(
                branch.id, branch.label, branch.rating_a or 0.0, amps, _finite(band.least_s), _finite(band.most_s), most,
                amps <= most, band.words,
            )  # fmt: skip
            self.opened.add(branch.id)
            self.least_s, self.most_s = self.least_s + band.least_s, self.most_s + band.most_s
        else:
            self.least_s = self.most_s = math.inf
        return FaultStage(
            abs(solution.current_a["fault"]),
            self.solver.given(solution),
            opens,
            _finite(self.least_s),
            _finite(self.most_s),
            cables,
        )

    def _warm(self, solution: net.Solution, lasts_s: float, since_s: float) -> tuple[CableFate, ...]:
        fates = []
        for branch in self.solver.circuit.branches:
            if not isinstance(branch, ConductorBranch):
                continue
            state = self.solver.state
            curve = curve_of(branch, surroundings_c(branch, state.engine_space_c, state.ambient_c))
            amps, before = solution.current_a[branch.id], self.warm_c[branch.id]
            run = abs(amps) / branch.parallel
            after = curve.after_c(run, lasts_s, before)
            brief = since_s <= BRIEF_S
            limit = min(short_circuit_final_c(branch.insulation_c) if brief else float(branch.insulation_c), FAILED_C)
            reaches = curve.seconds_to(run, limit, before)
            self.warm_c[branch.id] = after
            if after > before + 1:
                fates.append(
                    CableFate(
                        branch.id, branch.label, amps, before, after, limit,
                        _finite(reaches) if reaches <= lasts_s else None, reaches > lasts_s,
                    )
                )  # fmt: skip
        return tuple(sorted(fates, key=lambda f: -f.to_c))


def fault_course(circuit: Circuit, state: State, fault: DeadShort) -> FaultCourse:
    """What happens from the moment of a fault.

    circuit: the document
    state: what runs and what is on when it happens; cables start at the temperature they carry that at
    fault: between which nodes, and through what resistance
    Returns its stages: in each the current, who gives it, the fuse or breaker that opens first with its band of time, and
    what the cables come to if it takes its longest. It ends when no current flows, or nothing more opens; then it is
    followed for an hour.
    Raises CircuitError for what is not there, NoOperatingPointError where the circuit has no rest.
    Source: the network solved anew after each opening; opening bands of the families; heat balance of each conductor;
    short-circuit temperatures of IEC 60364-5-54 for the first 5 s, the insulation's class after.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> course = fault_course(front_battery(12), State(), DeadShort(from_node="alt_stud", to_node="alt_case"))
    >>> course.stages[0].opens.label
    'Charge fuse'
    """
    before = Engine(circuit, state.model_copy(update={"fault": None, "warmed_up": True})).settle().temperature_c
    solver = FaultSolver(circuit, state, [fault])
    warm = {b.id: before.get(b.id, state.ambient_c) for b in circuit.branches if isinstance(b, ConductorBranch)}
    course = _Course(solver, warm)
    stages = [course.stage()]
    while stages[-1].opens is not None and stages[-1].fault_a > CLEARED_A:
        stages.append(course.stage())
    cleared = stages[-1].fault_a <= CLEARED_A
    survives = all(c.survives for s in stages for c in s.cables) and all(s.opens.can_interrupt for s in stages if s.opens)
    headline = _headline(circuit, stages, cleared, survives)
    return FaultCourse(fault, tuple(stages), cleared, survives, headline, tuple(_course_in_words(circuit, stages, cleared)))


def _headline(circuit: Circuit, stages: list[FaultStage], cleared: bool, survives: bool) -> str:
    opened = [s.opens for s in stages if s.opens]
    if not opened:
        return "Nothing opens." if survives else "Nothing opens, and a cable burns."
    words = f"{' and '.join(o.label for o in opened)} {'opens' if len(opened) == 1 else 'open'}"
    by = max((s.most_s for s in stages if s.opens and s.most_s is not None), default=0.0)
    words += f" within {seconds_in_words(by)}"
    if any(not o.can_interrupt for o in opened):
        return words + ", if at all: the short is more than it can break."
    if not survives:
        return words + ", but a cable does not survive it."
    if cleared:
        return words + ", and the fault is cleared."
    if not set(stages[-1].given) & {b.id for b in circuit.batteries}:
        return words + "; the engine or charger goes on feeding the fault."
    return words + "; a battery goes on feeding the fault."


def _course_in_words(circuit: Circuit, stages: list[FaultStage], cleared: bool) -> list[str]:
    names = {b.id: b.label for b in circuit.batteries} | {a.id: a.label for a in circuit.alternators}
    names |= {c.id: c.label for c in circuit.chargers} | {c.id: c.label for c in circuit.converters}
    sentences = []
    for k, stage in enumerate(stages):
        if stage.fault_a <= CLEARED_A:
            break
        sources = ", ".join(f"{names.get(s, s)} {a:.0f} A" for s, a in sorted(stage.given.items(), key=lambda g: -g[1]))
        sentences.append(f"{'Then' if k else 'First'} {stage.fault_a:.0f} A flow through the fault, from {sources}.")
        if stage.opens:
            sentences.append(
                f"{stage.opens.label} ({stage.opens.rating_a:g} A) sees {stage.opens.current_a:.0f} A and opens after {stage.opens.words}."
            )
            if not stage.opens.can_interrupt:
                sentences.append(
                    f"It can break only {stage.opens.interrupting_a:.0f} A: it may burst or keep arcing. Fit a family with a higher "
                    "interrupting rating."
                )
        for cable in stage.cables:
            if not cable.survives and cable.seconds_to_limit is not None:
                sentences.append(
                    f"{cable.label} reaches {cable.limit_c:.0f} °C, what its insulation bears, after "
                    f"{seconds_in_words(cable.seconds_to_limit)}: it does not survive."
                )
        if stage.cables and all(c.survives for c in stage.cables):
            hot = stage.cables[0]
            sentences.append(
                f"The cables survive: {hot.label} gets hottest, {hot.to_c:.0f} °C of the {hot.limit_c:.0f} °C it bears."
            )
    if cleared:
        last = stages[-2] if len(stages) > 1 else stages[-1]
        by = f" within {seconds_in_words(last.most_s)}" if last.most_s is not None else ""
        sentences.append(f"The fault is cleared{by}.")
    elif not set(stages[-1].given) & {b.id for b in circuit.batteries}:
        sentences.append(
            "Nothing opens any more: it is fed for as long as the engine turns or the charger is plugged in. Stop it."
        )
    else:
        sentences.append("Nothing opens any more: it goes on until something burns through or the battery is empty.")
    return sentences
