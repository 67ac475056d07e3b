"""The leads, the cable and the steps of a job bundle's plan, as JSON and as a list to cut by."""

from __future__ import annotations

import csv
import io
from typing import Any

from pydantic import Field

from mavrik import __version__
from mavrik.core.catalogue.prices import PriceList, usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.document import Document
from mavrik.core.fabrication.bench import BuildProblemError, BuildView, Shop, build_bill, build_view, first_book
from mavrik.core.fabrication.bill import Bill
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.plugs import PlugView, plug_views
from mavrik.core.fabrication.points import WiredPoint, wired_points
from mavrik.core.fabrication.stock import usual_stock
from mavrik.core.workflow.purposes import Purpose
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.readings_table import safe_cell


class BuildFile(Document):
    """What `mavrik build` prints."""

    format: str = "mavrik-build"
    version: int = 2
    program_version: str = __version__
    job_number: str
    circuit_revision: int = Field(description="Of the plan; of the circuit as found where nothing is planned")
    book: BuildBook
    view: BuildView
    points: tuple[WiredPoint, ...] = Field(description="What lands on each stud when all is done")
    plugs: tuple[PlugView, ...] = Field(description="What goes into each cavity")
    bill: Bill = Field(description="By the parts and prices that a workshop begins with, nothing in stock")


def build_bundle(bundle: Bundle, prices: PriceList | None = None) -> BuildFile:
    """What is made for a job's plan, as far as its book says it has come.

    bundle: the job; prices: the workshop's hours and prices, None: as one begins with
    Raises ValueError where there is no circuit, or its book cannot be.
    """
    as_found, planned = bundle.latest(CircuitRole.AS_FOUND), bundle.latest(CircuitRole.PROPOSAL)
    if as_found is None:
        raise ValueError("The bundle has no circuit 'as_found'.")
    to = planned or as_found
    book = bundle.build() or first_book(as_found.document, planned is None and Purpose.MAKE_LEADS in bundle.job.purposes)
    shop = Shop(prices or usual_prices(), usual_units(), usual_stock())
    try:
        view = build_view(as_found.document, to.document, book, shop.prices)
        bill = build_bill(as_found.document, to.document, book, shop)
    except BuildProblemError as error:
        raise ValueError(str(error)) from error
    return BuildFile(
        job_number=bundle.job.number,
        circuit_revision=to.revision,
        book=book,
        view=view,
        bill=bill,
        points=wired_points(to.document, book),
        plugs=plug_views(to.document, book),
    )


def work_done(bundle: Bundle) -> BuildView | None:
    """How far the work of a job is, by its book; None where nothing of it is done, or it cannot be."""
    book, as_found = bundle.build(), bundle.latest(CircuitRole.AS_FOUND)
    if book is None or as_found is None or not book.ticks:
        return None
    try:
        view = build_view(as_found.document, (bundle.latest(CircuitRole.PROPOSAL) or as_found).document, book, usual_prices())
    except BuildProblemError:
        return None
    return view if view.done else None


CUT_COLUMNS = ("cable", "cut_mm", "pieces", "lead", "from", "from_lug", "from_stud", "to", "to_lug", "to_stud")


def cut_list(made: BuildFile) -> str:
    """The pieces to cut with the lugs at their ends, one row a lead, as CSV.

    made: of `build_bundle`
    """
    cards = {c.branch_id: c for c in made.view.cards}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(CUT_COLUMNS)
    for cable in made.view.cables:
        for cut in cable.cuts:
            ends = [cell for end in cards[cut.branch_id].ends for cell in (end.at, end.lug, end.stud)]
            row: list[str | float | None] = [cable.size, f"{cut.cut_mm:.0f}", cut.runs, cut.label, *ends]
            writer.writerow([safe_cell(x) for x in row])
    return out.getvalue()


def build_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik build` prints."""
    schema = BuildFile.model_json_schema(mode="serialization")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
