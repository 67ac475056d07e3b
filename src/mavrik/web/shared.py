"""What the areas of the API share: paths, tags, the errors they may answer with."""

from __future__ import annotations

from typing import Annotated, Any

from flask_openapi3.models.tag import Tag
from pydantic import BaseModel, Field

from mavrik.web.problems import ProblemDocument

ERRORS: dict[str | int, Any] = {"422": ProblemDocument}
SAVE_ERRORS: dict[str | int, Any] = {**ERRORS, "404": ProblemDocument, "409": ProblemDocument}


def tag(name: str) -> list[Tag]:
    """The tag of an area."""
    return [Tag(name=name)]


class JobPath(BaseModel):
    """Names a job."""

    job_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


Revision = Annotated[int, Field(ge=0, le=1_000_000, description="That it was edited from")]


class EditedFrom(BaseModel):
    """The revision that a document was edited from; left out, it follows whatever is there."""

    revision: Revision | None = None
