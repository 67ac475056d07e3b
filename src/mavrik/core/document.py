"""What every document of the core is made of, and how a problem in one is named."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from functools import cache
from typing import Annotated, Any

from annotated_types import MaxLen
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator
from pydantic_core import PydanticCustomError

Identifier = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$", description="Short name, unique in the document")]
Label = Annotated[str, Field(min_length=1, max_length=60)]
PhotoKey = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$", description="Names a photo of the job: SHA-256 of its file")]
Ampere = Annotated[float, Field(ge=1e-6, le=2000, description="Current [A]")]
RatedOutput = Annotated[float, Field(ge=1, le=2000, description="Rated output [A]")]
"""Under these nothing of a vehicle lies, and what is divided by them stays a number."""


EARLIEST_YEAR, LATEST_YEAR = 1990, 2100


def _possible(at: Any) -> Any:
    if not EARLIEST_YEAR <= at.year <= LATEST_YEAR:
        raise ValueError(f"A date is of the years {EARLIEST_YEAR} to {LATEST_YEAR}")
    return at


Moment = Annotated[datetime, AfterValidator(_possible)]
"""A point in time that any calendar, database and time zone can show."""
Day = Annotated[date, AfterValidator(_possible)]

MOST_ENTRIES = 2000
"""No list of a document that names no limit of its own is longer."""
SPARE_FIELDS = 20
"""So many unknown fields are named one by one; more are none of ours."""


class Document(BaseModel):
    """Base of all parts of a document: frozen, closed, finite, of bounded size."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, str_strip_whitespace=True)

    @model_validator(mode="before")
    @classmethod
    def _of_bounded_size(cls, data: Any) -> Any:
        """Sizes are looked at before anything in them: a list of a million wrong entries is one mistake, not a million."""
        if isinstance(data, Mapping):
            if len(data) > len(cls.model_fields) + SPARE_FIELDS:
                raise PydanticCustomError(
                    "too_long", "{count} fields, where {known} are known", {"count": len(data), "known": len(cls.model_fields)}
                )
            for name, value in data.items():
                if isinstance(value, list | tuple | dict) and len(value) > (most := _most_entries(cls, name)):
                    raise PydanticCustomError(
                        "too_long",
                        "At most {most} entries in {name}, here are {count}",
                        {"most": most, "name": name, "count": len(value)},
                    )
        return data


@cache
def _most_entries(of: type[BaseModel], name: str) -> int:
    field = of.model_fields.get(name)
    limits = [m.max_length for m in field.metadata if isinstance(m, MaxLen)] if field else []
    return min(limits, default=MOST_ENTRIES)


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


def _ways(schema: Mapping[str, Any]) -> Iterator[Mapping[str, Any]]:
    """A field's schema, and all that it may be instead, whatever is nested in what."""
    yield schema
    for other in schema.get("anyOf", ()):
        yield from _ways(other)
    if isinstance(values := schema.get("additionalProperties"), dict):
        yield from _ways(values)


def bounds_of(*models: type[BaseModel]) -> dict[str, Bounds]:
    """The bounds of every number of some documents and of what they hold, by `name.field`.

    models: documents; what has a `kind` goes by that, all else by its class
    Source: the documents themselves; whoever asks for a number asks here what it may be.

    >>> from mavrik.core.circuit import Battery
    >>> bounds_of(Battery)["Battery.age"]
    Bounds(least=0, most=1, above=False, whole=False)
    """
    bounds = {}
    for model in models:
        schema = model.model_json_schema()
        for name, one in {model.__name__: schema, **schema.get("$defs", {})}.items():
            fields = one.get("properties", {})
            known_as = fields.get("kind", {}).get("const", name)
            for field, of_field in fields.items():
                for value in _ways(of_field):
                    least, above = value.get("minimum"), value.get("exclusiveMinimum")
                    if value.get("type") in ("number", "integer") and (least is not None or above is not None):
                        most = value.get("maximum")
                        bounds[f"{known_as}.{field}"] = Bounds(
                            least if above is None else above, most, above is not None, value["type"] == "integer"
                        )
    return bounds
