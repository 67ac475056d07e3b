"""How often the cause is found on vehicles that share no code with the findings, and how far what is said of it can be trusted."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
from tests.reference.strangers.faults import LATER
from tests.reference.strangers.reading import CORE, Hands
from tests.reference.strangers.spice import UnsolvedError
from tests.reference.strangers.vehicle import Stranger
from tests.reference.strangers.yard import (
    Case,
    alone,
    documents,
    draw,
    draw_altered,
    draw_by_other_laws,
    draw_by_the_book,
    draw_rare,
    draw_worked,
    read,
)

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import judge
from mavrik.core.findings.documents import SettledPart
from mavrik.core.measuring.readings import Run
from mavrik.core.procedures import PROCEDURES, complete_run, procedure
from mavrik.core.procedures.base import Limits

T = TypeVar("T")
NOTHING = "none:"
BINS = 10
CHANCES = 4000
SURE = 0.9
FIRST_CASE = 30000
"""What is published is counted from here on: no case of these numbers was looked at while the model was made."""

ANSWER = 0.95
"""What is at least so likely is an answer."""

LEFT_IN = {"a third of all readings": 1 / 3, "two thirds of all readings": 2 / 3}
"""Where somebody stops in the middle of the work: how many of all readings there are by then."""

BEAM = 3
"""So many sets of tests of each size are made longer."""


def drawn() -> dict[str, dict[str, Any]]:
    """The drawn circuits."""
    return documents(lambda layout, volts: build_layout(layout, volts).model_dump(mode="json"))


SAY_WHOLE = ("Sound", "What was read is sound", "othing broken: ", "othing is broken: ", "othing else is broken: ")
"""How a first line says that nothing is broken."""


@dataclass(frozen=True)
class Outcome:
    """What was said of one case."""

    number: int
    vehicle: str
    sort: str
    truth: tuple[str, ...]
    causes: tuple[tuple[str, float], ...]
    """The likeliest first."""
    headline: str
    settled: SettledPart | None = None
    """A part that is said to be bad where what it has is not settled."""
    not_shown: tuple[str, ...] = ()
    """Faults that are said not to be ruled out, where nothing is likelier broken than not."""

    @property
    def settled_rightly(self) -> bool:
        """Whether that part has one of the true causes."""
        return self.settled is not None and bool(set(self.settled.causes) & set(self.truth))

    @property
    def first(self) -> bool:
        """Whether the likeliest is one of the true ones."""
        return bool(self.causes) and self.causes[0][0] in self.truth

    @property
    def said_whole(self) -> bool:
        """Whether the first line says that nothing is broken, whatever limit is missed."""
        return any(words in self.headline for words in SAY_WHOLE)

    def among(self, count: int) -> bool:
        """Whether all true ones are among the first so many; of a pair both, of what nobody listed either word for it."""
        if NOTHING in self.truth:
            return bool(set(self.truth) & {c for c, _ in self.causes[:count]})
        return set(self.truth) <= {c for c, _ in self.causes[:count]}


def rare_outcome(number: int) -> Outcome:
    """The same of one that looks like something else, or is the test's own."""
    return _judged(number, draw_rare(drawn(), number), False)


def later_outcome(number: int) -> Outcome:
    """The same of one of those that came later, see `LATER`."""
    return _judged(number, draw_rare(drawn(), number, tuple(LATER)), False)


def worked_outcome(number: int) -> Outcome:
    """The same of one with a bad way of an isolator, or burnt contacts of a link."""
    return _judged(number, draw_worked(drawn(), number), False)


def altered_outcome(number: int) -> Outcome:
    """The same of a vehicle that is wired as no drawing has it."""
    return _judged(number, draw_altered(drawn(), number), False)


def other_laws_outcome(number: int) -> Outcome:
    """The same of a vehicle by other laws than the yard's, read with coarser meters."""
    return _judged(number, draw_by_other_laws(drawn(), number), False)


def textbook_outcome(number: int) -> Outcome:
    """The same of a vehicle as a textbook has it, of which nobody says what it was read with."""
    return _judged(number, draw_by_the_book(drawn(), number), False)


def outcome(number: int, core_only: bool = False) -> Outcome:
    """Draw a case, read it, judge it."""
    return _judged(number, draw(drawn(), number), core_only)


def _judged(number: int, case: Case, core_only: bool) -> Outcome:
    circuit = Circuit.model_validate(case.vehicle.document)
    tests = [(p.name, list(p.points(circuit))) for p in PROCEDURES if not core_only or p.name in CORE]
    runs = [complete_run(circuit, Run.model_validate(r)) for r in read(case, tests)]
    return _said(number, case, case.sort, circuit, runs)


def _said(number: int, case: Case, sort: str, circuit: Circuit, runs: Sequence[Run]) -> Outcome:
    findings = judge(circuit, runs, Limits(), ahead=False)
    return Outcome(
        number, case.drawn, sort, case.vehicle.truth.causes, tuple((c.cause, c.probability) for c in findings.causes), findings.headline.text,
        findings.settled_part, tuple(n.cause for n in findings.not_shown),
    )  # fmt: skip


def stopped_outcomes(number: int) -> list[Outcome]:
    """The same of one case where somebody stops before all is read: after one test, two and three, drawn at random, and with some of all
    readings, drawn at random, too. The `sort` says where."""
    case, rng = draw(drawn(), number), np.random.default_rng(number)
    circuit, by_test = _readings(case)
    stops = {}
    for words, count in (("one test", 1), ("two tests", 2), ("three tests", 3)):
        tests = set(rng.choice(sorted(by_test), count, replace=False).tolist())
        stops[words] = [run for name, run in by_test.items() if name in tests]
    for words, share in LEFT_IN.items():
        left = [
            run.model_copy(update={"readings": tuple(r for r in run.readings if rng.random() < share)})
            for run in by_test.values()
        ]
        stops[words] = [run for run in left if run.readings]
    return [_said(number, case, words, circuit, runs) for words, runs in stops.items()]


METER_SHARE = {"dmm": (0.005, 0.002), "clamp": (0.02, 0.3), "": (0.15, 0.0)}
"""What a meter of the yard may err, of what it shows and beside that [V, A]; of what is looked at so much is no difference."""


def hidden(number: int) -> tuple[str, ...]:
    """Which of the two faults of a pair show in no reading: solved again without it, none moves by more than its meter may err."""
    both, ones = draw(drawn(), number).vehicle, alone(drawn(), number)

    def shown(vehicle: Stranger) -> dict[tuple[str, str], tuple[float, str]]:
        # The same hands on both.
        vehicle.rng = np.random.default_rng(number)
        circuit = Circuit.model_validate(vehicle.document)
        runs = Hands(vehicle).runs([(p.name, list(p.points(circuit))) for p in PROCEDURES])
        return {(run["procedure"], r["point"]): (r["value"], r.get("instrument", "")) for run in runs for r in run["readings"]}

    with_both = shown(both)

    def differs(other: dict[tuple[str, str], tuple[float, str]]) -> bool:
        if other.keys() != with_both.keys():
            return True
        return any(
            abs(value - other[place][0]) > METER_SHARE[meter][0] * abs(value) + METER_SHARE[meter][1]
            for place, (value, meter) in with_both.items()
        )

    # Without one of them there is the other alone.
    return tuple(cause for cause in ones if not differs(shown(next(v for other, v in ones.items() if other != cause))))


def hidden_in(cases: Sequence[Outcome]) -> dict[int, tuple[str, ...]]:
    """The same of all pairs among some cases, by their number."""
    numbers = [o.number for o in cases if o.sort == "pair"]
    with ProcessPoolExecutor(2) as pool:
        return dict(zip(numbers, pool.map(hidden, numbers, chunksize=4), strict=True))


def outcomes(count: int, core_only: bool = False, start: int = FIRST_CASE) -> list[Outcome]:
    """So many cases, on two processors, without those that ngspice does not solve."""
    with ProcessPoolExecutor(2) as pool:
        return _solved(pool.map(_if_solved, [outcome] * count, range(start, start + count), [(core_only,)] * count, chunksize=8))


def other_outcomes(of: Callable[[int], Outcome], count: int) -> list[Outcome]:
    """So many of `rare_outcome`, `later_outcome`, `worked_outcome`, `altered_outcome`, `other_laws_outcome` or `textbook_outcome`, on two processors, without those that ngspice does not solve."""
    with ProcessPoolExecutor(2) as pool:
        return _solved(pool.map(_if_solved, [of] * count, range(FIRST_CASE, FIRST_CASE + count), chunksize=8))


def stopped(count: int) -> list[Outcome]:
    """So many cases of `stopped_outcomes`, on two processors, without those that ngspice does not solve."""
    with ProcessPoolExecutor(2) as pool:
        each = pool.map(_if_solved, [stopped_outcomes] * count, range(FIRST_CASE, FIRST_CASE + count), chunksize=4)
        return [o for outcomes_of_one in each for o in outcomes_of_one or []]


def _if_solved(judge_case: Callable[..., T], number: int, others: Sequence[Any] = ()) -> T | None:
    try:
        return judge_case(number, *others)
    except UnsolvedError:
        return None


def _solved(cases: Iterable[Outcome | None]) -> list[Outcome]:
    return [o for o in cases if o is not None]


def mixed_calibration(cases: Sequence[Outcome], rare: Sequence[Outcome], share: float) -> tuple[float, float]:
    """The expected calibration error where such a share of all vehicles has a rare fault, and what is then right of what is called sure.

    cases: those without; rare: those with one
    Source: as `calibration`, each case by how often it is then met.
    """
    met = [(o, (1 - share) / len(cases)) for o in cases] + [(o, share / len(rare)) for o in rare]
    bins: dict[int, float] = defaultdict(float)
    sure = right = 0.0
    for o, weight in met:
        p = o.causes[0][1]
        bins[min(int(p * BINS), BINS - 1)] += weight * (p - o.first)
        sure += weight * (p >= SURE)
        right += weight * (p >= SURE and o.first)
    return sum(map(abs, bins.values())), right / sure if sure else 1.0


def calibration(cases: Sequence[Outcome]) -> tuple[list[tuple[float, float, int]], float]:
    """Of what was called so likely, how much was right: by bins of the likeliest cause's probability, and the expected calibration error.

    Source: Brier 1950; expected calibration error over ten bins.
    """
    rows: list[list[tuple[float, bool]]] = [[] for _ in range(BINS)]
    for o in cases:
        if o.causes:
            p = o.causes[0][1]
            rows[min(int(p * BINS), BINS - 1)].append((p, o.first))
    table = [(sum(p for p, _ in r) / len(r), sum(ok for _, ok in r) / len(r), len(r)) for r in rows if r]
    total = sum(n for *_, n in table)
    return table, sum(abs(p - right) * n for p, right, n in table) / total


def by_chance(cases: Sequence[Outcome]) -> tuple[float, float]:
    """The expected calibration error of one whose probabilities are exactly right, on so many cases with these: so few are never quite as
    often right as they should be.

    Returns it in the middle, and what it stays under in 19 of 20 such counts.
    Source: the binomial law, by draws (Bröcker and Smith, Weather and Forecasting 22, 2007, from memory).
    """
    p = np.array([o.causes[0][1] for o in cases if o.causes])
    right = np.random.default_rng(3).random((CHANCES, len(p))) < p
    bins = np.minimum((p * BINS).astype(int), BINS - 1)
    error = sum(np.abs((right - p)[:, bins == b].sum(axis=1)) for b in range(BINS)) / max(len(p), 1)
    return float(np.median(error)), float(np.percentile(error, 95))


def one_of_three(o: Outcome) -> bool:
    """Whether one of the true ones is among the first three."""
    return bool(set(o.truth) & {c for c, _ in o.causes[:3]})


@dataclass(frozen=True)
class Stop:
    """Where a walk ends."""

    tests: int
    minutes: float
    reached: bool
    """Whether what was wanted is known; otherwise all was made that tells anything."""


@dataclass(frozen=True)
class Course:
    """One way through the tests of a case."""

    answer: Stop
    """Where it is sure which cause it is, which part is bad, or that nothing is broken."""
    cause: Stop
    """Where one cause by itself is sure."""


@dataclass(frozen=True)
class Walk:
    """One case, by what tells most a minute, until nothing would tell more, and in the fixed order of the work, until all is read."""

    by_information: Course
    in_order: Course
    broken: bool = True
    """Whether anything was."""


def _walk(circuit: Circuit, runs: dict[str, Run], by_information: bool) -> Course:
    left, made, minutes, answer = list(runs), [], 0.0, None
    while True:
        findings = judge(circuit, made, Limits(), ahead=by_information)
        cause = findings.causes[0].probability
        part = findings.settled_part.probability if findings.settled_part else 0.0
        if answer is None and made and max(cause, part, findings.nothing_broken) >= ANSWER:
            answer = Stop(len(made), minutes, True)
        following = [t.procedure for t in findings.next_tests if t.procedure in left] if by_information else left
        if (made and cause >= ANSWER) or not following:
            break
        left = [name for name in left if name != following[0]]
        made.append(runs[following[0]])
        minutes += procedure(following[0]).minutes_on(circuit)
    stop = Stop(len(made), minutes, cause >= ANSWER)
    return Course(answer or stop, stop)


def _readings(case: Case) -> tuple[Circuit, dict[str, Run]]:
    """A case's circuit, and all that is read on it by its test."""
    circuit = Circuit.model_validate(case.vehicle.document)
    tests = [(p.name, list(p.points(circuit))) for p in PROCEDURES if any(not a.own_rule for a in p.points(circuit))]
    return circuit, {r["procedure"]: complete_run(circuit, Run.model_validate(r)) for r in read(case, tests)}


def walk(number: int) -> Walk:
    """One case, one test after the other."""
    case = draw(drawn(), number)
    circuit, runs = _readings(case)
    return Walk(_walk(circuit, runs, True), _walk(circuit, runs, False), NOTHING not in case.vehicle.truth.causes)


def least_minutes(number: int) -> float:
    """How long the shortest set of tests takes that comes to an answer in one case, of those a search finds that knows beforehand what
    every test will say: nobody at a bench can know it [min].

    Where none comes to one: all tests. Source: beam search over sets of tests, the `BEAM` surest of each size going on.
    """
    circuit, runs = _readings(draw(drawn(), number))
    minutes = {name: procedure(name).minutes_on(circuit) for name in runs}

    def sure(tests: frozenset[str]) -> float:
        findings = judge(circuit, [run for name, run in runs.items() if name in tests], Limits(), ahead=False)
        part = findings.settled_part.probability if findings.settled_part else 0.0
        return max(findings.causes[0].probability, part, findings.nothing_broken)

    least, beam = sum(minutes.values()), [frozenset[str]()]
    while beam:
        longer = {tests | {name} for tests in beam for name in runs if name not in tests}
        known: dict[frozenset[str], float] = {}
        for tests in sorted(longer, key=lambda t: sum(minutes[n] for n in t)):
            takes = sum(minutes[n] for n in tests)
            if takes >= least:
                break
            known[tests] = sure(tests)
            if known[tests] >= ANSWER:
                least = takes
        beam = sorted(known, key=lambda t: -known[t])[:BEAM]
    return least


def with_hindsight(count: int) -> list[float]:
    """The same of so many cases, on two processors."""
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(least_minutes, range(FIRST_CASE, FIRST_CASE + count)))


def walked(count: int) -> list[Walk]:
    """So many, on two processors."""
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(walk, range(FIRST_CASE, FIRST_CASE + count), chunksize=2))


def to_an_answer(course: Course) -> Stop:
    """Where it is sure what to do."""
    return course.answer


def to_one_cause(course: Course) -> Stop:
    """Where one cause by itself is sure."""
    return course.cause


def ratio_of(walks: Sequence[Walk], to: Callable[[Course], Stop] = to_an_answer) -> float:
    """Minutes by information over minutes in the fixed order, both on average.

    walks: cases; to: what is walked to
    """
    return sum(to(w.by_information).minutes for w in walks) / sum(to(w.in_order).minutes for w in walks)
