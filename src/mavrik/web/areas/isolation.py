"""A job's disconnect."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import Field

from mavrik.domain.roles import Permission
from mavrik.jobs import isolating
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.repeat import creates
from mavrik.web.shared import SAVE_ERRORS, JobPath, tag


class WayPath(JobPath):
    """Names a way to put a disconnect into a job's circuit."""

    name: Annotated[str, Field(min_length=1, max_length=40)]


api = Area("isolation", __name__)


@api.get(
    "/jobs/<int:job_id>/isolation",
    summary="Ways to put a disconnect in",
    tags=tag("isolation"),
    responses={"200": isolating.IsolationView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_isolation(path: JobPath) -> Response:
    """What it may be for, which ways have a place in the circuit as found, and the one that was decided on."""
    return answer(isolating.isolation_of(session(), path.job_id))


@api.get(
    "/jobs/<int:job_id>/isolation/ways/<string:name>",
    summary="What one way to put a disconnect in does",
    tags=tag("isolation"),
    responses={"200": isolating.WayShown, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_way(path: WayPath) -> Response:
    """Built on the circuit as found, switched with the engine running and held against each purpose."""
    return answer(isolating.way_shown(session(), path.job_id, path.name))


@api.post(
    "/jobs/<int:job_id>/isolation",
    summary="Decide on a disconnect",
    tags=tag("isolation"),
    responses={"201": isolating.IsolationView, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_isolation(path: JobPath, body: isolating.IsolationRequest) -> Response:
    """Its circuit, with leads and fuses sized, becomes the job's plan."""
    return answer(isolating.keep_isolation(session(), path.job_id, body, me()), 201)


@api.get(
    "/jobs/<int:job_id>/isolation/proof",
    summary="How far a disconnect is proven",
    tags=tag("isolation"),
    responses={"200": isolating.ProofView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_proof(path: JobPath) -> Response:
    """What was promised of it beside what was read of it on the vehicle, and the tests to read it by."""
    return answer(isolating.proof_of(session(), path.job_id))
