"""Plans of a job."""

from __future__ import annotations

from flask import Response
from flask_openapi3.blueprint import APIBlueprint

from mavrik.core.planning.comparison import Comparison
from mavrik.core.planning.sizing import SizingTarget
from mavrik.domain.roles import Permission
from mavrik.jobs import planning
from mavrik.jobs.records import CircuitRecord
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.gate import heavy
from mavrik.web.repeat import creates
from mavrik.web.shared import SAVE_ERRORS, JobPath, tag

api = APIBlueprint("plans", __name__, url_prefix="/api")


@api.get(
    "/jobs/<int:job_id>/plan/target",
    summary="What a plan begins with",
    tags=tag("plans"),
    responses={"200": SizingTarget, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_target(path: JobPath) -> Response:
    """The loads of the job on top of what is fitted."""
    return answer(planning.starting_target(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/plan/preview",
    summary="Size a plan",
    tags=tag("plans"),
    responses={"200": planning.PlanView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def post_preview(path: JobPath, body: SizingTarget) -> Response:
    """Without keeping it."""
    return answer(planning.preview_plan(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/plan",
    summary="Keep a plan",
    tags=tag("plans"),
    responses={"201": CircuitRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_plan(path: JobPath, body: SizingTarget) -> Response:
    """As a new version of the job's circuit."""
    return answer(planning.keep_plan(session(), path.job_id, body, me()), 201)


@api.get(
    "/jobs/<int:job_id>/comparison",
    summary="Plan beside as found",
    tags=tag("plans"),
    responses={"200": Comparison, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_comparison(path: JobPath) -> Response:
    """Branch by branch."""
    return answer(planning.compare_plan(session(), path.job_id))
