"""Documents of a job that come in revisions: the latest, and the next one."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.domain.job import CircuitRole, DocumentKind
from mavrik.domain.roles import Who
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import NotFoundError
from mavrik.jobs.finding import latest
from mavrik.jobs.room import check_room
from mavrik.store.models import Job, JobDocument


def latest_document(row: Job, kind: DocumentKind) -> JobDocument | None:
    """What was kept last of a kind; None where nothing was."""
    return max((d for d in row.documents if d.kind == kind.value), key=lambda d: d.revision, default=None)


def as_found(row: Job) -> Circuit:
    """The circuit as found; raises NotFoundError where none is described."""
    version = latest(row.circuits, CircuitRole.AS_FOUND)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    return Circuit.model_validate(version.document)


def keep_document(session: Session, row: Job, kind: DocumentKind, asked: Document, who: Who, what: str) -> int:
    """Keep a document as the next revision of its kind; one that is as the last was is that one. Returns the revision.

    what: said in the log of what was kept
    """
    before, document = latest_document(row, kind), asked.model_dump(mode="json")
    if before is not None and before.document == document:
        return before.revision
    revision = before.revision + 1 if before else 1
    check_room(session, row.id, JobDocument, document)
    session.add(JobDocument(job=row, kind=kind.value, revision=revision, document=document, created_by_id=who.id))
    session.flush()
    note_change(session, row.id, who, f"kept {what}", kind="made", thing=f"{kind.value} {revision}")
    return revision
