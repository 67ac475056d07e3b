"""Lists that the workshop keeps for all its jobs: units, prices, what a disconnect must do."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import Field

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.catalogue.units import UnitList
from mavrik.core.document import Document
from mavrik.core.isolation.purposes import PurposeList
from mavrik.domain.roles import Permission
from mavrik.jobs import lists
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.shared import SAVE_ERRORS, Revision, tag

api = Area("lists", __name__)


class UnitsSave(Document):
    """The units, as edited from a revision."""

    document: UnitList
    revision: Revision


class PricesSave(Document):
    """The prices, as edited from a revision."""

    document: PriceList
    revision: Revision


class PurposesSave(Document):
    """What a disconnect must do, as edited from a revision."""

    document: PurposeList
    revision: Revision


class UnitsText(Document):
    """A CSV as it came from a table program."""

    text: Annotated[str, Field(min_length=1, max_length=100_000)]


@api.get("/units", summary="Units that can be had", tags=tag("lists"), responses={"200": lists.UnitsRecord, **SAVE_ERRORS})
@needs(Permission.READ)
def get_units() -> Response:
    """As they were kept last; invented ones to begin with."""
    return answer(lists.units(session()))


@api.put("/units", summary="Keep the units", tags=tag("lists"), responses={"200": lists.UnitsRecord, **SAVE_ERRORS})
@needs(Permission.KEEP_LISTS)
def put_units(body: UnitsSave) -> Response:
    """All of them. Refused with 409 when somebody else saved in between."""
    return answer(lists.keep_units(session(), body.document, body.revision, me()))


@api.get("/units.csv", summary="Units as CSV", tags=tag("lists"))
@needs(Permission.READ)
def get_units_csv() -> Response:
    """A line a unit, to be corrected in a table program."""
    made = Response(lists.units_as_csv(session()), mimetype="text/csv")
    made.headers["Content-Disposition"] = 'attachment; filename="units.csv"'
    return made


@api.post("/units/read", summary="Read units from CSV", tags=tag("lists"), responses={"200": UnitList, **SAVE_ERRORS})
@needs(Permission.READ)
def post_units_text(body: UnitsText) -> Response:
    """Without keeping them."""
    return answer(lists.units_of_csv(body.text))


@api.get("/prices", summary="What parts and hours cost", tags=tag("lists"), responses={"200": lists.PricesRecord, **SAVE_ERRORS})
@needs(Permission.READ)
def get_prices() -> Response:
    """As it was kept last; invented figures to begin with."""
    return answer(lists.prices(session()))


@api.put("/prices", summary="Keep the prices", tags=tag("lists"), responses={"200": lists.PricesRecord, **SAVE_ERRORS})
@needs(Permission.KEEP_LISTS)
def put_prices(body: PricesSave) -> Response:
    """All of them. Refused with 409 when somebody else saved in between."""
    return answer(lists.keep_prices(session(), body.document, body.revision, me()))


@api.get(
    "/purposes", summary="What a disconnect must do", tags=tag("lists"), responses={"200": lists.PurposesRecord, **SAVE_ERRORS}
)
@needs(Permission.READ)
def get_purposes() -> Response:
    """For each purpose, as it was kept last; what is usual to begin with."""
    return answer(lists.purposes(session()))


@api.put(
    "/purposes",
    summary="Keep what a disconnect must do",
    tags=tag("lists"),
    responses={"200": lists.PurposesRecord, **SAVE_ERRORS},
)
@needs(Permission.KEEP_LISTS)
def put_purposes(body: PurposesSave) -> Response:
    """All of it. Refused with 409 when somebody else saved in between; disconnects that were decided on keep what was asked then."""
    return answer(lists.keep_purposes(session(), body.document, body.revision, me()))
