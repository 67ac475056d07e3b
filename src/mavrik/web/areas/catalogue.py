"""What may be chosen, and ready circuits."""

from __future__ import annotations

from typing import Annotated, Literal

from flask import Response
from pydantic import BaseModel, BeforeValidator, Field

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.domain.roles import Permission
from mavrik.jobs.catalogue import Catalogue, ReadyLayouts, catalogue, ready_layouts
from mavrik.jobs.errors import InvalidError
from mavrik.web.access import needs
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.shared import ERRORS, tag

api = Area("catalogue", __name__)


class LayoutPath(BaseModel):
    """Names a ready layout."""

    name: Annotated[str, Field(max_length=40)]


class LayoutQuery(BaseModel):
    """For which system."""

    # A query is text; a Literal of numbers takes no text by itself.
    system_voltage_v: Annotated[Literal[12, 24], BeforeValidator(lambda v: int(v) if str(v).isdecimal() else v)] = 12


@api.get("/catalogue", summary="What may be chosen", tags=tag("catalogue"), responses={"200": Catalogue})
@needs(Permission.READ)
def get_catalogue() -> Response:
    """Sizes, families, profiles, layouts, cautions: all that the interface offers, from the core's tables."""
    return answer(catalogue())


@api.get("/layouts", summary="The ready circuits", tags=tag("catalogue"), responses={"200": ReadyLayouts})
@needs(Permission.READ)
def get_layouts() -> Response:
    """Each with its words and the coordinates of its drawing."""
    return answer(ready_layouts())


@api.get("/layouts/<string:name>", summary="A ready circuit", tags=tag("catalogue"), responses={"200": Circuit, **ERRORS})
@needs(Permission.READ)
def get_layout(path: LayoutPath, query: LayoutQuery) -> Response:
    """To start from."""
    try:
        return answer(build_layout(path.name, query.system_voltage_v))
    except ValueError as error:
        raise InvalidError(str(error)) from error
