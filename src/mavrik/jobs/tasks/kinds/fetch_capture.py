"""A connected oscilloscope captures, and its samples are brought."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.exchange.captures import Capture, Progress
from mavrik.instruments.kinds import connect_scope
from mavrik.instruments.scope import TRACE
from mavrik.instruments.simulated import Placing, place
from mavrik.jobs.captures.reading import FetchRequest, bring_in, not_read
from mavrik.jobs.tasks import TaskKind, Work


def _run(work: Work, asked: FetchRequest) -> None:
    def fetch(progress: Progress) -> Capture:
        scope = connect_scope(asked.address)
        try:
            place(scope, Placing(asked.fetch.state, asked.fetch.red, asked.fetch.black))
            return Capture(scope.capture(asked.fetch.seconds, progress), TRACE, (TRACE,))
        finally:
            scope.close()

    bring_in(work, asked.capture_id, fetch)


def _failed(session: Session, asked: FetchRequest, why: str) -> None:
    not_read(session, asked.capture_id, why)


# What stood at the bench when it was asked for stands there no more: a person says when it is captured again.
FETCH_CAPTURE = TaskKind("fetch_capture", FetchRequest, _run, survives=False, priority=20, failed=_failed)
