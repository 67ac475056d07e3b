"""The drive of a job's alternator: asked, kept."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.core.circuit import Alternator, Circuit
from mavrik.core.document import Problem
from mavrik.core.planning.drive import DriveProblemError, DriveRequest, DriveView, drive_in, plan_drive
from mavrik.domain.job import CircuitRole, DocumentKind
from mavrik.domain.roles import Who
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.finding import latest
from mavrik.jobs.records import DriveRecord
from mavrik.jobs.room import check_room
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Job, JobDocument


def drive_of(session: Session, job_id: int) -> DriveRecord:
    """The drive as it was kept last, or what one begins with; raises NotFoundError where no circuit is described."""
    row = get_row(session, job_id)
    kept = _latest(row)
    asked = DriveRequest.model_validate(kept.document) if kept else DriveRequest(alternator_id=_circuit(row).alternator.id)
    if asked.alternator_id not in {a.id for a in _circuit(row).alternators}:
        # The circuit has another unit by now; what was known of its drive stays.
        asked = asked.model_copy(update={"alternator_id": _circuit(row).alternator.id})
    return DriveRecord(revision=kept.revision if kept else 0, document=asked, view=drive_in(_circuit(row), asked))


def preview_drive(session: Session, job_id: int, asked: DriveRequest) -> DriveView:
    """What a drive comes to, without keeping it. Raises InvalidError, at the field, for what contradicts itself."""
    return _view(get_row(session, job_id), asked)


def keep_drive(session: Session, job_id: int, asked: DriveRequest, who: Who) -> DriveRecord:
    """Keep a drive as a new revision of the job's. Raises as `preview_drive`, ClosedError for a job that is done or put away."""
    row = row_to_change(session, job_id)
    view, before = _view(row, asked), _latest(row)
    document = asked.model_dump(mode="json")
    revision = before.revision + 1 if before else 1
    if before is not None and before.document == document:
        return DriveRecord(revision=before.revision, document=asked, view=view)
    check_room(session, job_id, JobDocument, document)
    session.add(JobDocument(job=row, kind=DocumentKind.DRIVE.value, revision=revision, document=document, created_by_id=who.id))
    session.flush()
    note_change(session, job_id, who, f"kept the drive of {view.label}", kind="made", thing=f"drive {revision}")
    return DriveRecord(revision=revision, document=asked, view=view)


def _latest(row: Job) -> JobDocument | None:
    kept = [d for d in row.documents if d.kind == DocumentKind.DRIVE.value]
    return max(kept, key=lambda d: d.revision, default=None)


def _circuit(row: Job) -> Circuit:
    version = latest(row.circuits, CircuitRole.AS_FOUND)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    return Circuit.model_validate(version.document)


def _view(row: Job, asked: DriveRequest) -> DriveView:
    unit: Alternator | None = next((a for a in _circuit(row).alternators if a.id == asked.alternator_id), None)
    if unit is None:
        message = "The circuit has no such alternator."
        raise InvalidError(message, [Problem("drive", "alternator_id", message)])
    try:
        return plan_drive(unit, asked)
    except DriveProblemError as error:
        raise InvalidError(str(error), [Problem("drive", error.field, str(error))]) from error
