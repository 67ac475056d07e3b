"""A connected oscilloscope captures, and its samples are brought."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.exchange.captures import Capture, Progress
from mavrik.instruments.kinds import connect_scope
from mavrik.instruments.scope import TRACE
from mavrik.instruments.simulated import Placing, place
from mavrik.jobs.captures.reading import FetchRequest, bring_in, not_read
from mavrik.jobs.tasks import TaskKind, Work


def _run(work: Work, request: FetchRequest) -> None:
    def fetch(progress: Progress) -> Capture:
        scope = connect_scope(request.address)
        try:
            place(scope, Placing(request.fetch.state, request.fetch.red, request.fetch.black))
            return Capture(scope.capture(request.fetch.seconds, progress), TRACE, (TRACE,))
        finally:
            scope.close()

    bring_in(work, request.capture_id, fetch)


def _failed(session: Session, request: FetchRequest, why: str) -> None:
    not_read(session, request.capture_id, why)


# What stood at the bench when it was asked for stands there no more: a person says when it is captured again.
FETCH_CAPTURE = TaskKind("fetch_capture", FetchRequest, _run, survives=False, priority=20, failed=_failed)
