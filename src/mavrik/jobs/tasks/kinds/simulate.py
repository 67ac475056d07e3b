"""Days or weeks of a job's use are let go by, and kept with it."""

from __future__ import annotations

from mavrik.jobs.tasks import TaskKind, Work
from mavrik.jobs.uses import SimulateRequest, keep_simulation, run_simulation, to_simulate


def _run(work: Work, request: SimulateRequest) -> None:
    with work.session() as session:
        of = to_simulate(session, request.job_id)
    made = run_simulation(of, request.how, work.progress)
    with work.last() as session:
        keep_simulation(session, request.job_id, made, work.who)


SIMULATE = TaskKind("simulate", SimulateRequest, _run, priority=15, again=True)
