"""Routes of photos. A file comes as the body itself."""

from __future__ import annotations

from typing import Annotated, Any

from flask import Response, request
from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from mavrik.core.document import PhotoKey
from mavrik.domain.roles import Permission
from mavrik.jobs import photos
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.problems import ProblemDocument

ERRORS: dict[str | int, Any] = {"422": ProblemDocument, "404": ProblemDocument}
TAGS = [Tag(name="photos")]

UPLOAD = "photos.post_photo"
"""Endpoint that takes larger bodies than most."""

api = Area("photos", __name__)


class PhotosPath(BaseModel):
    """Names a job."""

    job_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class PhotoPath(PhotosPath):
    """Names a photo of a job."""

    key: PhotoKey


@api.post("/jobs/<int:job_id>/photos", summary="Keep a photo", tags=TAGS, responses={"201": photos.PhotoRecord, **ERRORS})
@needs(Permission.WORK)
@heavy
def post_photo(path: PhotosPath) -> Response:
    """The body is the file: JPEG, PNG or WebP. It is kept small, upright, and without what the camera wrote into it."""
    return answer(photos.add_photo(session(), path.job_id, request.get_data(cache=False), me()), 201)


@api.get("/jobs/<int:job_id>/photos/<string:key>", summary="A photo", tags=TAGS, responses={"200": None, **ERRORS})
@needs(Permission.READ)
def get_photo(path: PhotoPath) -> Response:
    """As JPEG."""
    return Response(photos.photo_of(session(), path.job_id, path.key), mimetype="image/jpeg")
