"""Which captures a job has, how far each is read, and what becomes of them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from mavrik.core.document import Document
from mavrik.domain.limits import MOST_CAPTURES
from mavrik.domain.roles import Who
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.tasks import stop
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Capture

CARRIED_NOTE = "Only the picture of this capture came with the bundle; its samples are where it was loaded."


class CaptureRecord(Document):
    """A captured waveform and how far it is read."""

    id: int
    name: str
    state: Annotated[str, Field(description="reading, ready, failed or stopped")]
    progress: Annotated[float, Field(description="0 to 1")]
    problem: Annotated[str, Field(description="Why it failed, in words")]
    channel: str
    channels: tuple[str, ...]
    notes: tuple[str, ...]
    samples: int
    interval_s: float
    start_s: float
    made_by: str
    made_at: str


class CaptureList(Document):
    """All captures of a job, the newest first."""

    captures: tuple[CaptureRecord, ...]


def capture_record(row: Capture) -> CaptureRecord:
    """A row as a document."""
    return CaptureRecord(
        id=row.id, name=row.name, state=row.state, progress=row.task.progress if row.task and row.state == "reading" else 1.0,
        problem=row.document.get("problem", ""), channel=row.document.get("channel", ""),
        channels=tuple(row.document.get("channels", ())), notes=tuple(row.document.get("notes", ())), samples=row.samples,
        interval_s=row.interval_s, start_s=row.start_s, made_by=row.person_name, made_at=row.created_at.isoformat(),
    )  # fmt: skip


def captures_of(session: Session, job_id: int) -> CaptureList:
    """All of a job."""
    get_row(session, job_id)
    rows = session.scalars(select(Capture).where(Capture.job_id == job_id).order_by(Capture.id.desc()))
    return CaptureList(captures=tuple(capture_record(r) for r in rows))


def begin(session: Session, job_id: int, name: str, channel: str, who: Who) -> Capture:
    """Note that a capture is going to be read. Raises InvalidError where the job has too many.

    name, channel: of the file or the instrument; an empty channel: the first
    """
    row_to_change(session, job_id)
    if (session.scalar(select(func.count()).where(Capture.job_id == job_id)) or 0) >= MOST_CAPTURES:
        raise InvalidError(f"A job keeps at most {MOST_CAPTURES} captures: delete one first.")
    row = Capture(job_id=job_id, name=name[:120] or "capture", document={"channel": channel}, person_name=who.name)
    session.add(row)
    session.flush()
    session.refresh(row)
    note_change(session, job_id, who, f"loaded the capture {row.name}")
    return row


def remove(session: Session, job_id: int, capture_id: int, who: Who) -> None:
    """Stop reading a capture, or delete one."""
    row = row_of(session, job_id, capture_id)
    if row.state != "reading":
        row_to_change(session, job_id)
    note_change(session, job_id, who, f"{'stopped' if row.state == 'reading' else 'deleted'} the capture {row.name}")
    if row.task is not None:
        stop(session, row.task)
    session.execute(delete(Capture).where(Capture.id == capture_id))


def row_of(session: Session, job_id: int, capture_id: int) -> Capture:
    row = session.get(Capture, capture_id)
    if row is None or row.job_id != job_id:
        raise NotFoundError("There is no such capture in this job.")
    return row


def ready_row(session: Session, job_id: int, capture_id: int) -> Capture:
    row = row_of(session, job_id, capture_id)
    if row.state != "ready":
        raise InvalidError("This capture has not been read.")
    if row.document.get("afar"):
        raise InvalidError(CARRIED_NOTE)
    return row
