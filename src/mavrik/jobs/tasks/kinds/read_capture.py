"""A file of samples is read into a capture."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy.orm import Session

from mavrik.exchange.captures import CaptureError, read_capture
from mavrik.jobs.captures.reading import ReadRequest, bring_in, not_read
from mavrik.jobs.tasks import TaskKind, Work


def _run(work: Work, request: ReadRequest) -> None:
    if not Path(request.path).is_file():
        raise CaptureError("The file is not on the server any more: load it again.")
    bring_in(work, request.capture_id, lambda progress: read_capture(Path(request.path), request.options, progress))


def _failed(session: Session, request: ReadRequest, why: str) -> None:
    not_read(session, request.capture_id, why)


def _cleared(request: ReadRequest) -> None:
    Path(request.path).unlink(missing_ok=True)


READ_CAPTURE = TaskKind("read_capture", ReadRequest, _run, priority=10, cleared=_cleared, failed=_failed)
