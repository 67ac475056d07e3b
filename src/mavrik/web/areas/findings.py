"""The one judgement of a job, or of a draft of it."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel

from mavrik.core.circuit import Circuit
from mavrik.domain.job import CircuitRole, JobDetails
from mavrik.domain.roles import Permission
from mavrik.jobs import finding
from mavrik.jobs.records import run_of
from mavrik.jobs.runs import RunInput, run_from
from mavrik.jobs.work import get_row
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy, to_the_end
from mavrik.web.kept import kept
from mavrik.web.shared import SAVE_ERRORS, JobPath, tag

api = Area("findings", __name__)


class JudgeQuery(BaseModel):
    """Which circuit of the job."""

    role: CircuitRole = CircuitRole.AS_FOUND


class FindBody(BaseModel):
    """A circuit and a run of a job as they stand on the screen, neither of which need be saved."""

    circuit: Circuit
    run: RunInput | None = None
    details: JobDetails | None = None


@api.get(
    "/jobs/<int:job_id>/findings",
    summary="What is found of a job",
    tags=tag("findings"),
    responses={"200": finding.FindingsView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
@to_the_end
@kept
def get_findings(path: JobPath, query: JudgeQuery) -> Response:
    """Headline, branches, causes, doubts, what to read next, and both pictures: one judgement of all that was read."""
    return answer(finding.findings_view_of(session(), get_row(session(), path.job_id), query.role))


@api.post(
    "/jobs/<int:job_id>/findings/draft",
    summary="What would be found of a job with a circuit and a run as they stand on the screen",
    tags=tag("findings"),
    responses={"200": finding.FindingsView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
@to_the_end
def post_findings_draft(path: JobPath, body: FindBody) -> Response:
    """The same judgement, without looking which reading would tell most next; nothing is saved."""
    row = get_row(session(), path.job_id)
    kept, superseded = finding.runs_on(row, CircuitRole.AS_FOUND)
    if body.run is not None and body.run.supersedes is not None:
        superseded = [*superseded, *(k for k, r in enumerate(kept) if r.id == body.run.supersedes)]
    run = run_from(session(), body.circuit, body.run, me()) if body.run is not None and body.run.readings else None
    details = body.details or finding.details_of(row)
    wants = details.wants(finding.is_planned(row))
    return answer(finding.find_draft(body.circuit, run, [run_of(r) for r in kept], superseded, details, wants))
