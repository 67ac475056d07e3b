"""What use cases hand out: documents made from rows."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.fabrication.bench import BuildView
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.quotation import Quotation
from mavrik.core.findings.documents import Headline
from mavrik.core.isolation.documents import Isolation
from mavrik.core.measuring.readings import Run
from mavrik.core.planning.drive import DriveRequest, DriveView
from mavrik.core.planning.fitting import FitRequest, FitView
from mavrik.core.planning.outlook import UseAnswer
from mavrik.core.planning.use import UseRequest
from mavrik.core.scheduling.documents import WallTime
from mavrik.core.workflow.progress import Progress
from mavrik.domain.job import (
    CircuitRole,
    Customer,
    DocumentKind,
    JobDetails,
    JobState,
    Plan,
    Shelf,
    Simulation,
    Vehicle,
    WorthCompared,
)
from mavrik.store import models


class CircuitRecord(Document):
    """A circuit version with its place in the job."""

    id: int
    role: CircuitRole
    revision: int
    lock: int
    frozen: bool = Field(description="Whether a run or a plan refers to it; saving then makes a new revision")
    created_at: datetime
    document: Circuit


class RunRecord(Document):
    """A run with its place in the job."""

    id: int
    circuit_id: int
    measured_at: datetime
    supersedes: int | None = Field(description="Id of the run that this one corrects or carries on")
    stands: bool = Field(description="Whether no later run corrects it")
    run: Run


class DocumentRecord(Document):
    """A document that a job holds beside its circuits and runs."""

    id: int
    revision: int
    circuit_id: int | None
    created_at: datetime


class PlanRecord(DocumentRecord):
    """A kept plan, with the circuit it made."""

    kind: Literal[DocumentKind.PLAN] = DocumentKind.PLAN
    document: Plan


class KeptDriveRecord(DocumentRecord):
    """What was kept of an alternator's drive."""

    kind: Literal[DocumentKind.DRIVE] = DocumentKind.DRIVE
    document: DriveRequest


class KeptUseRecord(DocumentRecord):
    """What was kept of how the vehicle is used."""

    kind: Literal[DocumentKind.USE] = DocumentKind.USE
    document: UseRequest


class KeptSimulationRecord(DocumentRecord):
    """What was kept of days that were let go by."""

    kind: Literal[DocumentKind.SIMULATION] = DocumentKind.SIMULATION
    document: Simulation


class KeptWorthRecord(DocumentRecord):
    """What was kept of changes that were compared."""

    kind: Literal[DocumentKind.WORTH] = DocumentKind.WORTH
    document: WorthCompared


class KeptFitRecord(DocumentRecord):
    """What was kept of whether another unit fits."""

    kind: Literal[DocumentKind.FIT] = DocumentKind.FIT
    document: FitRequest


class KeptIsolationRecord(DocumentRecord):
    """The disconnect that was decided on, with the circuit it made."""

    kind: Literal[DocumentKind.ISOLATION] = DocumentKind.ISOLATION
    document: Isolation


class KeptBuildRecord(DocumentRecord):
    """What was kept of a job's work at the bench."""

    kind: Literal[DocumentKind.BUILD] = DocumentKind.BUILD
    document: BuildBook


class KeptQuotationRecord(DocumentRecord):
    """What the customer was offered."""

    kind: Literal[DocumentKind.QUOTATION] = DocumentKind.QUOTATION
    document: Quotation


class BuildRecord(Document):
    """The work at the bench, as it was kept last, and what it comes to."""

    revision: int
    """0 where nothing was kept yet."""
    document: BuildBook
    view: BuildView


class FitRecord(Document):
    """The list of what has to fit, and what it comes to."""

    revision: int
    """0 where nothing was kept yet."""
    document: FitRequest
    view: FitView


class WorthRecord(Document):
    """The comparison of changes that was kept last."""

    revision: int
    """0 where none was kept yet."""
    document: WorthCompared | None


class SimulationRecord(Document):
    """The simulation that was kept last."""

    revision: int
    """0 where none was kept yet."""
    document: Simulation | None


KeptRecord = (
    PlanRecord
    | KeptDriveRecord
    | KeptUseRecord
    | KeptSimulationRecord
    | KeptWorthRecord
    | KeptFitRecord
    | KeptIsolationRecord
    | KeptBuildRecord
    | KeptQuotationRecord
)
AnyDocumentRecord = Annotated[KeptRecord, Field(discriminator="kind")]
RECORDS: dict[DocumentKind, type[KeptRecord]] = {
    DocumentKind.PLAN: PlanRecord,
    DocumentKind.DRIVE: KeptDriveRecord,
    DocumentKind.USE: KeptUseRecord,
    DocumentKind.SIMULATION: KeptSimulationRecord,
    DocumentKind.WORTH: KeptWorthRecord,
    DocumentKind.FIT: KeptFitRecord,
    DocumentKind.ISOLATION: KeptIsolationRecord,
    DocumentKind.BUILD: KeptBuildRecord,
    DocumentKind.QUOTATION: KeptQuotationRecord,
}


class DriveRecord(Document):
    """What is known and wished of an alternator's drive, and what that comes to."""

    revision: int
    """0 where nothing was kept yet."""
    document: DriveRequest
    view: DriveView | None
    """None where it does not add up, as what a file brings may not."""


class UseRecord(Document):
    """How the vehicle is used, and what that comes to."""

    revision: int
    """0 where nothing was kept yet."""
    document: UseRequest
    answer: UseAnswer | None
    """None where it does not add up, as what a file brings may not."""


class ChangeRecord(Document):
    """Who did what, when."""

    at: datetime
    person: str
    kind: str
    thing: str
    what: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None


class JobRow(Document):
    """A job in the list."""

    id: int
    number: str
    customer: str
    vehicle: str
    kind: str
    system_voltage_v: int
    complaint: str
    purposes: tuple[str, ...]
    promised: date | None
    state: JobState
    progress: Progress
    headline: Headline | None = Field(description="What was found; null without a circuit")
    damaged: str = Field("", description="Why the row cannot be read; empty: it can")


class PlannedWork(Document):
    """Work of a job that has its place in the week."""

    label: str = Field(description="Of the work")
    begins: WallTime
    bay: str = Field(description="Its label; empty: at the bench")
    people: tuple[str, ...]


class JobRecord(JobDetails):
    """A whole job."""

    id: int
    number: str
    lock: int
    customer: Customer
    vehicle: Vehicle
    circuits: tuple[CircuitRecord, ...]
    runs: tuple[RunRecord, ...]
    documents: tuple[AnyDocumentRecord, ...]
    progress: Progress
    being_judged: bool = Field(description="Whether its readings are being judged in the queue: what was found is not there yet")
    planned: tuple[PlannedWork, ...] = Field(description="When it is worked on, from today on, in order of time")
    shelf: Shelf
    closed: str = Field(description="Why nothing of it can be changed; empty: it can")
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
    )


def run_of(row: models.Run) -> Run:
    """A run's row as the core's document."""
    return Run.model_validate(row.document)


def run_record(row: models.Run, superseded: set[int]) -> RunRecord:
    """A run's row as a record."""
    return RunRecord(
        id=row.id,
        circuit_id=row.circuit_id,
        measured_at=row.measured_at,
        supersedes=row.supersedes_id,
        stands=row.id not in superseded,
        run=run_of(row),
    )


def superseded_ids(rows: list[models.Run]) -> set[int]:
    """Ids of the runs that a later one corrects."""
    return {r.supersedes_id for r in rows if r.supersedes_id is not None}


def document_record(row: models.JobDocument) -> KeptRecord:
    """A document's row as a record of its kind."""
    return RECORDS[DocumentKind(row.kind)].model_validate(
        {
            "id": row.id,
            "revision": row.revision,
            "circuit_id": row.circuit_id,
            "created_at": row.created_at,
            "document": row.document,
        }
    )
