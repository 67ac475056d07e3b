"""The tests of a job and the runs that are kept."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel

from mavrik.domain.roles import Permission
from mavrik.jobs import runs
from mavrik.jobs.records import RunRecord
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.kept import kept
from mavrik.web.repeat import creates
from mavrik.web.shared import SAVE_ERRORS, JobPath, tag

api = Area("runs", __name__)


class RunSave(BaseModel):
    """A bench test as it was carried out, and the circuit it was made on."""

    circuit_id: int
    run: runs.RunInput


@api.get(
    "/jobs/<int:job_id>/bench",
    summary="The bench tests of a job",
    tags=tag("runs"),
    responses={"200": runs.BenchView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@kept
def get_bench(path: JobPath) -> Response:
    """What there is to test, what was read and said, and which fault explains it."""
    return answer(runs.bench_of(session(), path.job_id))


@api.post("/jobs/<int:job_id>/runs", summary="Keep a bench test", tags=tag("jobs"), responses={"201": RunRecord, **SAVE_ERRORS})
@needs(Permission.WORK)
@creates
def post_run(path: JobPath, body: RunSave) -> Response:
    """A permanent record: a repeat is a run of its own."""
    return answer(runs.save_run(session(), path.job_id, body.circuit_id, body.run, me()), 201)


@api.post(
    "/jobs/<int:job_id>/runs/judge",
    summary="Judge a test that is being made",
    tags=tag("runs"),
    responses={"200": runs.JudgedDraft, **SAVE_ERRORS},
)
@needs(Permission.READ)
def post_judge(path: JobPath, body: RunSave) -> Response:
    """Between what each reading passes, and what is said of those taken so far; nothing is kept."""
    return answer(runs.judge_draft(session(), path.job_id, body.circuit_id, body.run, me()))
