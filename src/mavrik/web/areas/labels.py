"""Leads by their labels."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from flask import Response, current_app, request
from pydantic import BaseModel, Field

from mavrik.core.document import Identifier
from mavrik.domain.roles import Permission
from mavrik.exchange.files import Printing
from mavrik.jobs import labels
from mavrik.web.access import needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.shared import ERRORS, JobPath, tag

UPLOAD = "labels.post_label"
"""Endpoint that takes larger bodies than most."""

api = Area("labels", __name__)


class LabelPath(BaseModel):
    """What the code on a label says."""

    number: Annotated[str, Field(min_length=1, max_length=20, description="Of the job")]
    branch_id: Identifier


class LeadPath(JobPath):
    """A lead of a job."""

    branch_id: Identifier


@api.get(
    "/leads/<string:number>/<string:branch_id>", summary="The lead of a label", tags=tag("build"),
    responses={"200": labels.LabelledLead, **ERRORS},
)  # fmt: skip
@needs(Permission.READ)
def get_lead(path: LabelPath) -> Response:
    """Which job it is of here."""
    return answer(labels.find_lead(session(), path.number, path.branch_id))


@api.post(
    "/leads/photo", summary="A lead by a photo of its label", tags=tag("build"), responses={"200": labels.LabelledLead, **ERRORS}
)
@needs(Permission.READ)
@heavy
def post_label() -> Response:
    """The body is the file: JPEG, PNG or WebP. It is looked at and not kept."""
    return answer(labels.find_lead_in_photo(session(), request.get_data(cache=False)))


@api.get(
    "/jobs/<int:job_id>/leads/<string:branch_id>/label.svg", summary="The label of a lead", tags=tag("build"), responses=ERRORS
)
@needs(Permission.READ)
@heavy
def get_label(path: LeadPath) -> Response:
    """As SVG, 70 x 37 mm."""
    printing = Printing(current_app.config["MAVRIK"].workshop, datetime.now(UTC), address=request.url_root)
    return Response(labels.draw_label(session(), path.job_id, path.branch_id, printing), mimetype="image/svg+xml")
