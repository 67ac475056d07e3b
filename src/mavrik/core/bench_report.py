"""What the bench tests of a job say, for paper: each test made with its readings judged, and the fault that explains them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mavrik.core.circuit import Circuit
from mavrik.core.diagnosis import Diagnosis, diagnose
from mavrik.core.measurement import DropTest
from mavrik.core.procedures import PROCEDURES, Ask, Judgement, Limits, ProcedureRun, Taken, merged, overdue_meters


@dataclass(frozen=True)
class MadeTest:
    """One procedure that was made or skipped."""

    title: str
    skipped: str
    measured_by: str
    measured_at: str
    overdue: tuple[str, ...]
    """Meters whose calibration was overdue that day."""
    readings: tuple[tuple[Ask, Taken, Judgement | None, float | None], ...]
    """Each reading as it stands now, what is said of it, and what it was the first time where it was repeated."""


NO_OTHER = Limits()


@dataclass(frozen=True)
class BenchReport:
    """All tests made, and what they add up to."""

    tests: tuple[MadeTest, ...]
    diagnosis: Diagnosis


def bench_report(
    circuit: Circuit, runs: Sequence[ProcedureRun], test: DropTest | None = None, limits: Limits = NO_OTHER
) -> BenchReport | None:
    """The bench tests of a job in the order of the work; None where none was made.

    circuit: the document; runs: the oldest first; test: the latest drop test; limits: of the job
    A repeat replaces the reading before and stands beside it. Raises as `diagnose`.
    """
    if not runs:
        return None
    made: list[MadeTest] = []
    all_taken: dict[str, Taken] = {}
    for of in PROCEDURES:
        own = [r for r in runs if r.procedure == of.name]
        if not own:
            continue
        asks = {a.id: a for a in of.asks(circuit)}
        taken, first = merged(own, tuple(asks.values()))
        said = {j.ask: j for j in of.judge(circuit, taken, limits)}
        rows = tuple((asks[i], value, said.get(i), first.get(i)) for i, value in taken.items())
        last = own[-1]
        made.append(
            MadeTest(of.title, last.skipped if not taken else "", last.measured_by, last.measured_at, overdue_meters(last), rows)
        )
        all_taken |= taken
    return BenchReport(tuple(made), diagnose(circuit, all_taken, test=test))
