"""Documents of a job that come in revisions: the latest, and the next one."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.planning.drive import DriveRequest
from mavrik.core.planning.targets import Accepted
from mavrik.domain.job import CircuitRole, DocumentKind, Plan
from mavrik.domain.roles import Who
from mavrik.jobs.changes import last_editor, note_change
from mavrik.jobs.errors import ConflictError, NotFoundError
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


def proposed(row: Job) -> Circuit | None:
    """The circuit as it is planned; None where nothing is."""
    version = latest(row.circuits, CircuitRole.PROPOSAL)
    return Circuit.model_validate(version.document) if version is not None else None


def plan_of(row: Job) -> Plan | None:
    """The plan that the latest proposed circuit belongs to; None where there is none."""
    version = latest(row.circuits, CircuitRole.PROPOSAL)
    kept = next((d for d in reversed(row.documents) if version is not None and d.circuit_id == version.id), None)
    return Plan.model_validate(kept.document) if kept is not None else None


def accepted_changes(row: Job) -> Accepted | None:
    """The changes that the plan is made of, where it came from comparing them."""
    plan = plan_of(row)
    return plan.accepted if plan is not None else None


def kept_drive(row: Job) -> DriveRequest | None:
    """The drive as it was kept last."""
    kept = latest_document(row, DocumentKind.DRIVE)
    return DriveRequest.model_validate(kept.document) if kept else None


def keep_document(
    session: Session,
    row: Job,
    kind: DocumentKind,
    new: Document,
    who: Who,
    what: str,
    edited_from: int | None = None,
    circuit_id: int | None = None,
) -> int:
    """Keep a document as the next revision of its kind; one that is as the last was is that one. Returns the revision.

    what: said in the log of what was kept; circuit_id: of the version that it belongs to, if it belongs to one; edited_from: revision that it was edited from, 0 for none; left out, it follows whatever is there
    Raises ConflictError where somebody else kept one in between.
    """
    before, document = latest_document(row, kind), new.model_dump(mode="json")
    if before is not None and (before.document, before.circuit_id) == (document, circuit_id):
        return before.revision
    now = before.revision if before else 0
    if edited_from is not None and edited_from != now:
        theirs = {"revision": now, "document": before.document if before else None}
        raise ConflictError(f"{last_editor(session, row.id)} kept something else while you were editing.", theirs)
    revision = before.revision + 1 if before else 1
    check_room(session, row.id, JobDocument, document)
    session.add(
        JobDocument(
            job=row, kind=kind.value, revision=revision, document=document, circuit_id=circuit_id, created_by_id=who.id
        )
    )  # fmt: skip
    session.flush()
    note_change(session, row.id, who, f"kept {what}", kind="made", thing=f"{kind.value} {revision}")
    return revision
