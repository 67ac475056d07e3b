"""A job whose readings take longer to be judged than anybody would wait for."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from mavrik.core.findings import Findings
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.finding import JUDGE, JudgeRequest, ToJudge, keep_findings, to_judge
from mavrik.jobs.summaries import summarise
from mavrik.jobs.tasks import TaskKind, Work
from mavrik.jobs.work import get_row


class _ChangedError(Exception):
    """Somebody saved something of the job meanwhile."""


def _run(work: Work, request: JudgeRequest) -> None:
    while True:
        with work.session() as session:
            of = _to_judge(session, request.job_id)
        work.progress(0.1, "looking for what explains the readings")
        findings = _judged(of)
        try:
            with work.last() as session:
                # Held from here on: who saves now waits, and finds this task ended.
                row = get_row(session, request.job_id, lock=True)
                if _to_judge(session, request.job_id) != of:
                    raise _ChangedError
                keep_findings(session, row, of, findings)
                summarise(session, row, touched=False)
        except _ChangedError:
            continue
        return


def _to_judge(session: Session, job_id: int) -> ToJudge | None:
    try:
        return to_judge(get_row(session, job_id))
    except NotFoundError:
        return None


def _judged(of: ToJudge | None) -> Findings | None:
    try:
        return None if of is None else of.judged()
    except InvalidError:
        return None


TASK: TaskKind[Any] = TaskKind(JUDGE, JudgeRequest, _run, priority=18, again=True)
