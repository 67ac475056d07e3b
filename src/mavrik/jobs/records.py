"""What use cases hand out: documents made from rows."""

from __future__ import annotations

from datetime import date, datetime

from mavrik.core.circuit import Circuit, Document
from mavrik.core.limits import LimitProfileName
from mavrik.core.measurement import DropTest, Reading
from mavrik.core.procedures import MakerLimits, ProcedureRun
from mavrik.core.progress import Progress
from mavrik.exchange.bundle import (
    AddedLoad,
    BundleCustomer,
    BundleVehicle,
    CircuitRole,
    JobState,
    ProposalRecord,
)
from mavrik.store import models


class CircuitRecord(Document):
    """A circuit version with its place in the job."""

    id: int
    role: CircuitRole
    revision: int
    lock: int
    frozen: bool
    """Whether a test refers to it; saving then makes a new revision."""
    created_at: datetime
    document: Circuit
    proposal: ProposalRecord | None


class TestRecord(Document):
    """A test run with its place in the job."""

    __test__ = False

    id: int
    circuit_id: int
    lock: int
    test: DropTest


class RunRecord(Document):
    """A bench test with its place in the job."""

    id: int
    circuit_id: int
    measured_at: datetime
    run: ProcedureRun


class ChangeRecord(Document):
    """Who did what, when."""

    at: datetime
    person: str
    what: str


class JobRow(Document):
    """A job in the list."""

    id: int
    number: str
    customer: str
    vehicle: str
    kind: str
    system_voltage_v: int
    complaint: str
    promised: date | None
    state: JobState
    progress: Progress


class JobRecord(Document):
    """A whole job."""

    id: int
    number: str
    lock: int
    customer: BundleCustomer
    vehicle: BundleVehicle
    complaint: str
    loads_to_add: tuple[AddedLoad, ...]
    promised: date | None
    state: JobState
    limit_profile: LimitProfileName
    maker_limits: MakerLimits
    circuits: tuple[CircuitRecord, ...]
    tests: tuple[TestRecord, ...]
    runs: tuple[RunRecord, ...]
    progress: Progress
    changes: tuple[ChangeRecord, ...]


def circuit_record(row: models.CircuitVersion, frozen: bool) -> CircuitRecord:
    """A circuit row as a record."""
    return CircuitRecord(
        id=row.id,
        role=CircuitRole(row.role),
        revision=row.revision,
        lock=row.lock,
        frozen=frozen,
        created_at=row.created_at,
        document=Circuit.model_validate(row.document),
        proposal=ProposalRecord.model_validate(row.proposal) if row.proposal else None,
    )


def drop_test(row: models.TestRun) -> DropTest:
    """A test row as the core's document."""
    return DropTest.model_validate(
        {
            **row.conditions,
            "procedure": row.procedure,
            "measured_by": row.measured_by,
            "measured_at": row.measured_at,
            "readings": [
                Reading(
                    quantity=r.quantity,
                    branch_id=r.branch_id,
                    value=r.value,
                    red_node=r.red_node,
                    black_node=r.black_node,
                )
                for r in row.readings
            ],
        }
    )


def test_record(row: models.TestRun) -> TestRecord:
    """A test row as a record."""
    return TestRecord(id=row.id, circuit_id=row.circuit_id, lock=row.lock, test=drop_test(row))


test_record.__test__ = False  # type: ignore[attr-defined]


def run_record(row: models.BenchRun) -> RunRecord:
    """A bench test's row as a record."""
    run = ProcedureRun.model_validate(row.document)
    return RunRecord(id=row.id, circuit_id=row.circuit_id, measured_at=row.measured_at, run=run)
