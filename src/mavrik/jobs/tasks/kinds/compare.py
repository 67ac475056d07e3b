"""Every change that can be made to a job's vehicle is looked at, and what buys what is kept with it."""

from __future__ import annotations

from mavrik.jobs.tasks import TaskKind, Work
from mavrik.jobs.worth import CompareRequest, keep_comparison, run_comparison, to_compare


def _run(work: Work, asked: CompareRequest) -> None:
    with work.session() as session:
        situation = to_compare(session, asked.job_id, asked.how.target)
    made = run_comparison(situation, asked.how, work.progress)
    with work.last() as session:
        keep_comparison(session, asked.job_id, made, work.who)


COMPARE = TaskKind("compare", CompareRequest, _run, priority=12, again=True)
