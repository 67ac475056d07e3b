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


@dataclass(frozen=True)
class Bounds:
    """Between what a number of a document must lie, in the unit it is kept in."""

    least: float | None
    most: float | None
    above: bool = False
    """Whether the least itself is too little."""
    whole: bool = False
    """Whether it is counted: no fractions."""


def bounds_of(*models: type[BaseModel]) -> dict[str, Bounds]:
    """The bounds of every number of some documents and of what they hold, by `name.field`.

    models: documents; what has a `kind` goes by that, all else by its class
    Source: the documents themselves; whoever asks for a number asks here what it may be.

    >>> from mavrik.core.circuit import Battery
    >>> bounds_of(Battery)["Battery.age"]
    Bounds(least=0, most=1, above=False, whole=False)
    """
    found = {}
    for model in models:
        schema = model.model_json_schema()
        for name, one in {model.__name__: schema, **schema.get("$defs", {})}.items():
            fields = one.get("properties", {})
            known_as = fields.get("kind", {}).get("const", name)
            for field, asked in fields.items():
                for value in (asked, *asked.get("anyOf", ())):
                    least, above = value.get("minimum"), value.get("exclusiveMinimum")
                    if value.get("type") in ("number", "integer") and (least is not None or above is not None):
                        most = value.get("maximum")
                        found[f"{known_as}.{field}"] = Bounds(
                            least if above is None else above, most, above is not None, value["type"] == "integer"
                        )
    return found
