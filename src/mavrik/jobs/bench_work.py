"""The bench tests of a job: what there is to test, what was read, what is said of it, and which fault explains it."""

from __future__ import annotations

from datetime import UTC, datetime

from pydantic import Field
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit, Document
from mavrik.core.diagnosis import Diagnosis, diagnose
from mavrik.core.limits import LimitProfileName
from mavrik.core.network import NoOperatingPointError
from mavrik.core.procedures import (
    PROCEDURES,
    Ask,
    BenchStep,
    Judgement,
    Limits,
    MakerWindow,
    Procedure,
    ProcedureRun,
    Taken,
    check_run,
    merged,
    overdue_meters,
    procedure,
)
from mavrik.core.topology import CircuitError, Problem
from mavrik.exchange.bundle import CircuitRole
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.people import Who
from mavrik.jobs.records import RunRecord, drop_test, run_record
from mavrik.jobs.work import get_row, latest, latest_test, note_change
from mavrik.store.models import BenchRun, CircuitVersion, Job


class Repeat(Document):
    """One reading that was taken more than once: the first time and the last."""

    ask: str
    before: float
    after: float


class ProcedureView(Document):
    """A procedure on this circuit: its steps, its readings, what was said when it was last made."""

    name: str
    title: str
    why: str
    minutes: float
    engine: str
    cautions: tuple[str, ...]
    steps: tuple[BenchStep, ...]
    asks: tuple[Ask, ...]
    tells: bool = Field(
        description="Whether its readings say something about the cause; others are judged by their own rule alone"
    )
    last: RunRecord | None
    overdue: tuple[str, ...] = Field(description="Meters of the last run whose calibration was overdue that day")
    judged: tuple[Judgement, ...]
    repeats: tuple[Repeat, ...]


class BenchView(Document):
    """All bench tests of a job in the order of the work, and what they add up to."""

    procedures: tuple[ProcedureView, ...]
    diagnosis: Diagnosis


def add_run(session: Session, job: Job, circuit: CircuitVersion, run: ProcedureRun, who: Who) -> BenchRun:
    """Keep a run; raises InvalidError, with every problem at its reading, for one that cannot be of that circuit."""
    document = Circuit.model_validate(circuit.document)
    try:
        asks = procedure(run.procedure).asks(document)
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    except ValueError as error:
        raise InvalidError(str(error), [Problem("procedure", "procedure", str(error))]) from error
    problems = check_run(run, asks, document.system_voltage_v)
    if problems:
        raise InvalidError(problems[0].message, problems)
    at = datetime.now(UTC)
    if run.measured_at:
        try:
            at = datetime.fromisoformat(run.measured_at)
        except ValueError as error:
            raise InvalidError(
                "The time of a run is written as 2026-11-25T09:30:00Z.", [Problem("measured_at", "measured_at", str(error))]
            ) from error
    at = at if at.tzinfo else at.replace(tzinfo=UTC)
    kept = run.model_copy(update={"measured_by": run.measured_by or who.name, "measured_at": at.isoformat()})
    row = BenchRun(
        job=job, circuit=circuit, procedure=run.procedure, document=kept.model_dump(mode="json"), measured_by=kept.measured_by,
        measured_at=at, person_id=who.id,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def save_run(session: Session, job_id: int, circuit_id: int, run: ProcedureRun, who: Who) -> RunRecord:
    """Keep a bench test as it was carried out: a permanent record, never changed."""
    job = get_row(session, job_id, lock=True)
    circuit = session.get(CircuitVersion, circuit_id)
    if circuit is None or circuit.job_id != job_id:
        raise NotFoundError("There is no such circuit in this job.")
    row = add_run(session, job, circuit, run, who)
    did = f"skipped: {run.skipped}" if run.skipped else f"measured: {procedure(run.procedure).title.lower()}"
    note_change(session, job_id, who, did)
    return run_record(row)


def _view(circuit: Circuit, of: Procedure, runs: list[RunRecord], limits: Limits) -> tuple[ProcedureView, dict[str, Taken]]:
    asks = of.asks(circuit)
    taken, first = merged((r.run for r in runs), asks)
    repeats = tuple(Repeat(ask=a, before=v, after=taken[a].value) for a, v in first.items())
    view = ProcedureView(
        name=of.name, title=of.title, why=of.why, minutes=of.minutes, engine=of.engine, cautions=of.cautions, steps=of.steps, asks=asks, tells=any(not a.beside for a in asks),
        last=runs[-1] if runs else None, overdue=overdue_meters(runs[-1].run) if runs else (), judged=tuple(of.judge(circuit, taken, limits)), repeats=repeats,
    )  # fmt: skip
    return view, taken


def limits_of(job: Job) -> Limits:
    """What the readings of a job are held against."""
    maker = {n: MakerWindow.model_validate(w) for n, w in job.maker_limits.items()}
    return Limits(LimitProfileName(job.limit_profile), maker)


def bench_of(session: Session, job_id: int) -> BenchView:
    """The bench of a job: procedures in the order of the work, those that ask nothing of this circuit left out.

    Readings of earlier revisions count where their branch is still there; a repeat replaces the reading before.
    """
    job = get_row(session, job_id)
    version = latest(job.circuits, CircuitRole.AS_FOUND)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    circuit = Circuit.model_validate(version.document)
    records = [run_record(r) for r in job.runs]
    test = latest_test(job.tests, job.circuits, CircuitRole.AS_FOUND)
    try:
        limits = limits_of(job)
        views = [_view(circuit, p, [r for r in records if r.run.procedure == p.name], limits) for p in PROCEDURES]
        taken = {ask: value for _, own in views for ask, value in own.items()}
        said = diagnose(circuit, taken, test=drop_test(test) if test else None)
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    except NoOperatingPointError as error:
        raise InvalidError(str(error), [Problem(i, "current_a", str(error)) for i in error.ids]) from error
    return BenchView(procedures=tuple(v for v, _ in views if v.asks), diagnosis=said)
