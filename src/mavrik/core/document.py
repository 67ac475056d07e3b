"""What every document of the core is made of, and how a problem in one is named."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Identifier = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$", description="Short name, unique in the document")]
Label = Annotated[str, Field(min_length=1, max_length=60)]
Ampere = Annotated[float, Field(gt=0, le=2000, description="Current [A]")]


class Document(BaseModel):
    """Base of all parts of a document: frozen, closed, finite."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, str_strip_whitespace=True)


@dataclass(frozen=True)
class Problem:
    """Something in a document that cannot be computed with, and where it was entered."""

    element: str
    field: str
    message: str
