"""Every change that can be made to a job's vehicle is looked at, and what buys what is kept with it."""

from __future__ import annotations

from mavrik.jobs.tasks import TaskKind, Work
from mavrik.jobs.worth import CompareRequest, keep_comparison, run_comparison, to_compare


def _run(work: Work, request: CompareRequest) -> None:
    with work.session() as session:
        situation = to_compare(session, request.job_id, request.how.target)
    made = run_comparison(situation, request.how, work.progress)
    with work.last() as session:
        keep_comparison(session, request.job_id, made, work.who)


COMPARE = TaskKind("compare", CompareRequest, _run, priority=12, again=True)
