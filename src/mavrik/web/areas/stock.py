"""The workshop's stock: parts, prices, and what is there."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import Field

from mavrik.core.document import Document
from mavrik.core.fabrication.ordering import Orders
from mavrik.core.fabrication.stock import MOST_ITEMS, StockList
from mavrik.domain.roles import Permission
from mavrik.exchange.stock_csv import StockFile
from mavrik.jobs import ordering, stock
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.repeat import creates
from mavrik.web.shared import SAVE_ERRORS, Revision, tag

api = Area("stock", __name__)


class StockSave(Document):
    """The list, as edited from a revision, and what was counted with it."""

    document: StockList
    revision: Revision
    counts: Annotated[tuple[stock.Count, ...], Field(max_length=MOST_ITEMS)] = ()


class StockText(Document):
    """A CSV as it came from a table program."""

    text: Annotated[str, Field(min_length=1, max_length=400_000)]


@api.get("/stock", summary="The workshop's stock", tags=tag("lists"), responses={"200": stock.StockRecord, **SAVE_ERRORS})
@needs(Permission.READ)
def get_stock() -> Response:
    """Parts with prices, as kept last, and what is there of each; invented parts to begin with."""
    return answer(stock.stock(session()))


@api.put("/stock", summary="Keep the stock", tags=tag("lists"), responses={"200": stock.StockRecord, **SAVE_ERRORS})
@needs(Permission.KEEP_LISTS)
def put_stock(body: StockSave) -> Response:
    """All parts, and the counts that are given. Refused with 409 when somebody else saved in between."""
    return answer(stock.keep_stock(session(), body.document, body.revision, body.counts, me()))


@api.post("/stock/received", summary="Take a part in", tags=tag("lists"), responses={"201": stock.StockRecord, **SAVE_ERRORS})
@needs(Permission.WORK)
@creates
def post_stock_received(body: stock.Receipt) -> Response:
    """What came of one part; a cable as one length, with a mark of its own."""
    return answer(stock.receive(session(), body, me()), 201)


@api.get("/stock.csv", summary="The stock as CSV", tags=tag("lists"))
@needs(Permission.READ)
def get_stock_csv() -> Response:
    """A line a part, to be corrected in a table program."""
    made = Response(stock.stock_as_csv(session()), mimetype="text/csv")
    made.headers["Content-Disposition"] = 'attachment; filename="stock.csv"'
    return made


@api.get("/orders", summary="What is to be ordered", tags=tag("lists"), responses={"200": Orders, **SAVE_ERRORS})
@needs(Permission.READ)
@heavy
def get_orders() -> Response:
    """For all open jobs together: each takes what those promised before it have left, and a pack that one begins serves the next."""
    return answer(ordering.orders(session()))


@api.get("/orders.csv", summary="What is to be ordered, as CSV", tags=tag("lists"))
@needs(Permission.READ)
@heavy
def get_orders_csv() -> Response:
    """A line a part."""
    made = Response(ordering.orders_as_csv(session()), mimetype="text/csv")
    made.headers["Content-Disposition"] = 'attachment; filename="orders.csv"'
    return made


@api.post("/stock/read", summary="Read a stock from CSV", tags=tag("lists"), responses={"200": StockFile, **SAVE_ERRORS})
@needs(Permission.READ)
def post_stock_text(body: StockText) -> Response:
    """Without keeping it."""
    return answer(stock.stock_of_csv(body.text))
