"""A file of samples is read into a capture."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy.orm import Session

from mavrik.exchange.captures import CaptureError, read_capture
from mavrik.jobs.captures.reading import ReadRequest, bring_in, not_read
from mavrik.jobs.tasks import TaskKind, Work


def _run(work: Work, asked: ReadRequest) -> None:
    if not Path(asked.path).is_file():
        raise CaptureError("The file is not on the server any more: load it again.")
    bring_in(work, asked.capture_id, lambda progress: read_capture(Path(asked.path), asked.options, progress))


def _failed(session: Session, asked: ReadRequest, why: str) -> None:
    not_read(session, asked.capture_id, why)


def _cleared(asked: ReadRequest) -> None:
    Path(asked.path).unlink(missing_ok=True)


READ_CAPTURE = TaskKind("read_capture", ReadRequest, _run, priority=10, cleared=_cleared, failed=_failed)
