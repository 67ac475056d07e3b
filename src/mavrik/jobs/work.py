"""Jobs: open, make, change; their circuits."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import flag_modified

from mavrik.core.circuit import CIRCUIT_SCHEMA_VERSION, Circuit
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.findings.measured import with_measured
from mavrik.domain.job import CircuitRole, Customer, JobDetails, JobState, Shelf, Vehicle
from mavrik.domain.roles import Who
from mavrik.jobs.changes import differing, last_editor, note_change
from mavrik.jobs.errors import ClosedError, ConflictError, InvalidError, NotFoundError
from mavrik.jobs.finding import being_judged, details_of, findings_of, latest, ready_findings
from mavrik.jobs.planned import planned
from mavrik.jobs.records import (
    ChangeRecord,
    CircuitRecord,
    JobRecord,
    circuit_record,
    document_record,
    run_record,
    superseded_ids,
)
from mavrik.jobs.room import check_room
from mavrik.jobs.summaries import job_changed, progress_of, summarise
from mavrik.store import models
from mavrik.store.models import Change, CircuitVersion, Job


class JobInput(JobDetails):
    """What a person enters of a job."""

    customer: Customer
    vehicle: Vehicle


def get_row(session: Session, job_id: int, lock: bool = False) -> Job:
    """The job's row; with `lock`, held against other writers until the transaction ends."""
    query = select(Job).where(Job.id == job_id)
    row = session.scalar(query.with_for_update(of=Job) if lock else query)
    if row is None:
        raise NotFoundError("There is no such job.")
    return row


def shelf_of(row: Job) -> Shelf:
    """Where a job lies."""
    if row.binned_at is not None:
        return Shelf.BASKET
    return Shelf.ARCHIVE if row.archived_at is not None else Shelf.BENCH


PUT_AWAY = {Shelf.ARCHIVE: "It lies in the archive.", Shelf.BASKET: "It lies in the waste basket."}
BACK_FIRST = "A lead puts it back on the bench first."
REOPEN_FIRST = "Reopen it first, and say why."


def why_closed(row: Job) -> str:
    """Why nothing of a job can be changed; empty: it can."""
    return PUT_AWAY.get(shelf_of(row), "It is done." if row.state == JobState.DONE.value else "")


def refuse_put_away(row: Job) -> None:
    """Raise ClosedError for a job that is not on the bench."""
    if why := PUT_AWAY.get(shelf_of(row)):
        raise ClosedError(f"{why} {BACK_FIRST}")


def row_to_change(session: Session, job_id: int) -> Job:
    """The job's row, held against other writers. Raises NotFoundError, and ClosedError for a job that is done or put away."""
    row = get_row(session, job_id, lock=True)
    refuse_put_away(row)
    if why := why_closed(row):
        raise ClosedError(f"{why} {REOPEN_FIRST}")
    return row


def _measured_on(row: Job) -> set[int]:
    """Circuit versions that a run or a document refers to: they never change."""
    return {r.circuit_id for r in row.runs} | {d.circuit_id for d in row.documents if d.circuit_id is not None}


def job_record(session: Session, row: Job) -> JobRecord:
    """Everything of a job."""
    tested, details = _measured_on(row), details_of(row)
    changes = session.scalars(select(Change).where(Change.job_id == row.id).order_by(Change.id.desc()).limit(50))
    gone = superseded_ids(row.runs)
    findings = findings_of(session, row)
    judging = findings is None and being_judged(session, row)
    return JobRecord(
        id=row.id,
        number=row.number,
        lock=row.lock,
        customer=Customer(name=row.vehicle.customer.name, contact=row.vehicle.customer.contact),
        vehicle=Vehicle(
            description=row.vehicle.description,
            kind=row.vehicle.kind,
            system_voltage_v=row.vehicle.system_voltage_v,
        ),
        **{name: getattr(details, name) for name in JobDetails.model_fields},
        circuits=tuple(circuit_record(c, c.id in tested) for c in row.circuits),
        runs=tuple(run_record(r, gone) for r in row.runs),
        documents=tuple(document_record(d) for d in row.documents),
        progress=progress_of(row, findings, judging),
        being_judged=judging,
        planned=planned(session, row.id, date.today()),
        shelf=shelf_of(row),
        closed=why_closed(row),
        changes=tuple(
            ChangeRecord(at=c.at, person=c.person_name, kind=c.kind, thing=c.thing, what=c.what, before=c.before, after=c.after)
            for c in changes
        ),
    )


def open_job(session: Session, job_id: int) -> JobRecord:
    """A whole job; raises NotFoundError."""
    return job_record(session, get_row(session, job_id))


def _customer(session: Session, given: Customer) -> models.Customer:
    # The database says what two spellings of one name are; Python folds some letters differently.
    same = select(models.Customer).where(func.lower(models.Customer.name) == func.lower(given.name))
    row = session.scalar(same)
    if row is None:
        # Two jobs of a new customer may be opened at one moment: the second takes the row that the first made.
        session.execute(insert(models.Customer).values(name=given.name, contact=given.contact).on_conflict_do_nothing())
        row = session.scalars(same).one()
    if given.contact:
        row.contact = given.contact
    session.flush()
    return row


OWN_NUMBER = re.compile(r"[0-9]{2}-[0-9]{4,6}")
"""A job number as this program gives them: the year, and a running number."""


def next_number(session: Session) -> str:
    """The next free job number, of this year; no two calls get the same, and none waits for another."""
    while True:
        number = f"{datetime.now(UTC):%y}-{session.scalars(select(models.JOB_NUMBERS.next_value())).one():04d}"
        # One that came in with a bundle may have been ahead.
        if not number_taken(session, number):
            return number


def number_taken(session: Session, number: str) -> bool:
    """Whether a job has that number."""
    return session.scalar(select(Job.id).where(Job.number == number)) is not None


def make_job(session: Session, given: JobInput, who: Who, number: str | None = None) -> Job:
    """A new job from what was entered; returns its row."""
    vehicle = models.Vehicle(customer=_customer(session, given.customer), **given.vehicle.model_dump(mode="json"))
    row = Job(
        number=number or next_number(session),
        vehicle=vehicle,
        complaint=given.complaint,
        loads_to_add=[load.model_dump(mode="json") for load in given.loads_to_add],
        promised=given.promised,
        state=given.state.value,
        limit_profile=given.limit_profile.value,
        maker_limits={n: w.model_dump(mode="json") for n, w in given.maker_limits.items()},
        purposes=[p.value for p in given.purposes],
        added_stages=list(given.added_stages),
        created_by_id=who.id,
        circuits=[],
        runs=[],
        documents=[],
    )
    session.add(row)
    session.flush()
    note_change(session, row.id, who, "opened the job", kind="made", thing="job")
    summarise(session, row)
    return row


def create_job(session: Session, given: JobInput, who: Who) -> JobRecord:
    """Open a new job."""
    return job_record(session, make_job(session, given, who))


def change_job(session: Session, job_id: int, given: JobInput, lock: int, who: Who) -> JobRecord:
    """Save a job's details.

    given: what was not sent of it stays as it is; lock: the version they were edited from
    Raises ClosedError for a job that is done; ConflictError, with what is kept now, when somebody else saved in between;
    InvalidError for another system voltage than a circuit of the job has.
    """
    row = row_to_change(session, job_id)
    if row.lock != lock:
        theirs = job_record(session, row)
        raise ConflictError(
            f"{last_editor(session, job_id)} saved this job while you were editing it.", theirs.model_dump(mode="json")
        )
    if row.circuits and row.vehicle.system_voltage_v != given.vehicle.system_voltage_v:
        raise InvalidError("The system voltage cannot change once the circuit is described.")
    before = _entered(row)
    row.vehicle.customer = _customer(session, given.customer)
    row.vehicle.description = given.vehicle.description
    row.vehicle.kind = given.vehicle.kind.value
    row.vehicle.system_voltage_v = given.vehicle.system_voltage_v
    row.complaint = given.complaint
    stored: dict[str, Any] = {
        "loads_to_add": [load.model_dump(mode="json") for load in given.loads_to_add],
        "promised": given.promised,
        "state": given.state.value,
        "limit_profile": given.limit_profile.value,
        "maker_limits": {n: w.model_dump(mode="json") for n, w in given.maker_limits.items()},
        "purposes": [p.value for p in given.purposes],
        "added_stages": list(given.added_stages),
    }
    for name, value in stored.items():
        if name in given.model_fields_set:
            setattr(row, name, value)
    was, now = differing(before, _entered(row))
    if was != now:
        # The vehicle and the customer are rows of their own: the job's version counts for all three.
        flag_modified(row, "complaint")
        note_change(
            session, row.id, who, f"changed the job details: {', '.join(now)}", kind="changed", thing="job", before=was, after=now
        )
    session.flush()
    job_changed(session, row)
    return job_record(session, row)


def _entered(row: Job) -> dict[str, Any]:
    """What was entered of a job, as plain JSON."""
    vehicle = row.vehicle
    return {
        **details_of(row).model_dump(mode="json"),
        "customer": vehicle.customer.name,
        "contact": vehicle.customer.contact,
        "vehicle": vehicle.description,
        "vehicle_kind": vehicle.kind,
        "system_voltage_v": vehicle.system_voltage_v,
    }


def save_circuit(
    session: Session,
    job_id: int,
    document: Circuit,
    who: Who,
    *,
    lock: int | None,
    circuit_id: int | None = None,
    as_new_revision: bool = False,
    role: CircuitRole = CircuitRole.AS_FOUND,
) -> CircuitRecord:
    """Save a circuit of a job.

    circuit_id, lock: the version it was edited from, or None for the first; without an id, the latest
    as_new_revision: keep what is there and add this one beside it, whoever saved last
    A version that a run or a plan refers to is never changed: saving makes the next revision. A circuit that cannot charge is
    saved all the same; what it cannot do is among its findings.
    Raises InvalidError for a circuit that cannot be computed, ConflictError when somebody else saved in between.
    """
    row = row_to_change(session, job_id)
    if document.system_voltage_v != row.vehicle.system_voltage_v:
        raise InvalidError(f"The vehicle has {row.vehicle.system_voltage_v} V; the circuit says {document.system_voltage_v} V.")
    problems = check_circuit(document)
    if problems:
        raise InvalidError(problems[0].message, problems)
    current = latest(row.circuits, role)
    frozen = current is not None and current.id in _measured_on(row)
    if not as_new_revision and current is not None and (current.lock != lock or circuit_id not in (None, current.id)):
        raise ConflictError(
            f"{last_editor(session, job_id)} saved this circuit while you were editing it.",
            circuit_record(current, frozen).model_dump(mode="json"),
        )
    stored = document.model_dump(mode="json")
    named = role.value.replace("_", " ")
    if current is None or frozen or as_new_revision:
        check_room(session, job_id, CircuitVersion, stored)
        revision = current.revision + 1 if current else 1
        current = CircuitVersion(
            job=row,
            role=role.value,
            revision=revision,
            schema_version=CIRCUIT_SCHEMA_VERSION,
            document=stored,
            created_by_id=who.id,
        )
        session.add(current)
        session.flush()
        note_change(
            session, job_id, who, f"saved circuit {named}, revision {revision}", kind="made", thing=f"circuit {current.id}"
        )
    else:
        was, now = _changed_parts(current.document, stored)
        current.document = stored
        session.flush()
        note_change(
            session, job_id, who, f"changed circuit {named}, revision {current.revision}", kind="changed", thing=f"circuit {current.id}",
            before=was, after=now,
        )  # fmt: skip
    session.refresh(row, ["circuits"])
    if role is CircuitRole.AS_FOUND:
        job_changed(session, row)
    return circuit_record(current, False)


def _changed_parts(before: dict[str, Any], after: dict[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """The elements of a circuit that differ between two documents, by id; controls go by their label."""

    def parts(document: dict[str, Any]) -> dict[str, Any]:
        by_name = {n: v for n, v in document.items() if not isinstance(v, list)}
        lists = ((n, v) for n, v in document.items() if isinstance(v, list))
        return {**by_name, **{f"{n}:{e['id'] if 'id' in e else e['label']}": e for n, v in lists for e in v}}

    return differing(parts(before), parts(after))


def take_over_resistances(session: Session, job_id: int, who: Who) -> CircuitRecord:
    """Put what the readings say of resistances into the circuit, as its next revision; states and faults then start from it.

    Where it is in there already, nothing is saved and the circuit is returned as it is. Raises NotFoundError without a drop
    that was read, ClosedError for a job that is done, QueuedError while it is being judged.
    """
    row = row_to_change(session, job_id)
    version, findings = latest(row.circuits, CircuitRole.AS_FOUND), ready_findings(session, row)
    if version is None or findings is None or not any(b.excess_ohm is not None for b in findings.branches):
        raise NotFoundError("No drop was read that resistances could be taken from.")
    circuit = Circuit.model_validate(version.document)
    measured = with_measured(circuit, findings)
    if measured == circuit:
        return circuit_record(version, frozen=True)
    record = save_circuit(session, job_id, measured, who, lock=None, as_new_revision=True)
    note_change(session, job_id, who, "put measured resistances into the circuit", kind="changed", thing=f"circuit {record.id}")
    return record
