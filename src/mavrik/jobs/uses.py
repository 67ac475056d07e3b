"""How a job's vehicle is used, and whether it keeps up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from mavrik.core.circuit.rules import CircuitError
from mavrik.core.document import Document, Problem
from mavrik.core.planning.outlook import BeforeAndAfter, UseAnswer, before_and_after, on_this_circuit, outlook, outlook_or_none
from mavrik.core.planning.simulation import SimulationRequest, check_simulation, simulate
from mavrik.core.planning.use import SpeedHours, UseProblemError, UseRequest, read_speeds, usual_use
from mavrik.domain.job import DocumentKind, Simulation
from mavrik.domain.roles import Who
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.finding import details_of
from mavrik.jobs.kept import accepted_changes, as_found, keep_document, kept_drive, latest_document, proposed
from mavrik.jobs.records import SimulationRecord, UseRecord, run_of, superseded_ids
from mavrik.jobs.tasks import TaskRecord, ask_for, record_of
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Job

MOST_ASLEEP_A = 50.0


def use_of(session: Session, job_id: int) -> UseRecord:
    """The use as it was kept last, or what one begins with; raises NotFoundError where no circuit is described."""
    row = get_row(session, job_id)
    kept, circuit = latest_document(row, DocumentKind.USE), as_found(row)
    request = UseRequest.model_validate(kept.document) if kept else starting_use(row)
    return UseRecord(
        revision=kept.revision if kept else 0,
        document=on_this_circuit(circuit, request),
        answer=outlook_or_none(circuit, proposed(row), kept_drive(row), request, accepted_changes(row)),
    )


def starting_use(row: Job) -> UseRequest:
    """What a use begins with: the circuit's loads, those to be added, and the drain where it was measured.

    An output at idle is left to who was there: only they know whether the unit gave all it could.
    """
    circuit = as_found(row)
    request = usual_use(circuit, [(x.label, x.current_a) for x in details_of(row).loads_to_add])
    gone = superseded_ids(list(row.runs))
    runs = [run_of(r) for r in sorted(row.runs, key=lambda r: r.measured_at) if r.id not in gone]
    drains = [r.value for run in runs for r in run.readings if r.point == f"drain_a:{circuit.battery.id}"]
    if not drains:
        return request
    return request.model_copy(update={"asleep_a": min(max(drains[-1], 0.0), MOST_ASLEEP_A)})


def preview_use(session: Session, job_id: int, request: UseRequest) -> UseAnswer:
    """What a use comes to, without keeping it. Raises InvalidError, at the field, for what contradicts itself."""
    return _answer(get_row(session, job_id), request)


def keep_use(session: Session, job_id: int, request: UseRequest, who: Who, edited_from: int | None = None) -> UseRecord:
    """Keep a use as a new revision of the job's. Raises as `preview_use`, ClosedError for a job that is done or put away, ConflictError as `keep_document`."""
    row = row_to_change(session, job_id)
    answer = _answer(row, request)
    revision = keep_document(session, row, DocumentKind.USE, request, who, f"how it is used: {answer.now.headline}", edited_from)
    return UseRecord(revision=revision, document=request, answer=answer)


def speeds_of(text: str) -> tuple[SpeedHours, ...]:
    """Hours by engine speed of a CSV. Raises InvalidError with the line that is wrong."""
    try:
        return read_speeds(text)
    except UseProblemError as error:
        raise InvalidError(str(error), [Problem("use", error.field, str(error))]) from error


class SimulateRequest(Document):
    """What a worker is told of a simulation."""

    job_id: int
    how: SimulationRequest


def simulation_of(session: Session, job_id: int) -> SimulationRecord:
    """The simulation that was kept last, if any was."""
    kept = latest_document(get_row(session, job_id), DocumentKind.SIMULATION)
    return SimulationRecord(
        revision=kept.revision if kept else 0, document=Simulation.model_validate(kept.document) if kept else None
    )


def ask_simulation(session: Session, job_id: int, how: SimulationRequest, who: Who) -> TaskRecord:
    """Have days let go by for the use that was kept last: long work, its result is kept with the job.

    Raises InvalidError where the use contradicts itself or none was kept, ClosedError for a job that is done or put away.
    """
    row = row_to_change(session, job_id)
    if latest_document(row, DocumentKind.USE) is None:
        message = "Keep how the vehicle is used first: that is what goes on for days."
        raise InvalidError(message, [Problem("simulation", "use", message)])
    request = kept_use(row)
    _answer(row, request)
    try:
        check_simulation(request, how)
    except UseProblemError as error:
        raise InvalidError(str(error), [Problem("simulation", error.field, str(error))]) from error
    title = f"{how.days:g} days of {row.number}, {how.runs} vehicles"
    return record_of(ask_for(session, "simulate", SimulateRequest(job_id=job_id, how=how), title, who, job_id))


@dataclass(frozen=True)
class ToSimulate:
    """What a simulation needs of a job, so that no transaction is open while it goes on."""

    circuits: BeforeAndAfter
    use: UseRequest


def to_simulate(session: Session, job_id: int) -> ToSimulate:
    """What there is to let days go by for. Raises ClosedError for a job that is done or put away."""
    row = row_to_change(session, job_id)
    return ToSimulate(before_and_after(as_found(row), proposed(row), kept_drive(row), accepted_changes(row)), kept_use(row))


def run_simulation(of: ToSimulate, how: SimulationRequest, progress: Callable[[float], None]) -> Simulation:
    """Let the days go by, as found and as planned. Raises InvalidError for what contradicts itself."""
    both = of.circuits
    parts = 1 if both.planned is None else 2
    try:
        now = simulate(both.as_found, of.use, how, lambda share: progress(share / parts))
        planned = None
        if both.planned is not None:
            planned = simulate(both.planned, both.use_planned(of.use), how, lambda share: progress((1 + share) / parts))
    except UseProblemError as error:
        raise InvalidError(str(error), [Problem("simulation", error.field, str(error))]) from error
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    return Simulation(request=how, use=of.use, now=now, planned=planned, planned_by=both.words)


def keep_simulation(session: Session, job_id: int, made: Simulation, who: Who) -> None:
    """Keep it as the job's next. Raises ClosedError for a job that is done or put away meanwhile."""
    row = row_to_change(session, job_id)
    keep_document(session, row, DocumentKind.SIMULATION, made, who, f"{made.request.days:g} days: {made.now.headline}")


def kept_use(row: Job) -> UseRequest:
    """The use as it was kept last, or what one begins with, on the circuit as it is now."""
    kept = latest_document(row, DocumentKind.USE)
    request = UseRequest.model_validate(kept.document) if kept else starting_use(row)
    return on_this_circuit(as_found(row), request)


def _answer(row: Job, request: UseRequest) -> UseAnswer:
    try:
        return outlook(as_found(row), proposed(row), kept_drive(row), request, accepted_changes(row))
    except UseProblemError as error:
        raise InvalidError(str(error), [Problem("use", error.field, str(error))]) from error
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
