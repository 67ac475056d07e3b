"""Jobs: list, open, make, change; circuits and tests of a job."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime
from typing import Annotated

from pydantic import Field
from sqlalchemy import func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, selectinload

from mavrik.core.circuit import CIRCUIT_SCHEMA_VERSION, Circuit, Document
from mavrik.core.limits import LimitProfileName
from mavrik.core.measurement import DropTest, check_readings
from mavrik.core.procedures import MakerLimits, MakerWindow
from mavrik.core.progress import Progress, progress
from mavrik.core.topology import check_circuit
from mavrik.exchange.bundle import (
    AddedLoad,
    BundleCustomer,
    BundleVehicle,
    CircuitRole,
    JobState,
    ProposalRecord,
)
from mavrik.jobs.errors import ConflictError, InvalidError, NotFoundError
from mavrik.jobs.people import Who
from mavrik.jobs.records import (
    ChangeRecord,
    CircuitRecord,
    JobRecord,
    JobRow,
    TestRecord,
    circuit_record,
    drop_test,
    run_record,
    test_record,
)
from mavrik.store.models import Change, CircuitVersion, Customer, Job, Reading, TestRun, Vehicle


class JobInput(Document):
    """What a person enters of a job."""

    customer: BundleCustomer
    vehicle: BundleVehicle
    complaint: Annotated[str, Field(min_length=1, max_length=4000)]
    loads_to_add: Annotated[tuple[AddedLoad, ...], Field(max_length=50)] = ()
    promised: date | None = None
    state: JobState = JobState.OPEN
    limit_profile: LimitProfileName = LimitProfileName.COMMON
    maker_limits: MakerLimits = Field(default_factory=dict)


def note_change(session: Session, job_id: int | None, who: Who, what: str) -> None:
    """Keep who did what."""
    session.add(Change(job_id=job_id, person_id=who.id, person_name=who.name, what=what))


def get_row(session: Session, job_id: int, lock: bool = False) -> Job:
    """The job's row; with `lock`, held against other writers until the transaction ends."""
    query = select(Job).where(Job.id == job_id)
    row = session.scalar(query.with_for_update(of=Job) if lock else query)
    if row is None:
        raise NotFoundError("There is no such job.")
    return row


def latest(circuits: Sequence[CircuitVersion], role: CircuitRole) -> CircuitVersion | None:
    """The highest revision of a role."""
    found = [c for c in circuits if c.role == role.value]
    return max(found, key=lambda c: c.revision) if found else None


def latest_test(tests: Sequence[TestRun], circuits: Sequence[CircuitVersion], role: CircuitRole) -> TestRun | None:
    """The newest test on any revision of a role."""
    ids = {c.id for c in circuits if c.role == role.value}
    found = [t for t in tests if t.circuit_id in ids]
    return max(found, key=lambda t: t.id) if found else None


def _progress(row: Job) -> Progress:
    circuit = latest(row.circuits, CircuitRole.AS_FOUND)
    test = latest_test(row.tests, row.circuits, CircuitRole.AS_FOUND)
    return progress(
        Circuit.model_validate(circuit.document) if circuit else None,
        drop_test(test) if test else None,
        wants_proposal=bool(row.loads_to_add),
        has_proposal=latest(row.circuits, CircuitRole.PROPOSAL) is not None,
        handed_over=row.state == JobState.DONE.value,
    )


def list_jobs(session: Session, search: str = "", state: JobState | None = None, limit: int = 200) -> list[JobRow]:
    """Jobs, the soonest promised first, open ones before done ones.

    search: words that must all occur in number, customer, vehicle or complaint
    """
    query = (
        select(Job)
        .join(Job.vehicle)
        .join(Vehicle.customer)
        .options(selectinload(Job.circuits), selectinload(Job.tests))
        .order_by(Job.state == "done", Job.promised.asc().nulls_last(), Job.id.desc())
        .limit(limit)
    )
    for word in search.split()[:8]:
        like = "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        query = query.where(
            or_(Job.number.ilike(like), Job.complaint.ilike(like), Vehicle.description.ilike(like), Customer.name.ilike(like))
        )
    if state is not None:
        query = query.where(Job.state == state.value)
    return [
        JobRow(
            id=row.id,
            number=row.number,
            customer=row.vehicle.customer.name,
            vehicle=row.vehicle.description,
            kind=row.vehicle.kind,
            system_voltage_v=row.vehicle.system_voltage_v,
            complaint=row.complaint,
            promised=row.promised,
            state=JobState(row.state),
            progress=_progress(row),
        )
        for row in session.scalars(query)
    ]


def _measured_on(row: Job) -> set[int]:
    """Circuit versions that a test or a run refers to: they never change."""
    return {t.circuit_id for t in row.tests} | {r.circuit_id for r in row.runs}


def job_record(session: Session, row: Job) -> JobRecord:
    """Everything of a job."""
    tested = _measured_on(row)
    changes = session.scalars(select(Change).where(Change.job_id == row.id).order_by(Change.id.desc()).limit(50))
    return JobRecord(
        id=row.id,
        number=row.number,
        lock=row.lock,
        customer=BundleCustomer(name=row.vehicle.customer.name, contact=row.vehicle.customer.contact),
        vehicle=BundleVehicle(
            description=row.vehicle.description,
            kind=row.vehicle.kind,
            system_voltage_v=row.vehicle.system_voltage_v,
        ),
        complaint=row.complaint,
        loads_to_add=tuple(AddedLoad.model_validate(load) for load in row.loads_to_add),
        promised=row.promised,
        state=JobState(row.state),
        limit_profile=LimitProfileName(row.limit_profile),
        maker_limits={n: MakerWindow.model_validate(w) for n, w in row.maker_limits.items()},
        circuits=tuple(circuit_record(c, c.id in tested) for c in row.circuits),
        tests=tuple(test_record(t) for t in row.tests),
        runs=tuple(run_record(r) for r in row.runs),
        progress=_progress(row),
        changes=tuple(ChangeRecord(at=c.at, person=c.person_name, what=c.what) for c in changes),
    )


def open_job(session: Session, job_id: int) -> JobRecord:
    """A whole job; raises NotFoundError."""
    return job_record(session, get_row(session, job_id))


def _customer(session: Session, given: BundleCustomer) -> Customer:
    same = select(Customer).where(func.lower(Customer.name) == given.name.lower())
    row = session.scalar(same)
    if row is None:
        # Two jobs of a new customer may be opened at one moment: the second takes the row that the first made.
        session.execute(insert(Customer).values(name=given.name, contact=given.contact).on_conflict_do_nothing())
        row = session.scalars(same).one()
    if given.contact:
        row.contact = given.contact
    session.flush()
    return row


def next_number(session: Session) -> str:
    """The next free job number of this year."""
    # One writer at a time, or two jobs made together would get the same number.
    session.execute(select(func.pg_advisory_xact_lock(4711)))
    start = f"{datetime.now(UTC):%y}-"
    taken = [n[len(start) :] for n in session.scalars(select(Job.number).where(Job.number.startswith(start)))]
    return f"{start}{max([int(n) for n in taken if n.isdigit()], default=0) + 1:04d}"


def make_job(session: Session, given: JobInput, who: Who, number: str | None = None) -> Job:
    """A new job from what was entered; returns its row."""
    vehicle = Vehicle(customer=_customer(session, given.customer), **given.vehicle.model_dump(mode="json"))
    row = Job(
        number=number or next_number(session),
        vehicle=vehicle,
        complaint=given.complaint,
        loads_to_add=[load.model_dump(mode="json") for load in given.loads_to_add],
        promised=given.promised,
        state=given.state.value,
        limit_profile=given.limit_profile.value,
        maker_limits={n: w.model_dump(mode="json") for n, w in given.maker_limits.items()},
        created_by_id=who.id,
        circuits=[],
        tests=[],
        runs=[],
    )
    session.add(row)
    session.flush()
    note_change(session, row.id, who, "opened the job")
    return row


def create_job(session: Session, given: JobInput, who: Who) -> JobRecord:
    """Open a new job."""
    return job_record(session, make_job(session, given, who))


def change_job(session: Session, job_id: int, given: JobInput, lock: int, who: Who) -> JobRecord:
    """Save a job's particulars.

    lock: the version they were edited from
    Raises ConflictError, with what is kept now, when somebody else saved in between; InvalidError for another system
    voltage than a circuit of the job has.
    """
    row = get_row(session, job_id, lock=True)
    if row.lock != lock:
        theirs = job_record(session, row)
        raise ConflictError(
            f"{_last_editor(session, job_id)} saved this job while you were editing it.", theirs.model_dump(mode="json")
        )
    if row.circuits and row.vehicle.system_voltage_v != given.vehicle.system_voltage_v:
        raise InvalidError("The system voltage cannot change once the circuit is described.")
    row.vehicle.customer = _customer(session, given.customer)
    row.vehicle.description = given.vehicle.description
    row.vehicle.kind = given.vehicle.kind.value
    row.vehicle.system_voltage_v = given.vehicle.system_voltage_v
    row.complaint = given.complaint
    row.loads_to_add = [load.model_dump(mode="json") for load in given.loads_to_add]
    row.promised = given.promised
    row.state = given.state.value
    row.limit_profile = given.limit_profile.value
    row.maker_limits = {n: w.model_dump(mode="json") for n, w in given.maker_limits.items()}
    row.lock += 1
    note_change(session, row.id, who, "changed the job's particulars")
    session.flush()
    return job_record(session, row)


def _last_editor(session: Session, job_id: int) -> str:
    name = session.scalar(select(Change.person_name).where(Change.job_id == job_id).order_by(Change.id.desc()).limit(1))
    return name or "Somebody"


def save_circuit(
    session: Session,
    job_id: int,
    document: Circuit,
    who: Who,
    *,
    lock: int | None,
    as_new_revision: bool = False,
    role: CircuitRole = CircuitRole.AS_FOUND,
    proposal: ProposalRecord | None = None,
) -> CircuitRecord:
    """Save a circuit of a job.

    lock: the version it was edited from, or None for the first
    as_new_revision: keep what is there and add this one beside it, whoever saved last
    A version that a test refers to is never changed: saving makes the next revision.
    Raises InvalidError for a circuit that does not close, ConflictError when somebody else saved in between.
    """
    row = get_row(session, job_id, lock=True)
    if document.system_voltage_v != row.vehicle.system_voltage_v:
        raise InvalidError(f"The vehicle has {row.vehicle.system_voltage_v} V; the circuit says {document.system_voltage_v} V.")
    problems = check_circuit(document)
    if problems:
        raise InvalidError(problems[0].message, problems)
    current = latest(row.circuits, role)
    frozen = current is not None and current.id in _measured_on(row)
    if not as_new_revision and current is not None and current.lock != lock:
        raise ConflictError(
            f"{_last_editor(session, job_id)} saved this circuit while you were editing it.",
            circuit_record(current, frozen).model_dump(mode="json"),
        )
    stored = document.model_dump(mode="json")
    named = role.value.replace("_", " ")
    if current is None or frozen or as_new_revision:
        revision = current.revision + 1 if current else 1
        # The lock goes on counting over revisions, so an editor of the old one cannot overwrite the new one unseen.
        current = CircuitVersion(
            job=row,
            role=role.value,
            revision=revision,
            schema_version=CIRCUIT_SCHEMA_VERSION,
            document=stored,
            proposal=proposal.model_dump(mode="json") if proposal else None,
            lock=current.lock + 1 if current else 1,
            created_by_id=who.id,
        )
        session.add(current)
        note_change(session, job_id, who, f"saved circuit {named}, revision {revision}")
    else:
        current.document = stored
        current.proposal = proposal.model_dump(mode="json") if proposal else None
        current.lock += 1
        note_change(session, job_id, who, f"changed circuit {named}, revision {current.revision}")
    session.flush()
    return circuit_record(current, False)


def fill_test(row: TestRun, test: DropTest, who: Who) -> None:
    """Write a test document into its row, keeping the rows of readings that stay."""
    row.procedure = test.procedure
    row.conditions = test.model_dump(mode="json", exclude={"procedure", "readings", "measured_by", "measured_at"})
    row.measured_by = test.measured_by or who.name
    row.measured_at = test.measured_at or datetime.now(UTC)
    kept = {(r.quantity, r.branch_id): r for r in row.readings}
    wanted = []
    for k, given in enumerate(test.readings):
        reading = kept.get((given.quantity.value, given.branch_id)) or Reading(
            quantity=given.quantity.value, branch_id=given.branch_id
        )
        reading.position, reading.value = k, given.value
        reading.red_node, reading.black_node = given.red_node, given.black_node
        wanted.append(reading)
    row.readings = wanted


def save_test(
    session: Session,
    job_id: int,
    circuit_id: int,
    test: DropTest,
    who: Who,
    *,
    test_id: int | None = None,
    lock: int | None = None,
) -> TestRecord:
    """Save a test run: a new one, or the one of `test_id` as edited from version `lock`.

    Raises InvalidError for readings that cannot be of that circuit, ConflictError when somebody else saved in between.
    """
    job = get_row(session, job_id, lock=True)
    circuit = session.get(CircuitVersion, circuit_id)
    if circuit is None or circuit.job_id != job_id:
        raise NotFoundError("There is no such circuit in this job.")
    problems = check_readings(Circuit.model_validate(circuit.document), test)
    if problems:
        raise InvalidError(problems[0].message, problems)
    if test_id is None:
        row = TestRun(job=job, circuit_id=circuit_id, readings=[])
        session.add(row)
        what = "measured: charging voltage drop"
    else:
        found = session.get(TestRun, test_id)
        if found is None or found.job_id != job_id:
            raise NotFoundError("There is no such test in this job.")
        row = found
        if row.lock != lock:
            raise ConflictError(
                f"{_last_editor(session, job_id)} saved this test while you were editing it.",
                test_record(row).model_dump(mode="json"),
            )
        row.lock += 1
        what = f"changed the readings of test {test_id}"
    fill_test(row, test, who)
    session.flush()
    note_change(session, job_id, who, what)
    return test_record(row)
