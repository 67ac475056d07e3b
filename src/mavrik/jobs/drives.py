"""The drive of a job's alternator: asked, kept."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.core.circuit import Alternator
from mavrik.core.document import Problem
from mavrik.core.planning.drive import DriveProblemError, DriveRequest, DriveView, drive_in, plan_drive, unit_in
from mavrik.domain.job import DocumentKind
from mavrik.domain.roles import Who
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.kept import as_found, keep_document, latest_document, proposed
from mavrik.jobs.records import DriveRecord
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Job


def drive_of(session: Session, job_id: int) -> DriveRecord:
    """The drive as it was kept last, or what one begins with; raises NotFoundError where no circuit is described."""
    row = get_row(session, job_id)
    kept, circuit = latest_document(row, DocumentKind.DRIVE), as_found(row)
    request = DriveRequest.model_validate(kept.document) if kept else DriveRequest(alternator_id=circuit.alternator.id)
    if request.alternator_id not in {a.id for a in circuit.alternators}:
        # The circuit has another unit by now; what was known of its drive stays.
        request = request.model_copy(update={"alternator_id": circuit.alternator.id})
    return DriveRecord(revision=kept.revision if kept else 0, document=request, view=drive_in(circuit, request, proposed(row)))


def preview_drive(session: Session, job_id: int, request: DriveRequest) -> DriveView:
    """What a drive comes to, without keeping it. Raises InvalidError, at the field, for what contradicts itself."""
    return _view(get_row(session, job_id), request)


def keep_drive(session: Session, job_id: int, request: DriveRequest, who: Who, edited_from: int | None = None) -> DriveRecord:
    """Keep a drive as a new revision of the job's. Raises as `preview_drive`, ClosedError for a job that is done or put away, ConflictError as `keep_document`."""
    row = row_to_change(session, job_id)
    view = _view(row, request)
    revision = keep_document(session, row, DocumentKind.DRIVE, request, who, f"the drive of {view.label}", edited_from)
    return DriveRecord(revision=revision, document=request, view=view)


def _view(row: Job, request: DriveRequest) -> DriveView:
    unit: Alternator | None = next((a for a in as_found(row).alternators if a.id == request.alternator_id), None)
    if unit is None:
        message = "The circuit has no such alternator."
        raise InvalidError(message, [Problem("drive", "alternator_id", message)])
    try:
        planned = proposed(row)
        return plan_drive(unit, request, unit_in(planned, request) if planned is not None else None)
    except DriveProblemError as error:
        raise InvalidError(str(error), [Problem("drive", error.field, str(error))]) from error
