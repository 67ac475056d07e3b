"""Routes of captured waveforms. A file comes as the body itself, so that it never has to fit into memory."""

from __future__ import annotations

from typing import Annotated, Any

from flask import Response
from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from mavrik.core.measuring.waveform import CrankCapture, Ripple
from mavrik.domain.roles import Permission
from mavrik.exchange.captures import CaptureOptions
from mavrik.jobs import captures
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.kept import kept
from mavrik.web.problems import ProblemDocument
from mavrik.web.repeat import creates
from mavrik.web.uploads import received

SAVE_ERRORS: dict[str | int, Any] = {"422": ProblemDocument, "404": ProblemDocument}
TAGS = [Tag(name="captures")]

UPLOAD = "captures.post_capture"
"""Endpoint that takes larger bodies than all others."""

api = Area("captures", __name__)


class CapturesPath(BaseModel):
    """Names a job."""

    job_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class CapturePath(CapturesPath):
    """Names a capture of a job."""

    capture_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class CaptureQuery(CaptureOptions):
    """The name of the file, and what it may not say itself."""

    name: Annotated[str, Field(max_length=120, description="Of the file")] = "capture"


class ViewQuery(BaseModel):
    """Which stretch, and how finely."""

    from_s: Annotated[float | None, Field(ge=-1e9, le=1e9, allow_inf_nan=False)] = None
    to_s: Annotated[float | None, Field(ge=-1e9, le=1e9, allow_inf_nan=False)] = None
    points: Annotated[int, Field(ge=1, le=captures.MOST_POINTS)] = 1000


@api.get(
    "/jobs/<int:job_id>/captures", summary="Captures of a job", tags=TAGS, responses={"200": captures.CaptureList, **SAVE_ERRORS}
)
@needs(Permission.READ)
@kept
def get_captures(path: CapturesPath) -> Response:
    """The newest first; poll it while one is being read."""
    return answer(captures.captures_of(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/captures", summary="Load a capture", tags=TAGS, responses={"202": captures.CaptureRecord, **SAVE_ERRORS}
)
@needs(Permission.WORK)
def post_capture(path: CapturesPath, query: CaptureQuery) -> Response:
    """The body is the file: CSV, WAV or a session. It is read in the background; delete the capture to stop that."""
    with received() as held:
        return answer(captures.read_later(session(), path.job_id, query.name, str(held), query, me()), 202)


@api.post(
    "/jobs/<int:job_id>/captures/fetched",
    summary="Capture with a connected oscilloscope",
    tags=TAGS,
    responses={"202": captures.CaptureRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@creates
def post_fetched(path: CapturesPath, body: captures.Fetch) -> Response:
    """It begins at once and is fetched in the background; delete the capture to stop that."""
    return answer(captures.fetch_later(session(), path.job_id, body, me()), 202)


@api.delete(
    "/jobs/<int:job_id>/captures/<int:capture_id>",
    summary="Stop or delete a capture",
    tags=TAGS,
    responses={"204": None, **SAVE_ERRORS},
)
@needs(Permission.WORK)
def delete_capture(path: CapturePath) -> Response:
    """Readings taken from it stay."""
    captures.remove(session(), path.job_id, path.capture_id, me())
    return Response(status=204)


@api.get(
    "/jobs/<int:job_id>/captures/<int:capture_id>/view", summary="A stretch of a capture, peaks kept", tags=TAGS,
    responses={"200": captures.CaptureView, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.READ)
def get_view(path: CapturePath, query: ViewQuery) -> Response:
    """Least and most of every point."""
    return answer(captures.view_of(session(), path.job_id, path.capture_id, query.from_s, query.to_s, query.points))


@api.get(
    "/jobs/<int:job_id>/captures/<int:capture_id>/ripple", summary="Ripple of a capture", tags=TAGS,
    responses={"200": Ripple, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.READ)
def get_ripple(path: CapturePath, query: captures.RippleConditions) -> Response:
    """Peak to peak, spectrum, and whether pulses are missing."""
    return answer(captures.ripple_in(session(), path.job_id, path.capture_id, query))


@api.get(
    "/jobs/<int:job_id>/captures/<int:capture_id>/cranking", summary="Cranking in a capture", tags=TAGS,
    responses={"200": CrankCapture, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.READ)
def get_cranking(path: CapturePath) -> Response:
    """How far the battery fell, how long, and when charging began."""
    return answer(captures.cranking_in(session(), path.job_id, path.capture_id))


@api.get(
    "/jobs/<int:job_id>/captures/<int:capture_id>/samples.parquet", summary="A capture's samples as Parquet", tags=TAGS,
    responses={"200": None, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.READ)
def get_samples(path: CapturePath) -> Response:
    """Volts; the sampling is in the file's metadata."""
    data = captures.as_parquet(session(), path.job_id, path.capture_id)
    return Response(
        data, mimetype="application/vnd.apache.parquet",
        headers={"Content-Disposition": f'attachment; filename="capture-{path.capture_id}.parquet"'},
    )  # fmt: skip
