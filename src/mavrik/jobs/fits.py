"""Whether another unit goes where the old one was: the job's list, kept as it is gone down."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.core.document import Problem
from mavrik.core.planning.fitting import FitProblemError, FitRequest, FitView, fit_list
from mavrik.domain.job import DocumentKind
from mavrik.domain.roles import Who
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.kept import keep_document, latest_document, proposed
from mavrik.jobs.lists import units
from mavrik.jobs.photos import check_photos
from mavrik.jobs.records import FitRecord
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Job


def fit_of(session: Session, job_id: int) -> FitRecord:
    """The list as it was kept last, or one to begin with: of the planned unit, where the workshop has it on its list."""
    row = get_row(session, job_id)
    kept = latest_document(row, DocumentKind.FIT)
    request = FitRequest.model_validate(kept.document) if kept else FitRequest(unit=_planned(session, row))
    return FitRecord(revision=kept.revision if kept else 0, document=request, view=_view(session, request))


def preview_fit(session: Session, job_id: int, request: FitRequest) -> FitView:
    """What a list comes to, without keeping it. Raises InvalidError, at its field, for one that cannot be."""
    get_row(session, job_id)
    return _view(session, request)


def keep_fit(session: Session, job_id: int, request: FitRequest, who: Who, edited_from: int | None = None) -> FitRecord:
    """Keep a list as the job's next. Raises as `preview_fit`, ClosedError for a job that is done or put away, ConflictError as `keep_document`."""
    row = row_to_change(session, job_id)
    check_photos(session, row.id, (i.photo for i in request.items if i.photo is not None))
    view = _view(session, request)
    what = f"whether {request.unit or 'the unit'} fits: {view.headline}"
    revision = keep_document(session, row, DocumentKind.FIT, request, who, what[:300], edited_from)
    return FitRecord(revision=revision, document=request, view=view)


def _planned(session: Session, row: Job) -> str | None:
    circuit = proposed(row)
    names = {u.name for u in units(session).document.units}
    return circuit.alternator.label if circuit is not None and circuit.alternator.label in names else None


def _view(session: Session, request: FitRequest) -> FitView:
    unit = next((u for u in units(session).document.units if u.name == request.unit), None)
    try:
        return fit_list(request, unit)
    except FitProblemError as error:
        raise InvalidError(str(error), [Problem("fit", error.field, str(error))]) from error
